import { describe, expect, it } from 'vitest'
import { patchesShape } from './patches'
import { movedPatch, patchWords, placeOf, wholePixels } from '../sheet/patches'
import type { Patch, Touch } from '../sheet/types'

const stroke = {
  size: 0.02,
  softness: 0.5,
  flow: 1,
  ceiling: 1,
  erase: false,
  pressure: 'none' as const,
  fill_inside: false,
}
const patch = (more: Partial<Patch> = {}): Patch => ({
  id: 'm1',
  way: 'heal',
  of: 'everything',
  source: [0.1, 0.05],
  turn: 0,
  mirror: false,
  scale: 1,
  colour: '#808080',
  strength: 1,
  forms: 0,
  on: true,
  strokes: [
    { ...stroke, points: [[0.4, 0.3, 1], [0.42, 0.31, 0.5]] },
    { ...stroke, points: [[0.5, 0.3, 1]] },
  ],
  ...more,
}) // prettier-ignore
const filled = patch({
  id: 'm2',
  way: 'fill',
  source: null,
  strokes: [],
  filling: { unit: 100, x: 20, y: 30, w: 10, h: 20, offsets: [[0.1, 0]], labels: '' },
})
const repair = (patches: Patch[]) => ({ kind: 'repair', settings: { patches } }) as unknown as Touch

describe('patches', () => {
  it('say what they do, on which half, and what they still want', () => {
    expect(patchWords(patch({ of: 'shading' }))).toBe('healed, the shading alone')
    expect(patchWords(patch({ source: null }))).toContain('no source yet')
    expect(patchWords({ ...filled, filling: null })).toContain('not filled yet')
  })

  it('move as a whole, with their pressure, and their source goes along', () => {
    const { strokes } = movedPatch(patch(), [0.5, 0.2])
    expect(strokes.map((s) => s.points)).toEqual([
      [[0.5, 0.2, 1], [0.52, 0.21, 0.5]],
      [[0.6, 0.2, 1]],
    ]) // prettier-ignore
  })

  it('keep sources in whole pixels of the original', () => {
    const [x, y] = wholePixels([0.10037, -0.0502], 3000)
    expect([x * 3000, y * 3000]).toEqual([301, -151])
  })

  it('are taken hold of where they begin, or in the middle of what is filled', () => {
    expect(placeOf(patch())).toEqual([0.4, 0.3])
    expect(placeOf(filled)).toEqual([0.25, 0.4])
  })

  it('show the source of the one that is picked up; dragging it changes that one alone', () => {
    const shape = patchesShape(repair([patch(), filled]), 'm1')
    expect(shape.handles.map((h) => h.name)).toEqual(['patch m1', 'patch m2', 'source'])
    const moved = shape.moved('source', [0.6, 0.3]) as { id: string; changes: { source: number[] } }
    expect(moved.id).toBe('m1')
    expect(moved.changes.source[0]).toBeCloseTo(0.2)
  })
})
