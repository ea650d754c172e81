import type { Box } from './geometry'

/** Pictures from the server as bitmaps that are ready to be drawn, made beside the page's own thread. */

export interface Ask {
  id: number
  blob: Blob
  /** The colour space of the stage; null for a coverage, which becomes transparency. */
  space: PredefinedColorSpace | null
}
/** `box`: where a coverage covers anything. */
export interface Made {
  bitmap: ImageBitmap
  box: Box | null
}
export type Answer = { id: number } & (Made | { problem: string })

/** The stage shows the colours that the screen has. */
export const SPACE: PredefinedColorSpace = matchMedia('(color-gamut: p3)').matches ? 'display-p3' : 'srgb'

let maker: Worker | null = null
let count = 0
const waiting = new Map<number, { done: (made: Made) => void; failed: (error: Error) => void }>()

function made(ask: Omit<Ask, 'id'>): Promise<Made> {
  if (!maker) {
    maker = new Worker(new URL('./bitmaps.worker.ts', import.meta.url), { type: 'module' })
    maker.onmessage = ({ data }: MessageEvent<Answer>) => {
      const one = waiting.get(data.id)
      waiting.delete(data.id)
      if ('bitmap' in data) one?.done(data)
      else one?.failed(new Error(data.problem))
    }
    maker.onerror = () => {
      for (const { failed } of waiting.values()) failed(new Error('The browser could not show the picture.'))
      waiting.clear()
      maker = null
    }
  }
  const id = count++
  return new Promise((done, failed) => {
    waiting.set(id, { done, failed })
    maker!.postMessage({ id, ...ask } satisfies Ask)
  })
}

/** A view in the stage's own colours: else they would be brought there anew with every drawing, at the stage's size. */
export const pictureFrom = async (blob: Blob) => (await made({ blob, space: SPACE })).bitmap

/** A grey coverage picture as transparency, so that stitches can be cut out with it. */
export const alphaFrom = (blob: Blob) => made({ blob, space: null })
