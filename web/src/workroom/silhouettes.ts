import { bytesOf, sameBytes } from '../api/bytes'
import { type FrameIn, type Operation, picture } from '../api/client'
import type { Area } from '../sheet/types'

/** Of which sheet silhouettes are wanted: the revision, and what lies on top of it. */
export interface Of {
  portrait: string
  revision: number
  trial: Operation[]
}
interface Wanted {
  area: Area
  /** Whether the area is in that sheet; what was only found is not yet. */
  kept: boolean
  frame: FrameIn
  done: (cut: Cut) => void
  failed: (error: unknown) => void
}
/** Where a silhouette lies in the picture that came with others. */
export interface Cut {
  picture: OffscreenCanvas
  top: number
}

/** What came last for the same places: an edit seldom changes what they cover. */
const known = new Map<string, { bytes: Uint8Array; drawn: OffscreenCanvas }>()
const MOST_KNOWN = 20

/** As many are asked for at once at most. */
const MOST = 50
let waiting: { name: string; of: Of; wanted: Wanted[] }[] = []

/** The coverage of an area on a small frame; those that are wanted at the same moment are asked for together. */
export function silhouette(of: Of, area: Area, kept: boolean, frame: FrameIn): Promise<Cut> {
  return new Promise((done, failed) => {
    const name = JSON.stringify(of)
    const one = { area, kept, frame, done, failed }
    const others = waiting.find((some) => some.name === name && some.wanted.length < MOST)
    if (others) return void others.wanted.push(one)
    const first = { name, of, wanted: [one] }
    waiting.push(first)
    setTimeout(() => {
      waiting = waiting.filter((some) => some !== first)
      void ask(first.of, first.wanted)
    })
  })
}

async function ask(of: Of, wanted: Wanted[]) {
  const laid = new Map(wanted.filter((one) => !one.kept).map((one) => [one.area.id, one.area]))
  const inserted = [...laid.values()].map((item): Operation => ({ op: 'insert', path: ['areas'], item }))
  try {
    const { blob } = await picture(`/api/portraits/${of.portrait}/silhouettes`, {
      revision: of.revision,
      trial: [...of.trial, ...inserted],
      wanted: wanted.map(({ area, frame }) => ({ area: area.id, frame })),
    })
    const drawn = await drawnOf(`${of.portrait} ${JSON.stringify(wanted.map((one) => one.frame))}`, blob)
    let top = 0
    for (const one of wanted) {
      one.done({ picture: drawn, top })
      top += one.frame.h
    }
  } catch (error) {
    for (const one of wanted) one.failed(error)
  }
}

/** The picture of a blob: the same one again if it is as it was for that name. */
async function drawnOf(name: string, blob: Blob): Promise<OffscreenCanvas> {
  const bytes = await bytesOf(blob)
  const last = known.get(name)
  if (last && sameBytes(last.bytes, bytes)) return last.drawn
  const bitmap = await createImageBitmap(blob)
  const drawn = new OffscreenCanvas(bitmap.width, bitmap.height)
  drawn.getContext('2d')!.drawImage(bitmap, 0, 0)
  bitmap.close()
  if (known.size >= MOST_KNOWN) known.clear()
  known.set(name, { bytes, drawn })
  return drawn
}

let small: { portrait: string; image: Promise<HTMLImageElement> } | null = null

/** The portrait's small picture, fetched once. */
export function smallPicture(portrait: string): Promise<HTMLImageElement> {
  if (small?.portrait !== portrait) {
    const image = new Image()
    image.src = `/api/portraits/${portrait}/thumbnail`
    small = { portrait, image: image.decode().then(() => image) }
    small.image.catch(() => (small = null))
  }
  return small.image
}
