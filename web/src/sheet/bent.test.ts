import { describe, expect, it } from 'vitest'
import { back, type BentLayer, forth, readBent } from './bent'

/** A push to the right about the middle of a square picture, by at most `by`; the rest of the grid lies still. */
function pushed(by: number, covered: Uint8Array | null = null): BentLayer {
  const [size, from, w] = [64, 16, 32]
  const moves = new Float32Array(2 * w * w)
  for (let r = 0; r < w; r++)
    for (let c = 0; c < w; c++) {
      const away = Math.hypot(c - 15.5, r - 15.5) / 15
      moves[2 * (r * w + c)] = -by * Math.max(0, 1 - away * away) ** 2
    }
  return { width: size, height: size, x: from, y: from, w, h: w, moves, covered }
}
const PIXEL = 1 / 5000

describe('the map of shapes', () => {
  it('finds every place again within a twentieth of a pixel', () => {
    const layers = [pushed(0.06), pushed(-0.03)]
    for (let x = 0.02; x < 1; x += 0.03)
      for (let y = 0.02; y < 1; y += 0.03) {
        const [fx, fy] = forth(layers, back(layers, [x, y]))
        expect(Math.hypot(fx - x, fy - y)).toBeLessThan(0.05 * PIXEL)
      }
  })
  it('takes content from where it was pushed, and leaves what lies far away to the bit', () => {
    expect(back([pushed(0.05)], [0.5, 0.5])[0]).toBeCloseTo(0.45, 3)
    expect(back([pushed(0.05)], [0.1, 0.9])).toEqual([0.1, 0.9])
    expect(forth([pushed(0.05)], [0.1, 0.9])).toEqual([0.1, 0.9])
  })
  it('points at the thing where it lies now, and at its surroundings where it does not', () => {
    // The right half of what is pushed is no part of the thing.
    const covered = new Uint8Array(32 * 32).map((_, i) => (i % 32 < 16 ? 255 : 0))
    const layers = [pushed(0.05, covered)]
    const [thing, beside] = [back(layers, [0.5, 0.5]), back(layers, [0.6, 0.5])]
    expect(thing[0]).toBeLessThan(0.46)
    expect(beside).toEqual([0.6, 0.5])
    expect(forth(layers, thing)[0]).toBeCloseTo(0.5, 6)
    expect(forth(layers, beside)).toEqual([0.6, 0.5])
  })
  it('reads what the server tells', () => {
    const body = new Uint8Array([...new Uint8Array(new Float32Array([0.5, 0, 0, 0.25]).buffer), 255, 0])
    const [layer] = readBent([[8, 8, 3, 4, 1, 2, 1]], body.buffer)
    expect([...layer!.moves]).toEqual([0.5, 0, 0, 0.25])
    expect([...layer!.covered!]).toEqual([255, 0])
  })
})
