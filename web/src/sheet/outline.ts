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
  if (!/^[MLCZ\d\s,.e+-]*$/.test(data)) return null
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

/** The points that can be moved; a curve that comes back to the first has it once. */
export function nodesOf(steps: Step[]): Place[] {
  const [first, last] = [steps[0], steps[steps.length - 1]]
  const closes = first && last && steps.length > 1 && last.to[0] === first.to[0] && last.to[1] === first.to[1]
  return (closes ? steps.slice(0, -1) : steps).map((s) => s.to)
}

/** With one point moved; the handles beside it go along. */
export function movedNode(steps: Step[], index: number, to: Place): Step[] {
  const from = steps[index]!.to
  const [dx, dy] = [to[0] - from[0], to[1] - from[1]]
  const along = (p: Place): Place => [p[0] + dx, p[1] + dy]
  const last = steps.length - 1
  const closes = index === 0 && last > 0 && steps[last]!.to[0] === from[0] && steps[last]!.to[1] === from[1]
  return steps.map((step, i) => {
    const own = i === index || (closes && i === last)
    const after = i === index + 1
    if (!own && !after) return step
    const c: Step['c'] = step.c && [after ? along(step.c[0]) : step.c[0], own ? along(step.c[1]) : step.c[1]]
    return { to: own ? to : step.to, c }
  })
}

/** A closed shape through points: straight, or smooth (Catmull and Rom's spline as Bézier curves). */
export function shapeThrough(points: Place[], smooth: boolean): string {
  if (!smooth || points.length < 3) return writePath(points.map((to) => ({ to, c: null })))
  const n = points.length
  const at = (i: number) => points[(i + n) % n]!
  const lean = (i: number): Place => [(at(i + 1)[0] - at(i - 1)[0]) / 6, (at(i + 1)[1] - at(i - 1)[1]) / 6]
  const steps: Step[] = [{ to: at(0), c: null }]
  for (let i = 1; i <= n; i++) {
    const [a, b] = [lean(i - 1), lean(i)]
    const c: [Place, Place] = [
      [at(i - 1)[0] + a[0], at(i - 1)[1] + a[1]],
      [at(i)[0] - b[0], at(i)[1] - b[1]],
    ]
    steps.push({ to: at(i), c })
  }
  return writePath(steps)
}
