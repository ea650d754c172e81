import { describe, expect, it } from 'vitest'
import type { Source } from '../api/client'
import { foundArea, foundPart, named, namesOf, onFace } from './found'

const faces = [
  { number: 1, parts: ['face', 'skin', 'teeth'] },
  { number: 2, parts: ['face', 'hair'] },
]

describe('what was found', () => {
  it('is named in the order of the column, for one face or for all', () => {
    expect(namesOf(faces, true, 0)).toEqual(['person', 'face', 'skin', 'teeth', 'hair', 'backdrop'])
    expect(namesOf(faces, true, 2)).toEqual(['person', 'face', 'hair', 'backdrop'])
    expect(namesOf([], false, 0)).toEqual([])
  })

  it('becomes a part of the right source', () => {
    expect(foundPart('teeth', 2)).toMatchObject({ source: 'face-part', part: 'teeth', of: 2 })
    expect(foundPart('backdrop', 2)).toMatchObject({ source: 'person', part: 'backdrop', of: 0 })
  })

  it('says whose it is where there are several', () => {
    expect(foundArea('skin', 0).name).toBe('the skin')
    expect(foundArea('skin', 2).name).toBe('the skin of face 2')
    const people = named(undefined, 2, ' Bass 3 ')
    expect(foundArea('skin', 2, people).name).toBe('the skin of Bass 3')
    expect(foundArea('skin', 1, people).name).toBe('the skin of face 1')
  })
})

describe('what is placed by hand', () => {
  const source = (...names: string[]) => ({ settings: names.map((name) => ({ name })) }) as Source
  const two = [{ box: [0.1, 0.1, 0.1, 0.1] }, { box: [0.4, 0.2, 0.2, 0.3] }]

  it('begins on the largest face, sized to it', () => {
    const pool = onFace(source('centre', 'radii', 'turn'), two)
    expect(pool.centre).toEqual([0.5, 0.35])
    expect(pool.radii).toEqual([expect.closeTo(0.12), expect.closeTo(0.18)])
    expect(onFace(source('start', 'end'), two)).toEqual({ start: [0.5, 0.2], end: [0.5, 0.5] })
  })
  it('begins as the catalogue says where no face is known, or if it has no place', () => {
    expect(onFace(source('centre', 'radii'), [])).toEqual({})
    expect(onFace(source('ramp'), two)).toEqual({})
  })
})
