import { describe, expect, it } from 'vitest'
import {
  cropRect,
  draggedRect,
  type Geometry,
  levelBy,
  Placing,
  shapedRect,
  shrunkInto,
  turnedBy,
  UPRIGHT,
  withCrop,
  wordsOf,
} from './turning'

const CUT: Geometry = { turns: 1, straighten: -6, crop: { centre: [0.4, 0.3], size: [0.3, 0.2] } }
const near = (one: readonly number[], other: readonly number[]) =>
  one.forEach((v, i) => expect(v).toBeCloseTo(other[i]!, 9))

describe('where the finished picture lies on the original', () => {
  it('is the whole of it without a geometry', () => {
    const whole = new Placing(UPRIGHT, 600, 400)
    expect(whole.size).toEqual({ w: 600, h: 400 })
    near(whole.back([0.2, 0.1]), [0.2, 0.1])
  })
  it('is on its side after a quarter: its top left comes from the bottom left', () => {
    const turned = new Placing({ ...UPRIGHT, turns: 1 }, 600, 400)
    expect(turned.size).toEqual({ w: 400, h: 600 })
    near(turned.back([0, 0]), [0, 400 / 600])
    near(turned.back([0, 1]), [1, 400 / 600])
  })
  it('leads back and forth', () => {
    const placing = new Placing(CUT, 600, 400)
    near(placing.forth(placing.back([0.11, 0.07])), [0.11, 0.07])
  })
  it('never reaches beyond the picture', () => {
    const far = new Placing(
      { turns: 0, straighten: 10, crop: { centre: [0.95, 0.6], size: [0.5, 0.4] } },
      600,
      400,
    )
    const [, , w, h] = far.box
    for (const corner of [
      [0, 0],
      [w, 0],
      [0, h],
      [w, h],
    ] as const) {
      const [x, y] = far.back(corner)
      expect(x).toBeLessThanOrEqual(1 + 1e-9)
      expect(y).toBeLessThanOrEqual(400 / 600 + 1e-9)
    }
    expect(w / h).toBeCloseTo(0.5 / 0.4, 9)
  })
})

describe('cropping', () => {
  it('reads a crop as a rectangle of the turned picture and writes it back', () => {
    const rect = cropRect(CUT, 600, 400)
    expect([rect.w, rect.h]).toEqual([0.3, 0.2])
    expect(withCrop(CUT, rect, 600, 400)).toEqual(CUT)
    const all = cropRect({ ...CUT, crop: null }, 600, 400)
    expect(withCrop(CUT, all, 600, 400).crop).toBeNull()
  })
  it('keeps proportions while a corner or a side is dragged, and stays within', () => {
    const rect = { x: 0.2, y: 0.1, w: 0.4, h: 0.3 }
    for (const grip of [
      [1, 1],
      [-1, 1],
      [0, -1],
      [1, 0],
    ] as const)
      for (const by of [
        [0.1, 0.02],
        [-0.15, 0.4],
        [3, 3],
      ] as const) {
        const now = draggedRect(rect, grip, by, [1, 0.7], 4 / 3)
        expect(now.w / now.h).toBeCloseTo(4 / 3, 9)
        expect(Math.min(now.x, now.y)).toBeGreaterThanOrEqual(-1e-9)
        expect(now.x + now.w).toBeLessThanOrEqual(1 + 1e-9)
        expect(now.y + now.h).toBeLessThanOrEqual(0.7 + 1e-9)
      }
    const wider = draggedRect(rect, [1, 0], [0.1, 9], [1, 0.7], null)
    near([wider.x, wider.y, wider.w, wider.h], [0.2, 0.1, 0.5, 0.3])
    const moved = draggedRect(rect, [0, 0], [9, -9], [1, 0.7], null)
    near([moved.x, moved.y, moved.w, moved.h], [0.6, 0, 0.4, 0.3])
  })
  it('is pushed back onto the picture that straightening leaves, with its proportions', () => {
    const now = shrunkInto({ x: -0.1, y: 0.5, w: 1.2, h: 0.6 }, 1, 0.7)
    near([now.w, now.h], [1, 0.5])
    near([now.x, now.y], [0, 0.2])
    expect(shrunkInto({ x: 0.1, y: 0.1, w: 0.3, h: 0.2 }, 1, 0.7)).toEqual({ x: 0.1, y: 0.1, w: 0.3, h: 0.2 })
  })
  it('takes a shape about its middle', () => {
    const square = shapedRect({ x: 0.2, y: 0.1, w: 0.4, h: 0.3 }, 1, 1, 0.7)
    expect(square.w).toBeCloseTo(square.h, 9)
    expect(square.x + square.w / 2).toBeCloseTo(0.4, 9)
  })
})

it('is levelled along a drawn line, whichever way it was drawn', () => {
  expect(levelBy(10, -1)).toBeCloseTo(5.71, 1)
  expect(levelBy(-10, 1)).toBeCloseTo(5.71, 1)
  expect(levelBy(1, 10)).toBeCloseTo(5.71, 1)
  expect(levelBy(10, 0)).toBeCloseTo(0, 9)
})

it('is turned with what was cut out, and says what was done', () => {
  expect(turnedBy(turnedBy(CUT, 1), -1)).toEqual(CUT)
  expect(wordsOf(UPRIGHT, turnedBy(UPRIGHT, -1))).toBe('turned to the left')
  expect(wordsOf(CUT, turnedBy(CUT, 1))).toBe('turned to the right')
  expect(wordsOf(UPRIGHT, { ...CUT, turns: 0 })).toBe('straightened to -6.0°, cropped')
})
