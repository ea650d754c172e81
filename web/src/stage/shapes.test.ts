import { describe, expect, it } from 'vitest'
import type { Part } from '../sheet/types'
import { partShape } from './shapes'

const part = (source: string, more: object): Part => ({ id: 'p', source, join: 'add', on: true, ...more })

describe('the handles of a pool', () => {
  const pool = partShape(part('pool', { centre: [0.4, 0.4], radii: [0.2, 0.1], turn: 90 }))!
  it('stand where it is turned to', () => {
    const at = Object.fromEntries(pool.handles.map((h) => [h.name, h.place]))
    expect(at.across![0]).toBeCloseTo(0.4)
    expect(at.across![1]).toBeCloseTo(0.6)
    expect(at.down![0]).toBeCloseTo(0.3)
  })
  it('turn, widen and never close it', () => {
    expect(pool.moved('across', [0.7, 0.4])).toEqual({ radii: [0.3, 0.1], turn: 0 })
    expect(pool.moved('down', [0.4, 0.4])).toEqual({ radii: [0.2, 0.004] })
    expect(pool.moved('centre', [0.1, 0.2])).toEqual({ centre: [0.1, 0.2] })
  })
})

describe('the points of an outline', () => {
  const shapes = [
    { path: 'M0 0L0.4 0L0.4 0.4L0 0.4Z', take: false },
    { path: 'M0 0L0.1 0L0.1 0.1Z', take: true },
  ]
  const outline = partShape(part('outline', { shapes }))!
  it('are removed one by one, and a shape of three goes with its point', () => {
    expect(outline.handles).toHaveLength(7)
    const less = outline.removed!('0.0') as { shapes: typeof shapes }
    expect(less.shapes[0]!.path).toBe('M0.4 0L0.4 0.4L0 0.4Z')
    expect(outline.removed!('1.2')).toEqual({ shapes: [shapes[0]] })
  })
  it('are removed from a smooth shape, the first one too', () => {
    const path = 'M0 0C0.1 0 0.2 0 0.3 0C0.4 0 0.4 0.1 0.4 0.2C0.4 0.4 0.2 0.4 0.1 0.4C0 0.3 -0.1 0 0 0Z'
    const smooth = partShape(part('outline', { shapes: [{ path, take: false }] }))!
    const less = smooth.removed!('0.0') as { shapes: typeof shapes }
    expect(less.shapes[0]!.path).toBe(
      'M0.3 0C0.4 0 0.4 0.1 0.4 0.2C0.4 0.4 0.2 0.4 0.1 0.4C0 0.3 0.2 0 0.3 0Z',
    )
  })
  it('show the handles of their curve while they are in hand', () => {
    const path = 'M0 0C0.1 0 0.2 0 0.3 0L0.3 0.3Z'
    const names = (selected: string | null) =>
      partShape(part('outline', { shapes: [{ path, take: false }] }), selected)!.handles.map((h) => h.name)
    expect(names(null)).toEqual(['0.0', '0.1', '0.2'])
    expect(names('0.0')).toContain('0.0.out')
    expect(names('0.1')).toContain('0.1.in')
    expect(names('0.2')).toHaveLength(3)
    expect(names('4.7')).toHaveLength(3)
  })
  it('are moved each by itself', () => {
    const moved = outline.moved('0.1', [0.5, 0.1]) as { shapes: typeof shapes }
    expect(moved.shapes[0]!.path).toBe('M0 0L0.5 0.1L0.4 0.4L0 0.4Z')
    expect(moved.shapes[1]).toEqual(shapes[1])
  })
})

it('a brush has no handles', () => {
  expect(partShape(part('strokes', { strokes: [] }))).toBeNull()
})
