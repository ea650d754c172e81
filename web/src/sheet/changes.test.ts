import { describe, expect, it } from 'vitest'
import { applied, Lost } from './changes'

const sheet = {
  areas: [{ id: 'a1', parts: [{ id: 'p1', strokes: [1, 2] }] }],
  touches: [
    { id: 't1', settings: { ev: 0 } },
    { id: 't2', settings: { ev: 1 } },
  ],
}

describe('applied', () => {
  it('puts a value by ids and leaves the old sheet as it was', () => {
    const next = applied(sheet, [
      { op: 'put', path: ['touches', 't2', 'settings', 'ev'], value: 2, gone: false },
    ])
    expect(next.touches[1]!.settings.ev).toBe(2)
    expect(sheet.touches[1]!.settings.ev).toBe(1)
    expect(next.touches[0]).toBe(sheet.touches[0])
    expect(next.areas).toBe(sheet.areas)
  })

  it('inserts at the end without an index, and removes by index where items carry no id', () => {
    const path = ['areas', 'a1', 'parts', 'p1', 'strokes']
    const longer = applied(sheet, [{ op: 'insert', path, item: 3 }])
    expect(longer.areas[0]!.parts[0]!.strokes).toEqual([1, 2, 3])
    const shorter = applied(longer, [{ op: 'remove', path: [...path, 0] }])
    expect(shorter.areas[0]!.parts[0]!.strokes).toEqual([2, 3])
  })

  it('moves an item to where it shall stand afterwards', () => {
    const next = applied(sheet, [{ op: 'move', path: ['touches', 't1'], into: ['touches'], index: 1 }])
    expect(next.touches.map((t) => t.id)).toEqual(['t2', 't1'])
  })

  it('says so when the place of the change is gone', () => {
    expect(() => applied(sheet, [{ op: 'remove', path: ['touches', 'gone'] }])).toThrow(Lost)
    expect(() => applied(sheet, [{ op: 'insert', path: ['areas', 'zz', 'parts'], item: {} }])).toThrow(Lost)
  })
})
