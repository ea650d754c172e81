/** A curve through points, for drawing it: the same monotone spline that the server's rule uses (Fritsch–Butland). */
export type Points = [number, number][]

export function spline(points: Points): (x: number) => number {
  const n = points.length
  const h = points.slice(1).map((p, i) => p[0] - points[i]![0])
  const slope = points.slice(1).map((p, i) => (p[1] - points[i]![1]) / h[i]!)
  const d = points.map((_, i) => {
    if (n === 2) return slope[0]!
    if (i === 0) return end(h[0]!, h[1]!, slope[0]!, slope[1]!)
    if (i === n - 1) return end(h[n - 2]!, h[n - 3]!, slope[n - 2]!, slope[n - 3]!)
    const [a, b] = [slope[i - 1]!, slope[i]!]
    if (a * b <= 0) return 0
    const [w1, w2] = [2 * h[i]! + h[i - 1]!, h[i]! + 2 * h[i - 1]!]
    return (w1 + w2) / (w1 / a + w2 / b)
  })
  return (x) => {
    const first = points[0]!
    const last = points[n - 1]!
    if (x <= first[0]) return first[1]
    if (x >= last[0]) return last[1]
    const i = points.findIndex((p, k) => k + 1 < n && x < points[k + 1]![0] && x >= p[0])
    const t = (x - points[i]![0]) / h[i]!
    const [y0, y1, m0, m1] = [points[i]![1], points[i + 1]![1], d[i]! * h[i]!, d[i + 1]! * h[i]!]
    return (
      y0 * (1 + 2 * t) * (1 - t) ** 2 +
      m0 * t * (1 - t) ** 2 +
      y1 * t * t * (3 - 2 * t) +
      m1 * t * t * (t - 1)
    )
  }
}

function end(h0: number, h1: number, s0: number, s1: number): number {
  const d = ((2 * h0 + h1) * s0 - h0 * s1) / (h0 + h1)
  if (d * s0 <= 0) return 0
  return s0 * s1 <= 0 && Math.abs(d) > 3 * Math.abs(s0) ? 3 * s0 : d
}

/** What a curve does, in a few words. */
export function curveWords(points: Points): string {
  const at = spline(points)
  const dark = at(0.3) - 0.3
  const bright = at(0.7) - 0.7
  const enough = 0.006
  if (Math.abs(dark) < enough && Math.abs(bright) < enough) {
    if (at(0) > enough) return 'black lifted'
    return at(1) < 1 - enough ? 'white held back' : 'as they are'
  }
  if (dark < -enough && bright > enough) return 'more contrast'
  if (dark > enough && bright < -enough) return 'less contrast'
  if (Math.abs(dark) >= 2 * Math.abs(bright)) return dark > 0 ? 'lighter shadows' : 'deeper shadows'
  if (Math.abs(bright) >= 2 * Math.abs(dark)) return bright > 0 ? 'brighter highlights' : 'calmer highlights'
  return dark + bright > 0 ? 'lighter' : 'darker'
}
