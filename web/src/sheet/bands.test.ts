import { describe, expect, it } from 'vitest'
import { bandName, bandsWords, between, freshBand, hueName, type Named, windowPaths } from './bands'

const names: Named = [
  ['red', 29, 34],
  ['yellow', 105, 40],
  ['blue', 260, 48],
  ['skin', 52, 44],
]

describe('hues', () => {
  it('go the short way round', () => {
    expect(between(350, 20)).toBe(30)
    expect(between(20, 350)).toBe(-30)
    expect(hueName(355, names)).toBe('red')
  })
  it('are called by the ready window only where the band is one', () => {
    expect(bandName(freshBand(52, 44), names)).toBe('skin')
    expect(bandName(freshBand(52, 30), names)).toBe('red')
  })
})

describe('what the bands do', () => {
  it('is said in a few words', () => {
    expect(bandsWords([], names)).toBe('none yet')
    expect(bandsWords([freshBand(105)], names)).toBe('not yet changed')
    const bands = [
      { ...freshBand(105), saturation: -0.4 },
      { ...freshBand(29, 34), lightness: 0.1 },
      { ...freshBand(260), hue: 5 },
    ]
    expect(bandsWords(bands, names)).toBe('less yellow, lighter red and 1 more')
  })
})

describe('a window on the strip', () => {
  it('is drawn on both ends where it lies across them', () => {
    expect(windowPaths(freshBand(180), 360, 10)).toEqual(['M140.0 10L160.0 0H200.0L220.0 10'])
    expect(windowPaths(freshBand(5), 360, 10)).toHaveLength(2)
  })
})
