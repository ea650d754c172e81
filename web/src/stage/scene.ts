import type { FrameIn } from '../api/client'
import type { Painted } from '../sheet/types'
import type { Thread } from '../stores/room'
import { type Box, joined, placeOf, type Size, toStage, type View } from './geometry'
import { stitchPattern, type StrokeShadow } from './stitches'
import type { Layer } from './views'

/** How the picture lies on the stage, and how many screen pixels make a CSS pixel. */
export interface Scene {
  view: View
  stage: Size
  picture: Size
  ratio: number
  /** The canvas is coarser than the screen and is drawn larger than it is. */
  coarse?: boolean
}

/** CSS pixels that frames may be off by rounding. */
const EVEN = 0.75

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
  const same = !scene.coarse && Math.abs(w - image.width) < 0.75 && Math.abs(h - image.height) < 0.75
  return same ? [Math.round(x), Math.round(y), image.width, image.height] : [x, y, w, h]
}

function put(context: Pen, image: ImageBitmap | OffscreenCanvas, frame: FrameIn, scene: Scene) {
  context.drawImage(image, ...laidAt(image, frame, scene))
}

/** Whether a frame holds all of the picture that is on the stage: what lies under it is not seen. */
export function covers(frame: FrameIn, scene: Scene): boolean {
  const at = placeOf(frame, scene.view, scene.stage, scene.picture)
  const all = toStage(scene.view, { x: 0, y: 0 }, scene.stage)
  const { w, h } = scene.picture
  const across =
    at.x <= Math.max(0, all.x) + EVEN &&
    at.x + at.w >= Math.min(scene.stage.w, all.x + w * scene.view.zoom) - EVEN
  const down =
    at.y <= Math.max(0, all.y) + EVEN &&
    at.y + at.h >= Math.min(scene.stage.h, all.y + h * scene.view.zoom) - EVEN
  return across && down
}

/** Draw `work` where the picture of a frame will not lie: what it hides need not be drawn. */
export function beside(context: CanvasRenderingContext2D, layer: Layer, scene: Scene, work: () => void) {
  const [x, y, w, h] = laidAt(layer.bitmap, layer.frame, scene)
  context.save()
  context.beginPath()
  context.rect(0, 0, context.canvas.width, context.canvas.height)
  // One pixel less, so that no line shows through where edges are soft.
  context.rect(x + 1, y + 1, w - 2, h - 2)
  context.clip('evenodd')
  work()
  context.restore()
}

/** Draw layers over each other, while something moves `quickly`; from 200 % on, pixels are shown as they are. */
export function drawLayers(
  context: CanvasRenderingContext2D,
  layers: (Layer | null)[],
  scene: Scene,
  quickly = false,
) {
  context.imageSmoothingEnabled = scene.view.zoom * scene.ratio < 1.99
  for (const layer of layers) {
    if (!layer) continue
    // A draft is drawn larger than it is: there the best smoothing costs much and shows little.
    const shrinks = layer.frame.width >= scene.picture.w * scene.view.zoom * scene.ratio * 0.99
    context.imageSmoothingQuality = shrinks && !quickly ? 'high' : 'low'
    put(context, layer.bitmap, layer.frame, scene)
  }
}

/** A coverage that the stage shows; `box`: where it covers anything, in its own pixels, if that is known. */
export interface Cover {
  alpha: ImageBitmap | OffscreenCanvas
  frame: FrameIn
  box?: Box | null
}
type Fresh = { stroke: Painted; shadow: StrokeShadow }[]

/** Where a coverage, and strokes that it has not seen yet, lie on a canvas, `margin` screen pixels round them. */
export function extent(
  canvas: Size,
  known: Cover | null,
  fresh: Fresh,
  scene: Scene,
  margin = 1,
): Box | null {
  const boxes = fresh.flatMap(({ shadow }) => shadow.box ?? [])
  if (known && known.box !== null) {
    const { width, height } = known.alpha
    const [x, y, w, h] = laidAt(known.alpha, known.frame, scene)
    const own = known.box ?? { x: 0, y: 0, w: width, h: height }
    const [sx, sy] = [w / width, h / height]
    boxes.push({ x: x + own.x * sx, y: y + own.y * sy, w: own.w * sx, h: own.h * sy })
  }
  const all = joined(boxes)
  if (!all) return null
  const [left, top] = [all.x, all.y].map((side) => Math.max(0, Math.floor(side - margin))) as [number, number]
  const right = Math.min(canvas.w, Math.ceil(all.x + all.w + margin))
  const bottom = Math.min(canvas.h, Math.ceil(all.y + all.h + margin))
  return right > left && bottom > top ? { x: left, y: top, w: right - left, h: bottom - top } : null
}

/** A coverage on a box of the stage as transparency: the server's, with the strokes it has not seen yet. */
export function alphaOf(
  at: Box,
  known: Cover | null,
  fresh: Fresh,
  takesAway: boolean,
  scene: Scene,
): OffscreenCanvas {
  const out = new OffscreenCanvas(at.w, at.h)
  const context = out.getContext('2d')!
  context.translate(-at.x, -at.y)
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

/** Screen pixels that a silhouette's line takes round it. */
export const RIM = 3

/** A line round a silhouette that begins at a place: white over dark, so that it is seen on every tone. */
export function drawRim(context: CanvasRenderingContext2D, alpha: OffscreenCanvas, at: Box, ratio: number) {
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
  context.drawImage(rim, at.x, at.y)
}

let patterns: { of: string; loose: CanvasPattern; dense: CanvasPattern } | null = null

/** The coverage of a box as fine cross-stitches, denser where it is higher. */
export function drawStitches(
  context: CanvasRenderingContext2D,
  alpha: OffscreenCanvas,
  at: Box,
  ratio: number,
  thread: Thread,
) {
  const of = `${ratio} ${thread.colour} ${thread.cell}`
  if (patterns?.of !== of) {
    const [loose, dense] = [false, true].map((d) => stitchPattern(context, ratio, d, thread))
    patterns = { of, loose: loose!, dense: dense! }
  }
  // The dense stitches are cut out twice, so that they come in with the square of coverage.
  context.save()
  context.beginPath()
  context.rect(at.x, at.y, at.w, at.h)
  context.clip()
  for (const pattern of [patterns.dense, patterns.loose]) {
    context.globalCompositeOperation = 'source-over'
    context.fillStyle = pattern
    context.fillRect(at.x, at.y, at.w, at.h)
    context.globalCompositeOperation = 'destination-in'
    context.drawImage(alpha, at.x, at.y)
  }
  context.restore()
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
