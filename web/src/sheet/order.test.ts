import { describe, expect, it } from 'vitest'
import { dropPlace, type Row } from './order'
import { type Touch, walkTouches } from './types'

const touch = (id: string, touches?: Touch[]) =>
  ({ id, kind: touches ? 'set' : 'exposure', touches }) as Touch
const sheet = [touch('a'), touch('s', [touch('b'), touch('t', [touch('c')])]), touch('d')]
const rows = walkTouches(sheet) as Row[]

/** Let `moved` go under the row `under` (none: at the top), dragged to a depth. */
function drop(moved: string, under: string | null, depth: number) {
  const shown = rows.filter((r) => !r.path.includes(moved))
  const at = shown.findIndex((r) => r.touch.id === under)
  return dropPlace(sheet, moved, shown[at], shown[at + 1], depth)
}

describe('where a dragged touch comes to stand', () => {
  it('is among the others of its list, counted without itself', () => {
    expect(drop('d', null, 0)).toEqual({ into: ['touches'], index: 0 })
    expect(drop('a', 'd', 0)).toEqual({ into: ['touches'], index: 2 })
    expect(drop('d', 'a', 0)).toEqual({ into: ['touches'], index: 1 })
  })

  it('is within a set where its neighbours are, however far aside it was dragged', () => {
    expect(drop('d', 's', 0)).toEqual({ into: ['touches', 's', 'touches'], index: 0 })
    expect(drop('a', 'b', 0)).toEqual({ into: ['touches', 's', 'touches'], index: 1 })
    expect(drop('a', 'b', 9)).toEqual({ into: ['touches', 's', 'touches'], index: 1 })
  })

  it('under the last of a set is in it or out of it, as far aside as it was dragged', () => {
    expect(drop('a', 'c', 2)).toEqual({ into: ['touches', 's', 'touches', 't', 'touches'], index: 1 })
    expect(drop('a', 'c', 1)).toEqual({ into: ['touches', 's', 'touches'], index: 2 })
    expect(drop('a', 'c', 0)).toEqual({ into: ['touches'], index: 1 })
    expect(drop('c', 't', 0)).toEqual({ into: ['touches'], index: 2 })
  })

  it('takes a whole set along', () => {
    expect(drop('s', 'd', 0)).toEqual({ into: ['touches'], index: 2 })
    expect(drop('t', 'a', 0)).toEqual({ into: ['touches'], index: 1 })
  })
})
