import { describe, expect, it } from 'vitest'
import { Regions } from './regions'

/** Four columns and two rows: parts 0, 1, 300, 300; wholes 0, 0, 1, 1. */
const row = [
  [0, 0, 0, 255],
  [1, 0, 0, 255],
  [44, 1, 1, 255],
  [44, 1, 1, 255],
]
const regions = new Regions(4, 2, new Uint8ClampedArray([...row, ...row].flat()))

describe('regions', () => {
  it('are told by place at two levels', () => {
    expect(regions.at(0.3, 0.1, false)).toBe(1)
    expect(regions.at(0.3, 0.1, true)).toBe(0)
    expect(regions.at(0.9, 0.4, false)).toBe(300)
    expect(regions.at(0.9, 0.6, false)).toBeNull()
    expect(regions.at(-0.1, 0, true)).toBeNull()
  })

  it('have a silhouette', () => {
    expect([...regions.silhouette(300, false)]).toEqual([0, 0, 255, 255, 0, 0, 255, 255])
    expect([...regions.silhouette(0, true)]).toEqual([255, 255, 0, 0, 255, 255, 0, 0])
  })

  it('have a silhouette on the shaped picture as well', () => {
    // Everything was moved by a column to the right.
    const back = ([x, y]: readonly [number, number]) => [x - 0.25, y] as const
    expect([...regions.silhouette(300, false, { width: 4, height: 2, unit: 4, back })]).toEqual([
      0, 0, 0, 255, 0, 0, 0, 255,
    ])
  })
})
