import type { FrameIn } from '../api/client'

export interface Size {
  w: number
  h: number
}

/** A place on the stage in CSS pixels, or in the picture. */
export interface Spot {
  x: number
  y: number
  /** Whether the picture that is seen there is one that has not been moved. */
  still?: boolean
}

/** How the picture lies on the stage: CSS pixels to one picture pixel, and the picture pixel at the stage's middle. */
export interface View {
  zoom: number
  x: number
  y: number
}

export interface Box {
  x: number
  y: number
  w: number
  h: number
}

/** Where pixels are not wholly transparent; null if all are. */
export function boxOf({ data, width, height }: ImageData): Box | null {
  let left = width
  let right = 0
  let top = height
  let bottom = 0
  for (let y = 0, at = 3; y < height; y++) {
    for (let x = 0; x < width; x++, at += 4) {
      if (!data[at]) continue
      if (x < left) left = x
      if (x >= right) right = x + 1
      if (y < top) top = y
      bottom = y + 1
    }
  }
  return right > left ? { x: left, y: top, w: right - left, h: bottom - top } : null
}

/** The smallest box that holds some; null of none. */
export function joined(boxes: Box[]): Box | null {
  if (!boxes.length) return null
  const [x, y] = [Math.min(...boxes.map((b) => b.x)), Math.min(...boxes.map((b) => b.y))]
  const [right, bottom] = [Math.max(...boxes.map((b) => b.x + b.w)), Math.max(...boxes.map((b) => b.y + b.h))]
  return { x, y, w: right - x, h: bottom - y }
}

const MARGIN = 28
export const LOWEST_ZOOM = 0.02
export const HIGHEST_ZOOM = 8

export function fitted(stage: Size, picture: Size): View {
  const room = { w: Math.max(stage.w - 2 * MARGIN, 40), h: Math.max(stage.h - 2 * MARGIN, 40) }
  const zoom = Math.min(room.w / picture.w, room.h / picture.h, HIGHEST_ZOOM)
  return { zoom, x: picture.w / 2, y: picture.h / 2 }
}

/** The view at another zoom with the picture point under `at` (stage pixels) staying under it. */
export function zoomed(view: View, zoom: number, at: { x: number; y: number }, stage: Size): View {
  const next = Math.min(HIGHEST_ZOOM, Math.max(LOWEST_ZOOM, zoom))
  const point = toPicture(view, at, stage)
  return { zoom: next, x: point.x - (at.x - stage.w / 2) / next, y: point.y - (at.y - stage.h / 2) / next }
}

/** Keep at least the stage's middle on the picture. */
export function held(view: View, picture: Size): View {
  return {
    ...view,
    x: Math.min(picture.w, Math.max(0, view.x)),
    y: Math.min(picture.h, Math.max(0, view.y)),
  }
}

export function toPicture(view: View, at: { x: number; y: number }, stage: Size) {
  return { x: view.x + (at.x - stage.w / 2) / view.zoom, y: view.y + (at.y - stage.h / 2) / view.zoom }
}

export function toStage(view: View, point: { x: number; y: number }, stage: Size) {
  return { x: (point.x - view.x) * view.zoom + stage.w / 2, y: (point.y - view.y) * view.zoom + stage.h / 2 }
}

/** Size of the whole picture on the grid of frames for a view: never larger than the picture itself. */
export function grid(view: View, picture: Size, ratio: number): Size {
  const scale = Math.min(1, view.zoom * ratio)
  return { w: Math.max(1, Math.round(picture.w * scale)), h: Math.max(1, Math.round(picture.h * scale)) }
}

/** The visible rectangle (or `box`, in picture pixels) as a frame; null if nothing of it lies on the picture. */
export function frameOf(view: View, stage: Size, picture: Size, ratio: number, box?: Box): FrameIn | null {
  const whole = grid(view, picture, ratio)
  const sx = whole.w / picture.w
  const sy = whole.h / picture.h
  const corner = toPicture(view, { x: 0, y: 0 }, stage)
  let x0 = corner.x
  let y0 = corner.y
  let x1 = corner.x + stage.w / view.zoom
  let y1 = corner.y + stage.h / view.zoom
  if (box) {
    x0 = Math.max(x0, box.x)
    y0 = Math.max(y0, box.y)
    x1 = Math.min(x1, box.x + box.w)
    y1 = Math.min(y1, box.y + box.h)
  }
  const x = Math.max(0, Math.floor(x0 * sx))
  const y = Math.max(0, Math.floor(y0 * sy))
  const w = Math.min(whole.w, Math.ceil(x1 * sx)) - x
  const h = Math.min(whole.h, Math.ceil(y1 * sy)) - y
  return w > 0 && h > 0 ? { width: whole.w, height: whole.h, x, y, w, h } : null
}

/** Where a frame lies on the stage, in CSS pixels. */
export function placeOf(frame: FrameIn, view: View, stage: Size, picture: Size): Box {
  const sx = picture.w / frame.width
  const sy = picture.h / frame.height
  const at = toStage(view, { x: frame.x * sx, y: frame.y * sy }, stage)
  return { ...at, w: frame.w * sx * view.zoom, h: frame.h * sy * view.zoom }
}
