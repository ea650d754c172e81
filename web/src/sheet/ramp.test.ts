import { describe, expect, it } from 'vitest'
import { isSharp, movedCorner, movedRamp, type Ramp, withEnds } from './ramp'

const ramp: Ramp = [0.2, 0.4, 0.6, 0.8]

describe('a ramp', () => {
  it('never folds over: corners push the others before them', () => {
    expect(movedCorner(ramp, 1, 0.7)).toEqual([0.2, 0.7, 0.7, 0.8])
    expect(movedCorner(ramp, 3, 0.1)).toEqual([0.1, 0.1, 0.1, 0.1])
    expect(movedCorner(ramp, 0, -3)).toEqual([0, 0.4, 0.6, 0.8])
  })
  it('moves as a whole until an end is reached', () => {
    expect(movedRamp(ramp, 0.1)).toEqual([0.3, 0.5, 0.7, 0.9])
    expect(movedRamp(ramp, 5)).toEqual([0.4, 0.6, 0.8, 1])
  })
  it('is cut where it let half through, and softened again', () => {
    const sharp = withEnds(ramp, true)
    expect(sharp).toEqual([0.3, 0.3, 0.7, 0.7])
    expect(isSharp(sharp)).toBe(true)
    expect(isSharp(ramp)).toBe(false)
    expect(withEnds(sharp, false)).toEqual([0.225, 0.375, 0.625, 0.775])
  })
  it('keeps black and white inside when its ends lie there', () => {
    expect(withEnds([0, 0, 0.5, 0.7], true)).toEqual([0, 0, 0.6, 0.6])
    expect(withEnds([0.3, 0.3, 1, 1], false)).toEqual([0.225, 0.375, 1, 1])
  })
})
