/** Quarter turns to the right, degrees to the right after them, and what is cut out. */
export interface Geometry {
  turns: number
  straighten: number
  crop: { centre: [number, number]; size: [number, number] } | null
}
type Place = readonly [number, number]
/** A rectangle on the finished picture, in long sides of the original from its top left. */
export interface Rect {
  x: number
  y: number
  w: number
  h: number
}

export const UPRIGHT: Geometry = { turns: 0, straighten: 0, crop: null }
export const MOST_STRAIGHTENED = 15
/** Sides of the smallest piece that is cut out, in long sides. */
export const SMALLEST = 0.02

export const isUpright = (g: Geometry) => !g.turns && !g.straighten && !g.crop

/** How the finished picture is cut out of the upright original; the same as the server works out. */
export class Placing {
  readonly unit: number
  /** Width and height after the quarter turns, in long sides. */
  readonly turned: Place
  /** The middle on the original, width and height as it is seen, in long sides. */
  readonly box: readonly [number, number, number, number]
  private readonly cos: number
  private readonly sin: number

  constructor(
    readonly geometry: Geometry,
    readonly width: number,
    readonly height: number,
  ) {
    this.unit = Math.max(width, height)
    const [a, b] = [width / this.unit, height / this.unit]
    this.turned = geometry.turns % 2 ? [b, a] : [a, b]
    const angle = ((90 * geometry.turns + geometry.straighten) * Math.PI) / 180
    this.cos = Math.cos(angle)
    this.sin = Math.sin(angle)
    this.box = this.cut(a / 2, b / 2)
  }

  private cut(middleX: number, middleY: number): [number, number, number, number] {
    const { crop, straighten } = this.geometry
    if (!crop) {
      const [a, b] = this.turned
      const angle = (Math.abs(straighten) * Math.PI) / 180
      const [c, s] = [Math.cos(angle), Math.sin(angle)]
      const share = Math.min(a / (a * c + b * s), b / (a * s + b * c))
      return [middleX, middleY, share * a, share * b]
    }
    const [x, y] = [Math.min(crop.centre[0], 2 * middleX), Math.min(crop.centre[1], 2 * middleY)]
    const [w, h] = crop.size
    let share = 1
    for (const sign of [1, -1]) {
      const [across, down] = this.wayBack(w / 2, (sign * h) / 2)
      share = Math.min(share, Math.min(x, 2 * middleX - x) / Math.max(Math.abs(across), 1e-9))
      share = Math.min(share, Math.min(y, 2 * middleY - y) / Math.max(Math.abs(down), 1e-9))
    }
    return [x, y, Math.max(share, 0) * w, Math.max(share, 0) * h]
  }

  /** Pixels of the finished picture at full size. */
  get size(): { w: number; h: number } {
    if (isUpright(this.geometry)) return { w: this.width, h: this.height }
    const pixels = (side: number) => Math.max(1, Math.round(side * this.unit))
    return { w: pixels(this.box[2]), h: pixels(this.box[3]) }
  }

  private wayBack(x: number, y: number): [number, number] {
    return [this.cos * x + this.sin * y, this.cos * y - this.sin * x]
  }

  /** A place of the finished picture as one of the upright original. */
  back([x, y]: Place): [number, number] {
    const [cx, cy, w, h] = this.box
    const [dx, dy] = this.wayBack(x - w / 2, y - h / 2)
    return [cx + dx, cy + dy]
  }

  /** A place of the upright original as one of the finished picture. */
  forth([x, y]: Place): [number, number] {
    const [cx, cy, w, h] = this.box
    const [dx, dy] = [x - cx, y - cy]
    return [this.cos * dx - this.sin * dy + w / 2, this.sin * dx + this.cos * dy + h / 2]
  }

  /** The box round a box (x, y, w, h) of the upright original, on the finished picture. */
  around([x, y, w, h]: readonly number[]): [number, number, number, number] {
    const corners = [0, 1].flatMap((i) => [0, 1].map((j) => this.forth([x! + i * w!, y! + j * h!])))
    const [xs, ys] = [corners.map((c) => c[0]), corners.map((c) => c[1])]
    const [left, top] = [Math.min(...xs), Math.min(...ys)]
    return [left, top, Math.max(...xs) - left, Math.max(...ys) - top]
  }
}

/** Turned by so many quarters more to the right: what was cut out stays what is seen. */
export function turnedBy(g: Geometry, by: number): Geometry {
  const crop = g.crop && by % 2 ? { ...g.crop, size: [g.crop.size[1], g.crop.size[0]] as Pair } : g.crop
  return { ...g, turns: (g.turns + by + 4) % 4, crop }
}
type Pair = [number, number]

const rounded = (v: number) => Number(v.toFixed(5))

/** What is cut out, as a rectangle of the picture that is whole but for its turns and straightening. */
export function cropRect(g: Geometry, width: number, height: number): Rect {
  const whole = new Placing({ ...g, crop: null }, width, height)
  const [cx, cy, w, h] = new Placing(g, width, height).box
  const [x, y] = whole.forth([cx, cy])
  return { x: x - w / 2, y: y - h / 2, w, h }
}
/** The other way round; the whole is no crop. */
export function withCrop(g: Geometry, rect: Rect, width: number, height: number): Geometry {
  const whole = new Placing({ ...g, crop: null }, width, height)
  const [, , w, h] = whole.box
  const all = rect.x < 1e-4 && rect.y < 1e-4 && rect.w > w - 2e-4 && rect.h > h - 2e-4
  if (all) return { ...g, crop: null }
  const [x, y] = whole.back([rect.x + rect.w / 2, rect.y + rect.h / 2])
  return {
    ...g,
    crop: { centre: [rounded(x), rounded(y)], size: [rounded(rect.w), rounded(rect.h)] },
  }
}

/** The largest rectangle with the proportions `shape` (width to height) about the middle of another, within `w` × `h`. */
export function shapedRect(rect: Rect, shape: number, w: number, h: number): Rect {
  const area = rect.w * rect.h
  let wide = Math.sqrt(area * shape)
  const most = Math.min(w, h * shape)
  wide = Math.min(wide, most)
  return kept(
    { x: rect.x + (rect.w - wide) / 2, y: rect.y + (rect.h - wide / shape) / 2, w: wide, h: wide / shape },
    w,
    h,
  )
}
/** A rectangle pushed back into `w` × `h`. */
export function kept(rect: Rect, w: number, h: number): Rect {
  const [wide, high] = [Math.min(rect.w, w), Math.min(rect.h, h)]
  return {
    x: Math.min(Math.max(0, rect.x), w - wide),
    y: Math.min(Math.max(0, rect.y), h - high),
    w: wide,
    h: high,
  }
}

/** A rectangle made smaller about its middle, and pushed, until it lies in `w` × `h`. */
export function shrunkInto(rect: Rect, w: number, h: number): Rect {
  const share = Math.min(1, w / rect.w, h / rect.h)
  const [wide, high] = [share * rect.w, share * rect.h]
  return kept({ x: rect.x + (rect.w - wide) / 2, y: rect.y + (rect.h - high) / 2, w: wide, h: high }, w, h)
}

/**
 * A rectangle after the corner or side named by `left`/`top` (−1, 0, 1: which side is in hand) was dragged by `dx`, `dy`;
 * with `shape` its proportions stay.
 */
export function draggedRect(
  rect: Rect,
  [left, top]: readonly [number, number],
  [dx, dy]: Place,
  [w, h]: readonly [number, number],
  shape: number | null,
): Rect {
  if (!left && !top) return kept({ ...rect, x: rect.x + dx, y: rect.y + dy }, w, h)
  let [x0, y0, x1, y1] = [rect.x, rect.y, rect.x + rect.w, rect.y + rect.h]
  const clamp = (v: number, low: number, high: number) => Math.min(high, Math.max(low, v))
  if (left < 0) x0 = clamp(x0 + dx, 0, x1 - SMALLEST)
  if (left > 0) x1 = clamp(x1 + dx, x0 + SMALLEST, w)
  if (top < 0) y0 = clamp(y0 + dy, 0, y1 - SMALLEST)
  if (top > 0) y1 = clamp(y1 + dy, y0 + SMALLEST, h)
  if (shape !== null) {
    // The side that was dragged says how large; the other grows from the side that stays, as far as there is room.
    const room = {
      w: left < 0 ? x1 : left > 0 ? w - x0 : 2 * Math.min(rect.x + rect.w / 2, w - rect.x - rect.w / 2),
      h: top < 0 ? y1 : top > 0 ? h - y0 : 2 * Math.min(rect.y + rect.h / 2, h - rect.y - rect.h / 2),
    }
    const wanted = left && top ? Math.max(x1 - x0, (y1 - y0) * shape) : left ? x1 - x0 : (y1 - y0) * shape
    const wide = Math.min(wanted, room.w, room.h * shape)
    const high = wide / shape
    const middle = [rect.x + rect.w / 2, rect.y + rect.h / 2] as const
    ;[x0, x1] =
      left < 0 ? [x1 - wide, x1] : left > 0 ? [x0, x0 + wide] : [middle[0] - wide / 2, middle[0] + wide / 2]
    ;[y0, y1] =
      top < 0 ? [y1 - high, y1] : top > 0 ? [y0, y0 + high] : [middle[1] - high / 2, middle[1] + high / 2]
  }
  return { x: x0, y: y0, w: x1 - x0, h: y1 - y0 }
}

/** Degrees to the right that make a drawn line (its way) level or upright, whichever is nearer. */
export function levelBy(dx: number, dy: number): number {
  const angle = (Math.atan2(dy, dx) * 180) / Math.PI
  return -(((((angle + 45) % 90) + 90) % 90) - 45)
}

export const straightened = (g: Geometry, degrees: number): Geometry => ({
  ...g,
  straighten: Number(Math.min(MOST_STRAIGHTENED, Math.max(-MOST_STRAIGHTENED, degrees)).toFixed(2)),
})

/** What was done to the geometry, in words for the history. */
export function wordsOf(was: Geometry, now: Geometry): string {
  const by = (now.turns - was.turns + 4) % 4
  const words = []
  if (by) words.push(['', 'turned to the right', 'turned upside down', 'turned to the left'][by]!)
  if (was.straighten !== now.straighten) words.push(`straightened to ${now.straighten.toFixed(1)}°`)
  const same = JSON.stringify(was.crop) === JSON.stringify(by % 2 ? turnedBy(now, 1).crop : now.crop)
  if (!same) words.push(now.crop ? 'cropped' : 'the whole picture again')
  return words.join(', ')
}

/** What the geometry does, as a sentence of the sheet; nothing of a picture that is whole and upright. */
export function geometrySentence(g: Geometry, width: number, height: number): string {
  const words = []
  if (g.turns) words.push(['', 'turned to the right', 'turned upside down', 'turned to the left'][g.turns]!)
  if (g.straighten)
    words.push(
      `straightened by ${Math.abs(g.straighten).toFixed(1)}° to the ${g.straighten < 0 ? 'left' : 'right'}`,
    )
  const { w, h } = new Placing(g, width, height).size
  if (g.crop) words.push(`cropped to ${w} × ${h} px`)
  const said = words.length > 1 ? `${words.slice(0, -1).join(', ')} and ${words.at(-1)}` : (words[0] ?? '')
  return said && `The picture is ${said}`
}
