import type { Portrait } from '../api/client'
/** One view for several pictures: at fit, or at the faces; nearer by a factor, and moved from there. */
export interface Look {
  at: 'fit' | 'faces'
  zoom: number
  /** Moved by, in shares of what fits into a cell. */
  dx: number
  dy: number
}
export interface Size {
  w: number
  h: number
}
/** The middle of what is seen, in long sides, and how many pixels of the screen a long side has. */
export interface Place {
  x: number
  y: number
  scale: number
}
export const FIT: Look = { at: 'fit', zoom: 1, dx: 0, dy: 0 }
const MARGIN = 8
/** How much of a cell's height, or of its width, a face takes from chin to forehead. */
const FACE = { tall: 0.5, wide: 0.8 }
export const ZOOMS = { least: 1, most: 32 }

/** Where a picture is seen by a view; `size` in long sides, `cell` in pixels. */
export function place(look: Look, size: Size, cell: Size, face: { axis: number[][] } | null): Place {
  const [top, chin] = face?.axis ?? []
  const fit = Math.max(1, Math.min((cell.w - MARGIN) / size.w, (cell.h - MARGIN) / size.h))
  const on = look.at === 'faces' && top && chin
  const scale =
    (on
      ? Math.min(FACE.tall * cell.h, FACE.wide * cell.w) / Math.hypot(top[0]! - chin[0]!, top[1]! - chin[1]!)
      : fit) * look.zoom
  const [x, y] = on ? [(top[0]! + chin[0]!) / 2, (top[1]! + chin[1]!) / 2] : [size.w / 2, size.h / 2]
  // Moved alike on all: by as much of the screen at the same zoom.
  const step = (Math.min(cell.w, cell.h) * look.zoom) / scale
  return { x: x + look.dx * step, y: y + look.dy * step, scale }
}

/** How many columns show so many pictures of a shape (width to height) largest in a room. */
export function columns(count: number, shape: number, room: Size): number {
  let [best, most] = [1, 0]
  for (let across = 1; across <= count; across++) {
    const down = Math.ceil(count / across)
    const fits = Math.min(room.w / across / shape, room.h / down)
    if (fits > most) [best, most] = [across, fits]
  }
  return best
}

/** Nearer by a factor, with what lies under a point of the cell (from its middle, in shares of its shorter side) kept. */
export function nearer(look: Look, by: number, at: { x: number; y: number } = { x: 0, y: 0 }): Look {
  const zoom = Math.min(ZOOMS.most, Math.max(ZOOMS.least, look.zoom * by))
  const moved = (d: number, p: number) => d + p / look.zoom - p / zoom
  return { ...look, zoom, dx: moved(look.dx, at.x), dy: moved(look.dy, at.y) }
}

/** Width and height of a portrait as it is turned and cropped. */
export const finishedOf = ({ finished, facts }: Portrait): readonly [number, number] =>
  finished ? [finished[0]!, finished[1]!] : [facts!.width, facts!.height]
