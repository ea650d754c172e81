import { describe, expect, it } from 'vitest'
import { cssGradient, readHex, withStop } from './colours'
import { histogramPath } from './histogram'

describe('typed colours', () => {
  it('may lack their sign or be short, and are refused otherwise', () => {
    expect(readHex(' #C8A080 ')).toBe('#c8a080')
    expect(readHex('c8a')).toBe('#cc88aa')
    for (const wrong of ['', '#12345', 'skin', '#gggggg']) expect(readHex(wrong)).toBeNull()
  })
})

describe('a gradient', () => {
  const stops = [
    { at: 1, colour: '#ffffff' },
    { at: 0, colour: '#000000' },
  ]
  it('is drawn in the order of its stops, or backwards', () => {
    expect(cssGradient(stops, false)).toContain('#000000 0.0%, #ffffff 100.0%')
    expect(cssGradient(stops, true)).toContain('#ffffff 0.0%, #000000 100.0%')
  })
  it('gets a new stop of the colour that is there', () => {
    expect(withStop(stops, 0.5)[2]).toEqual({ at: 0.5, colour: '#808080' })
    expect(withStop([{ at: 0.4, colour: '#123456' }], 0.9)[1]!.colour).toBe('#123456')
  })
})

describe('a histogram', () => {
  it('is as wide as its field and as high as its most frequent tone', () => {
    expect(histogramPath([0, 1], 10, 4)).toBe('M0 4L0.0 4.0H5.0L5.0 0.0H10.0V4Z')
    expect(histogramPath([], 10, 4)).toBe('')
  })
})
