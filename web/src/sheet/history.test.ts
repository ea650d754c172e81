import { describe, expect, it } from 'vitest'
import { lineOf } from './history'

const edit = (id: number, parent: number | null) => ({ id, parent, words: `edit ${id}`, created: '' })
const tree = [edit(1, null), edit(2, 1), edit(3, 2), edit(4, 2), edit(5, 4), edit(6, 3)]

describe('the way through the history', () => {
  it('goes through where the sheet stands and on to the newest end', () => {
    const line = lineOf(tree, 2)
    expect(line.map((t) => t.edit?.id ?? 0)).toEqual([0, 1, 2, 4, 5])
    expect(line.map((t) => t.ahead)).toEqual([false, false, false, true, true])
    expect(line[2]!.branches).toEqual([{ tip: tree[5], count: 2 }])
  })
  it('follows the branch it stands on', () => {
    const line = lineOf(tree, 6)
    expect(line.map((t) => t.edit?.id ?? 0)).toEqual([0, 1, 2, 3, 6])
    expect(line[2]!.branches).toEqual([{ tip: tree[4], count: 2 }])
  })
  it('from the beginning shows what can be done again', () => {
    expect(lineOf(tree, null).map((t) => t.edit?.id ?? 0)).toEqual([0, 1, 2, 4, 5])
    expect(lineOf([], null)).toEqual([{ edit: null, number: 0, ahead: false, branches: [] }])
  })
})
