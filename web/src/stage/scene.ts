import type { FrameIn } from '../api/client'
import type { Painted } from '../sheet/types'
import type { Thread } from '../stores/room'
import { placeOf, type Size, toStage, type View } from './geometry'
import { stitchPattern, type StrokeShadow } from './stitches'
import type { Layer } from './views'

/** How the picture lies on the stage, and how many screen pixels make a CSS pixel. */
export interface Scene {
  view: View
  stage: Size
  picture: Size
  ratio: number
}

type Pen = CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D

/**
 * Where an image of a frame is drawn, in screen pixels: x, y, width, height. One that has a pixel for each of the screen's
 * is laid on them as it is: half a pixel beside them it would be smoothed, and every drawing of it cost as much.
 */
export function laidAt(
  image: { width: number; height: number },
  frame: FrameIn,
  scene: Scene,
): [number, number, number, number] {
  const at = placeOf(frame, scene.view, scene.stage, scene.picture)
  const [x, y, w, h] = [at.x, at.y, at.w, at.h].map((side) => side * scene.ratio) as [
    number,
    number,
    number,
    number,
  ]
  const same = Math.abs(w - image.width) < 0.75 && Math.abs(h - image.height) < 0.75
  return same ? [Math.round(x), Math.round(y), image.width, image.height] : [x, y, w, h]
}

function put(context: Pen, image: ImageBitmap | OffscreenCanvas, frame: FrameIn, scene: Scene) {
  context.drawImage(image, ...laidAt(image, frame, scene))
}

/** Draw layers over each other; from 200 % on, pixels are shown as they are. */
export function drawLayers(context: CanvasRenderingContext2D, layers: (Layer | null)[], scene: Scene) {
  context.imageSmoothingEnabled = scene.view.zoom * scene.ratio < 1.99
  for (const layer of layers) {
    if (!layer) continue
    // A draft is drawn larger than it is: there the best smoothing costs much and shows little.
    const shrinks = layer.frame.width >= scene.picture.w * scene.view.zoom * scene.ratio * 0.99
    context.imageSmoothingQuality = shrinks ? 'high' : 'low'
    put(context, layer.bitmap, layer.frame, scene)
  }
}

/** A coverage on the stage as transparency: the server's, with the strokes it has not seen yet. */
export function alphaOf(
  width: number,
  height: number,
  known: { alpha: OffscreenCanvas; frame: FrameIn } | null,
  fresh: { stroke: Painted; shadow: StrokeShadow }[],
  takesAway: boolean,
  scene: Scene,
): OffscreenCanvas {
  const out = new OffscreenCanvas(width, height)
  const context = out.getContext('2d')!
  if (known) put(context, known.alpha, known.frame, scene)
  for (const { stroke, shadow } of fresh) {
    context.globalCompositeOperation = stroke.erase !== takesAway ? 'destination-out' : 'source-over'
    context.drawImage(shadow.canvas, 0, 0)
  }
  return out
}

/** What of the picture a coverage leaves out, as a coverage. */
export function leftOut(alpha: OffscreenCanvas, scene: Scene): OffscreenCanvas {
  const out = new OffscreenCanvas(alpha.width, alpha.height)
  const context = out.getContext('2d')!
  context.fillRect(...pictureBox(scene))
  context.globalCompositeOperation = 'destination-out'
  context.drawImage(alpha, 0, 0)
  return out
}

/** Where the whole picture lies on the canvas: x, y, width, height. */
function pictureBox(scene: Scene): [number, number, number, number] {
  const at = toStage(scene.view, { x: 0, y: 0 }, scene.stage)
  const r = scene.ratio * scene.view.zoom
  return [at.x * scene.ratio, at.y * scene.ratio, scene.picture.w * r, scene.picture.h * r]
}

/** The mask alone: white where covered, black elsewhere on the picture; `sharp`: cut at the half. */
export function drawMask(
  context: CanvasRenderingContext2D,
  alpha: OffscreenCanvas | null,
  scene: Scene,
  sharp = false,
) {
  const box = pictureBox(scene)
  context.fillStyle = '#000'
  context.fillRect(...box)
  if (!alpha) return
  const white = alpha.getContext('2d')!
  white.globalCompositeOperation = 'source-in'
  white.fillStyle = '#fff'
  white.fillRect(0, 0, alpha.width, alpha.height)
  context.save()
  context.beginPath()
  context.rect(...box)
  context.clip()
  context.drawImage(alpha, 0, 0)
  if (sharp) {
    context.filter = 'contrast(5000%)'
    context.drawImage(context.canvas, 0, 0)
  }
  context.restore()
}

/** A line round a silhouette: white over dark, so that it is seen on every tone. */
export function drawRim(context: CanvasRenderingContext2D, alpha: OffscreenCanvas, ratio: number) {
  const rim = new OffscreenCanvas(alpha.width, alpha.height)
  const pen = rim.getContext('2d')!
  for (const [style, by] of [
    ['#000', 2.2],
    ['#fff', 1.2],
  ] as const) {
    const flat = new OffscreenCanvas(alpha.width, alpha.height)
    const brush = flat.getContext('2d')!
    for (let k = 0; k < 8; k++) {
      const turn = (k * Math.PI) / 4
      brush.drawImage(alpha, by * ratio * Math.cos(turn), by * ratio * Math.sin(turn))
    }
    brush.globalCompositeOperation = 'source-in'
    brush.fillStyle = style
    brush.fillRect(0, 0, flat.width, flat.height)
    pen.drawImage(flat, 0, 0)
  }
  pen.globalCompositeOperation = 'destination-out'
  pen.drawImage(alpha, 0, 0)
  context.drawImage(rim, 0, 0)
}

let patterns: { of: string; loose: CanvasPattern; dense: CanvasPattern } | null = null

/** The coverage as fine cross-stitches, denser where it is higher. */
export function drawStitches(
  context: CanvasRenderingContext2D,
  alpha: OffscreenCanvas,
  ratio: number,
  thread: Thread,
) {
  const of = `${ratio} ${thread.colour} ${thread.cell}`
  if (patterns?.of !== of) {
    const [loose, dense] = [false, true].map((d) => stitchPattern(context, ratio, d, thread))
    patterns = { of, loose: loose!, dense: dense! }
  }
  // The dense stitches are cut out twice, so that they come in with the square of coverage.
  for (const pattern of [patterns.dense, patterns.loose]) {
    context.globalCompositeOperation = 'source-over'
    context.fillStyle = pattern
    context.fillRect(0, 0, context.canvas.width, context.canvas.height)
    context.globalCompositeOperation = 'destination-in'
    context.drawImage(alpha, 0, 0)
  }
  context.globalCompositeOperation = 'source-over'
}

/** Cover what is outside the area (or inside it) with the room's grey. */
export function drawOnly(
  context: CanvasRenderingContext2D,
  alpha: OffscreenCanvas | null,
  inside: boolean,
  grey: string,
) {
  const veil = new OffscreenCanvas(context.canvas.width, context.canvas.height)
  const pen = veil.getContext('2d')!
  if (inside || alpha) {
    pen.fillStyle = grey
    pen.fillRect(0, 0, veil.width, veil.height)
  }
  pen.globalCompositeOperation = inside ? 'destination-out' : 'destination-in'
  if (alpha) pen.drawImage(alpha, 0, 0)
  context.drawImage(veil, 0, 0)
}
