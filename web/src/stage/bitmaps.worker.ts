import type { Answer, Ask } from './bitmaps'
import { boxOf } from './geometry'

function inSpace(decoded: ImageBitmap, colorSpace: PredefinedColorSpace): OffscreenCanvas {
  const canvas = new OffscreenCanvas(decoded.width, decoded.height)
  canvas.getContext('2d', { colorSpace, alpha: false })!.drawImage(decoded, 0, 0)
  return canvas
}

function asAlpha(decoded: ImageBitmap) {
  const canvas = new OffscreenCanvas(decoded.width, decoded.height)
  const context = canvas.getContext('2d', { willReadFrequently: true })!
  context.drawImage(decoded, 0, 0)
  const pixels = context.getImageData(0, 0, decoded.width, decoded.height)
  const words = new Uint32Array(pixels.data.buffer)
  for (let i = 0; i < words.length; i++) words[i] = (words[i]! & 0xff) << 24
  context.putImageData(pixels, 0, 0)
  return { canvas, box: boxOf(pixels) }
}

self.onmessage = async ({ data: { id, blob, space } }: MessageEvent<Ask>) => {
  const tell = (answer: Answer, transfer: Transferable[] = []) => self.postMessage(answer, { transfer })
  try {
    const decoded = await createImageBitmap(blob)
    const { canvas, box } = space ? { canvas: inSpace(decoded, space), box: null } : asAlpha(decoded)
    const bitmap = canvas.transferToImageBitmap()
    decoded.close()
    tell({ id, bitmap, box }, [bitmap])
  } catch (error) {
    tell({ id, problem: `The browser could not show the picture: ${String(error)}` })
  }
}
