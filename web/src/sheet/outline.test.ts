import { describe, expect, it } from 'vitest'
import {
  movedHandle,
  movedNode,
  nodesOf,
  parsePath,
  shapeThrough,
  stepsOf,
  turnedNode,
  writePath,
} from './outline'

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
    expect(nodesOf(smooth).map((n) => n.at)).toEqual(square)
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
    expect(parsePath('M0 0L1 0L1 1ZM2 2L3 2L3 3Z')).toBeNull()
    expect(parsePath('M.1,.2 L1e-1-0.3 Z')).toEqual([
      { to: [0.1, 0.2], c: null },
      { to: [0.1, -0.3], c: null },
    ])
  })
  it('takes the handles of a moved point along, also where it closes', () => {
    const smooth = nodesOf(parsePath(shapeThrough(square, true))!)
    const moved = movedNode(smooth, 0, [0.1, 0.1])
    expect(moved.slice(1)).toEqual(smooth.slice(1))
    const steps = stepsOf(moved)
    expect(steps[0]!.to).toEqual([0.1, 0.1])
    expect(steps[4]!.to).toEqual([0.1, 0.1])
    expect(steps[1]!.c![0]).toEqual([smooth[0]!.out![0] + 0.1, smooth[0]!.out![1] + 0.1])
    expect(steps[4]!.c![1]).toEqual([smooth[0]!.in![0] + 0.1, smooth[0]!.in![1] + 0.1])
  })
  it('mixes corners and smooth points, drawn so or turned later', () => {
    const mixed = shapeThrough(square, true, [true, true, false, false])
    expect(mixed).toMatch(/^M0 0L0.4 0C/)
    const nodes = nodesOf(parsePath(mixed)!)
    expect(nodes.map((n) => !!(n.in || n.out))).toEqual([false, false, true, true])
    const turned = turnedNode(turnedNode(nodes, 0), 2)
    expect(turned.map((n) => !!(n.in || n.out))).toEqual([true, false, false, true])
    const allSmooth = turnedNode(turnedNode(nodes, 0), 1)
    expect(writePath(stepsOf(allSmooth))).toBe(shapeThrough(square, true))
  })
  it('turns the other handle of a smooth point along, and leaves that of a broken one', () => {
    const nodes = nodesOf(parsePath(shapeThrough(square, true))!)
    const [x, y] = nodes[1]!.at
    const pulled = movedHandle(nodes, 1, 'out', [x + 0.2, y])
    const length = (p: Place) => Math.hypot(p[0] - x, p[1] - y)
    expect(pulled[1]!.in![1]).toBeCloseTo(y)
    expect(pulled[1]!.in![0]).toBeLessThan(x)
    expect(length(pulled[1]!.in!)).toBeCloseTo(length(nodes[1]!.in!))
    const broken = movedHandle(pulled, 1, 'in', [x, y])
    expect(broken[1]!.in).toBeNull()
    expect(movedHandle(broken, 1, 'out', [x, y + 0.1])[1]!.in).toBeNull()
  })
})
