import { describe, expect, it } from 'vitest'
import type { Kind } from '../api/client'
import type { Area, Touch } from './types'
import { figure, freshName, percent, readFigure, sentence } from './words'

const ev = {
  name: 'ev', title: 'exposure', description: '', control: 'slider',
  unit: 'EV', low: -6, high: 6, soft: 3, step: 0.05, choices: [], extra: {}, fields: [], scale: 1, neutral: 0,
} // prettier-ignore
const kind: Kind = {
  kind: 'exposure', title: 'Exposure', stage: 'light', starts: [], picks: [], settings: [ev], mixes: true,
  sentence: '{ev:Brighten|Darken} {where} by {ev}',
} // prettier-ignore
const area: Area = { id: 'a1', name: 'the shadow side', parts: [], grow: 0, feather: 0, invert: false }
const touch: Touch = {
  id: 't1', kind: 'exposure', name: '', area: 'a1', on: true, strength: 1,
  limit: null, blend: 'normal', settings: { ev: 0.8 },
} // prettier-ignore

describe('sentence', () => {
  it('writes itself from what the touch does', () => {
    expect(sentence(touch, [kind], [area])).toBe('Brighten the shadow side by +0.80 EV')
    const darker = { ...touch, area: null, settings: { ev: -0.3 } }
    expect(sentence(darker, [kind], [area])).toBe('Darken the whole picture by −0.30 EV')
  })
  it('gives way to a name, and says what it does not know', () => {
    expect(sentence({ ...touch, name: 'Lift' }, [kind], [])).toBe('Lift')
    expect(sentence({ ...touch, kind: 'later' }, [kind], [])).toContain('not understood')
  })
})

describe('a set', () => {
  const inner = (of: string, where: string | null) => ({ ...touch, kind: of, area: where })
  const set = (...touches: (typeof touch)[]) => ({ ...touch, kind: 'set', name: '', area: null, touches })
  const eyes = { ...kind, kind: 'catchlight', title: 'Catchlight', stage: 'eyes' } as Kind
  const light = { ...kind, stage: 'light' } as Kind
  const places = ['eye whites', 'irises', 'lips', 'teeth'].map((name, i) => ({
    ...area,
    id: `p${i}`,
    name: `the ${name}`,
  }))

  it('is named by the stage that its touches share and by where they lie', () => {
    const one = set(inner('catchlight', 'p0'), inner('catchlight', 'p1'), inner('catchlight', 'p0'))
    expect(sentence(one, [eyes, light], places)).toBe(
      'Eyes and mouth: eye whites, irises on the whole picture',
    )
  })
  it('lists three places at most, and kinds where there is no place', () => {
    const all = set(...places.map((p) => inner('catchlight', p.id)), inner(kind.kind, null))
    expect(sentence(all, [eyes, light], places)).toBe(
      'Together: eye whites, irises, lips and 2 more on the whole picture',
    )
    expect(sentence({ ...all, name: 'Mine' }, [eyes, light], places)).toBe('Mine')
    expect(sentence(set(), [eyes], places)).toBe('Together on the whole picture')
  })
})

describe('figures', () => {
  it('never show a minus before nothing', () => {
    expect(figure(-0.001, ev)).toBe('0.00 EV')
    expect(figure(0.05, ev)).toBe('+0.05 EV')
  })
  it('are read as people type them', () => {
    expect(readFigure('−0,8 EV')).toBe(-0.8)
    expect(readFigure('+1.25')).toBe(1.25)
    expect(readFigure('.5')).toBe(0.5)
    expect(readFigure('a lot')).toBeNull()
  })
})

describe('names and shares', () => {
  it('are not given twice', () => {
    expect(freshName([{ ...area, name: 'the painted area' }])).toBe('the painted area 2')
  })
  it('tell very small from nothing', () => {
    expect(percent(0)).toBe('0.0 %')
    expect(percent(0.0004)).toBe('under 0.1 %')
    expect(percent(0.061)).toBe('6.1 %')
  })
})
