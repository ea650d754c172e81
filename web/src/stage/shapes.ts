import type { Part, Touch } from '../sheet/types'
import {
  movedHandle,
  movedNode,
  type Node,
  nodesOf,
  parsePath,
  stepsOf,
  turnedNode,
  writePath,
} from '../sheet/outline'

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
  /** A smooth point becomes a corner, or the other way round. */
  turned?: (name: string) => Record<string, unknown>
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

/** The handles of a touch that runs from one place to another. */
export function touchShape({ kind, settings }: Touch): Shape | null {
  if (kind === 'set') return null
  if (settings.of === 'gradient') return line(settings, 'gradient', settings.shape === 'radial')
  return settings.grows === true ? line(settings, 'blur', false) : null
}

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

function outline(part: Part, selected: string | null): Shape {
  const shapes = part.shapes as { path: string; take: boolean }[]
  const parsed = shapes.map((s) => {
    const steps = parsePath(s.path)
    return steps && nodesOf(steps)
  })
  const read = (name: string) => {
    const [i, k, which] = name.split('.')
    return { i: Number(i), k: Number(k), which: which as 'in' | 'out' | undefined }
  }
  const put = (index: number, nodes: Node[]) => ({
    shapes: shapes.map((s, i) => (i === index ? { ...s, path: writePath(stepsOf(nodes)) } : s)),
  })
  const handles = parsed.flatMap((nodes, i) => {
    if (!nodes || nodes.length > MOST_HANDLES) return []
    return nodes.map(({ at }, k): Handle => ({
      name: `${i}.${k}`,
      label: `Point ${k + 1} of shape ${i + 1}`,
      place: at,
    }))
  })
  // The handles of the curve at the point in hand, with the arms they stand on.
  const { i: si, k: sk } = read(selected ?? '')
  const inHand = selected === null ? null : parsed[si]?.[sk]
  const arms: Place[] = []
  for (const which of ['in', 'out'] as const) {
    const place = inHand?.[which]
    if (!place) continue
    arms.push(place)
    const label = `Curve handle ${which === 'in' ? 'before' : 'after'} point ${sk + 1} of shape ${si + 1}`
    handles.push({ name: `${si}.${sk}.${which}`, label, place, square: true })
  }
  return {
    handles,
    lines: (_, at) => {
      const spot = (place: Place) => `${at(place).x.toFixed(1)} ${at(place).y.toFixed(1)}`
      const drawn = parsed.map((nodes) =>
        (nodes ? stepsOf(nodes) : [])
          .map((s, i) =>
            i === 0 ? `M${spot(s.to)}` : s.c ? `C${s.c.map(spot).join(' ')} ${spot(s.to)}` : `L${spot(s.to)}`,
          )
          .join('')
          .replace(/$/, nodes ? 'Z' : ''),
      )
      return [...drawn, ...arms.map((place) => `M${spot(inHand!.at)}L${spot(place)}`)]
    },
    moved(name, to) {
      const { i, k, which } = read(name)
      const nodes = parsed[i]!
      return put(i, which ? movedHandle(nodes, k, which, to) : movedNode(nodes, k, to))
    },
    turned(name) {
      const { i, k } = read(name)
      return put(i, turnedNode(parsed[i]!, k))
    },
    removed(name) {
      const { i, k, which } = read(name)
      const nodes = parsed[i]!
      if (which) return put(i, movedHandle(nodes, k, which, nodes[k]!.at))
      if (nodes.length <= 3) return { shapes: shapes.filter((_, n) => n !== i) }
      return put(
        i,
        nodes.filter((_, n) => n !== k),
      )
    },
  }
}

/** The handles of a part, for the sources that have some. */
export function partShape(part: Part, selected: string | null = null): Shape | null {
  if (part.source === 'pool') return pool(part)
  if (part.source === 'fade') return line(part, 'fade', false)
  return part.source === 'outline' ? outline(part, selected) : null
}
