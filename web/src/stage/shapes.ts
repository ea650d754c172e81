import type { Part, Touch } from '../sheet/types'
import { movedNode, nodesOf, parsePath, writePath } from '../sheet/outline'

type Place = [number, number]
interface Spot {
  x: number
  y: number
}
export interface Handle {
  name: string
  label: string
  place: Place
  square?: boolean
}
/** Something with handles on the stage: what they are, the lines between them, and what moving one changes. */
export interface Shape {
  handles: Handle[]
  lines: (spots: Record<string, Spot>, at: (place: Place) => Spot) => string[]
  moved: (name: string, to: Place) => Record<string, unknown>
  removed?: (name: string) => Record<string, unknown> | null
}

const straight = (spots: Record<string, Spot>) => {
  const { start, end } = spots as { start: Spot; end: Spot }
  return [`M${start.x} ${start.y}L${end.x} ${end.y}`]
}
const circle = (at: Spot, r: number) =>
  `M${at.x - r} ${at.y}a${r} ${r} 0 1 0 ${2 * r} 0a${r} ${r} 0 1 0 ${-2 * r} 0`

function line(settings: Record<string, unknown>, what: string, round: boolean): Shape {
  return {
    handles: [
      { name: 'start', label: `The ${what}'s start`, place: settings.start as Place },
      { name: 'end', label: `The ${what}'s end`, place: settings.end as Place, square: true },
    ],
    lines(spots) {
      const { start, end } = spots as { start: Spot; end: Spot }
      return [
        ...straight(spots),
        ...(round ? [circle(start, Math.hypot(end.x - start.x, end.y - start.y))] : []),
      ]
    },
    moved: (name, to) => ({ [name]: to }),
  }
}

export const gradientShape = (touch: Touch) =>
  line(touch.settings, 'gradient', touch.settings.shape === 'radial')

const LEAST_RADIUS = 0.004
const rounded = (v: number) => Number(v.toFixed(4))

function pool(part: Part): Shape {
  const [cx, cy] = part.centre as Place
  const [across, down] = part.radii as Place
  const turn = ((part.turn as number) * Math.PI) / 180
  const [cos, sin] = [Math.cos(turn), Math.sin(turn)]
  return {
    handles: [
      { name: 'centre', label: "The pool's centre", place: [cx, cy] },
      {
        name: 'across',
        label: 'Its width and turn',
        place: [cx + across * cos, cy + across * sin],
        square: true,
      },
      { name: 'down', label: 'Its height', place: [cx - down * sin, cy + down * cos], square: true },
    ],
    lines(spots) {
      const { centre, across: a, down: d } = spots as { centre: Spot; across: Spot; down: Spot }
      const [rx, ry] = [
        Math.hypot(a.x - centre.x, a.y - centre.y),
        Math.hypot(d.x - centre.x, d.y - centre.y),
      ]
      const angle = (Math.atan2(a.y - centre.y, a.x - centre.x) * 180) / Math.PI
      const far = { x: 2 * centre.x - a.x, y: 2 * centre.y - a.y }
      return [
        `M${a.x} ${a.y}A${rx} ${ry} ${angle} 1 1 ${far.x} ${far.y}A${rx} ${ry} ${angle} 1 1 ${a.x} ${a.y}`,
      ]
    },
    moved(name, [x, y]) {
      if (name === 'centre') return { centre: [x, y] }
      const length = rounded(Math.max(LEAST_RADIUS, Math.hypot(x - cx, y - cy)))
      if (name === 'down') return { radii: [across, length] }
      return { radii: [length, down], turn: Math.round((Math.atan2(y - cy, x - cx) * 180) / Math.PI) }
    },
  }
}

/** Beyond so many points a freehand shape shows its line alone. */
const MOST_HANDLES = 60

function outline(part: Part): Shape {
  const shapes = part.shapes as { path: string; take: boolean }[]
  const parsed = shapes.map((s) => parsePath(s.path))
  const put = (index: number, path: string) => ({
    shapes: shapes.map((s, i) => (i === index ? { ...s, path } : s)),
  })
  const handles = parsed.flatMap((steps, i) => {
    const nodes = steps ? nodesOf(steps) : []
    if (nodes.length > MOST_HANDLES) return []
    return nodes.map((place, k): Handle => ({
      name: `${i}.${k}`,
      label: `Point ${k + 1} of shape ${i + 1}`,
      place,
    }))
  })
  return {
    handles,
    lines: (_, at) => {
      const spot = (place: Place) => `${at(place).x.toFixed(1)} ${at(place).y.toFixed(1)}`
      return parsed.map(
        (steps) =>
          (steps ?? [])
            .map((s, i) =>
              i === 0
                ? `M${spot(s.to)}`
                : s.c
                  ? `C${s.c.map(spot).join(' ')} ${spot(s.to)}`
                  : `L${spot(s.to)}`,
            )
            .join('') + (steps ? 'Z' : ''),
      )
    },
    moved(name, to) {
      const [i, k] = name.split('.').map(Number) as [number, number]
      return put(i, writePath(movedNode(parsed[i]!, k, to)))
    },
    removed(name) {
      const [i, k] = name.split('.').map(Number) as [number, number]
      const steps = parsed[i]!
      if (nodesOf(steps).length <= 3) return { shapes: shapes.filter((_, n) => n !== i) }
      const rest = steps.filter((_, n) => n !== k)
      const [first] = rest
      if (k === 0 && first) rest[0] = { ...first, c: null }
      return put(i, writePath(rest))
    },
  }
}

/** The handles of a part, for the sources that have some. */
export function partShape(part: Part): Shape | null {
  if (part.source === 'pool') return pool(part)
  if (part.source === 'fade') return line(part, 'fade', false)
  return part.source === 'outline' ? outline(part) : null
}
