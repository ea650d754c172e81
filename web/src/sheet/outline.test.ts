import { describe, expect, it } from 'vitest'
import { movedNode, nodesOf, parsePath, shapeThrough, writePath } from './outline'

type Place = [number, number]
const square: Place[] = [
  [0, 0],
  [0.4, 0],
  [0.4, 0.4],
  [0, 0.4],
]

describe('an outline', () => {
  it('through points is straight, or smooth and still passes through them', () => {
    expect(shapeThrough(square, false)).toBe('M0 0L0.4 0L0.4 0.4L0 0.4Z')
    const smooth = parsePath(shapeThrough(square, true))!
    expect(nodesOf(smooth)).toEqual(square)
    expect(smooth).toHaveLength(5)
    // At every point the curve comes in and goes out in one direction.
    for (let i = 1; i < 4; i++) {
      const [x, y] = smooth[i]!.to
      const [into, out] = [smooth[i]!.c![1], smooth[i + 1]!.c![0]]
      expect(out[0] - x).toBeCloseTo(x - into[0])
      expect(out[1] - y).toBeCloseTo(y - into[1])
    }
  })
  it('comes back from its path data as it was', () => {
    const data = shapeThrough(square, true)
    expect(writePath(parsePath(data)!)).toBe(data)
    expect(parsePath('M0 0Q1 1 2 2Z')).toBeNull()
    expect(parsePath('M.1,.2 L1e-1-0.3 Z')).toEqual([
      { to: [0.1, 0.2], c: null },
      { to: [0.1, -0.3], c: null },
    ])
  })
  it('takes the handles of a moved point along, also where it closes', () => {
    const smooth = parsePath(shapeThrough(square, true))!
    const moved = movedNode(smooth, 0, [0.1, 0.1])
    expect(moved[0]!.to).toEqual([0.1, 0.1])
    expect(moved[4]!.to).toEqual([0.1, 0.1])
    expect(nodesOf(moved).slice(1)).toEqual(square.slice(1))
    const before = smooth[1]!.c![0]
    expect(moved[1]!.c![0]).toEqual([before[0] + 0.1, before[1] + 0.1])
    expect(moved[1]!.c![1]).toEqual(smooth[1]!.c![1])
  })
})
