type Place = [number, number]

/** A point of a closed outline, and the two handles of the curve that leads to it; null: a straight line. */
export interface Step {
  to: Place
  c: [Place, Place] | null
}

const figure = (v: number) => String(Number(v.toFixed(4)))
const pair = (p: Place) => `${figure(p[0])} ${figure(p[1])}`

/** Read path data of one closed shape in M, L, C and Z; null if it holds anything else (it is shown, not edited). */
export function parsePath(data: string): Step[] | null {
  if (!/^[MLCZ\d\s,.e+-]*$/.test(data) || data.lastIndexOf('M') > data.indexOf('M')) return null
  const steps: Step[] = []
  const rest = data.replace(/([MLCZ])([^MLCZ]*)/g, (_, command: string, text: string) => {
    const n = (text.match(/-?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?/gi) ?? []).map(Number)
    if (command === 'C')
      for (let i = 0; i + 5 < n.length; i += 6)
        steps.push({ to: [n[i + 4]!, n[i + 5]!], c: [[n[i]!, n[i + 1]!], [n[i + 2]!, n[i + 3]!]] }) // prettier-ignore
    else for (let i = 0; i + 1 < n.length; i += 2) steps.push({ to: [n[i]!, n[i + 1]!], c: null })
    return ''
  })
  return rest.trim() || !steps.length ? null : steps
}

export function writePath(steps: Step[]): string {
  const parts = steps.map((s, i) =>
    i === 0 ? `M${pair(s.to)}` : s.c ? `C${s.c.map(pair).join(' ')} ${pair(s.to)}` : `L${pair(s.to)}`,
  )
  return `${parts.join('')}Z`
}

/** A point of a closed outline with the handles where the curve comes in and goes out; null: it runs straight there. */
export interface Node {
  at: Place
  in: Place | null
  out: Place | null
}
const same = (a: Place, b: Place) => a[0] === b[0] && a[1] === b[1]
const plus = (a: Place, b: Place): Place => [a[0] + b[0], a[1] + b[1]]
const minus = (a: Place, b: Place): Place => [a[0] - b[0], a[1] - b[1]]
const times = (a: Place, by: number): Place => [a[0] * by, a[1] * by]

/** The points of a closed outline; a curve that comes back to the first has it once. */
export function nodesOf(steps: Step[]): Node[] {
  const [first, last] = [steps[0]!, steps[steps.length - 1]!]
  const all = steps.length > 1 && same(first.to, last.to) ? steps : [...steps, { to: first.to, c: null }]
  const apart = (handle: Place | undefined, at: Place) => (handle && !same(handle, at) ? handle : null)
  return all.slice(0, -1).map(({ to }, k) => ({
    at: to,
    in: apart(all[k || all.length - 1]!.c?.[1], to),
    out: apart(all[k + 1]!.c?.[0], to),
  }))
}

export function stepsOf(nodes: Node[]): Step[] {
  const steps = [...nodes, nodes[0]!].map(({ at, in: into }, i): Step => {
    const before = i ? nodes[i - 1]! : null
    return { to: at, c: before && (before.out || into) ? [before.out ?? before.at, into ?? at] : null }
  })
  return steps[steps.length - 1]!.c ? steps : steps.slice(0, -1)
}

/** With one point moved; its handles go along. */
export const movedNode = (nodes: Node[], index: number, to: Place): Node[] =>
  nodes.map((node, i) => {
    if (i !== index) return node
    const by = minus(to, node.at)
    return { at: to, in: node.in && plus(node.in, by), out: node.out && plus(node.out, by) }
  })

/** Half of Catmull and Rom's tangent as a Bézier handle: a sixth of the way from the point before to the one after. */
function lean(places: Place[], index: number): Place {
  const n = places.length
  return times(minus(places[(index + 1) % n]!, places[(index + n - 1) % n]!), 1 / 6)
}

/** With a smooth point made a corner, or a corner made smooth. */
export const turnedNode = (nodes: Node[], index: number): Node[] =>
  nodes.map((node, i) => {
    if (i !== index) return node
    if (node.in || node.out) return { at: node.at, in: null, out: null }
    const by = lean(
      nodes.map((n) => n.at),
      index,
    )
    return { at: node.at, in: minus(node.at, by), out: plus(node.at, by) }
  })

/** With one handle of a point moved; at a smooth point the other one turns along and keeps its length. */
export const movedHandle = (nodes: Node[], index: number, which: 'in' | 'out', to: Place): Node[] =>
  nodes.map((node, i) => {
    if (i !== index) return node
    const other = which === 'in' ? 'out' : 'in'
    const [held, far] = [node[which], node[other]]
    const next = { ...node, [which]: same(to, node.at) ? null : to }
    if (!held || !far || !next[which]) return next
    const [a, b, now] = [minus(held, node.at), minus(far, node.at), minus(to, node.at)]
    const smooth = a[0] * b[0] + a[1] * b[1] < -0.999 * Math.hypot(...a) * Math.hypot(...b)
    if (smooth) next[other] = minus(node.at, times(now, Math.hypot(...b) / Math.hypot(...now)))
    return next
  })

/** A closed shape through points: straight, or smooth (Catmull and Rom's spline as Bézier curves) but at its corners. */
export function shapeThrough(points: Place[], smooth: boolean, corners: boolean[] = []): string {
  const nodes = points.map((at, i): Node => {
    if (!smooth || points.length < 3 || corners[i]) return { at, in: null, out: null }
    const by = lean(points, i)
    return { at, in: minus(at, by), out: plus(at, by) }
  })
  return writePath(stepsOf(nodes))
}
