import { describe, expect, it } from 'vitest'
import { fitted, frameOf, placeOf, toPicture, toStage, zoomed } from './geometry'

const stage = { w: 800, h: 600 }
const picture = { w: 2400, h: 3000 }

describe('the view', () => {
  it('keeps the point under the pointer when it zooms', () => {
    const view = fitted(stage, picture)
    const at = { x: 333, y: 120 }
    const before = toPicture(view, at, stage)
    const after = toPicture(zoomed(view, 1, at, stage), at, stage)
    expect(after.x).toBeCloseTo(before.x, 6)
    expect(after.y).toBeCloseTo(before.y, 6)
  })
  it('goes to the picture and back', () => {
    const view = { zoom: 0.7, x: 1000, y: 900 }
    const back = toStage(view, toPicture(view, { x: 10, y: 20 }, stage), stage)
    expect(back.x).toBeCloseTo(10, 9)
    expect(back.y).toBeCloseTo(20, 9)
  })
})

describe('frames', () => {
  it('hold the whole picture when it fits', () => {
    const frame = frameOf(fitted(stage, picture), stage, picture, 1)!
    expect([frame.x, frame.y]).toEqual([0, 0])
    expect([frame.w, frame.h]).toEqual([frame.width, frame.height])
  })
  it('are never finer than the picture, and lie where they belong', () => {
    const view = { zoom: 2, x: 1200, y: 1500 }
    const frame = frameOf(view, stage, picture, 2)!
    expect(frame.width).toBe(2400)
    expect(placeOf(frame, view, stage, picture)).toEqual({ x: 0, y: 0, w: 800, h: 600 })
  })
  it('are nothing beside the picture', () => {
    expect(frameOf({ zoom: 1, x: -2000, y: 0 }, stage, picture, 1)).toBeNull()
  })
  it('cover a dab on the same grid as the view', () => {
    const view = { zoom: 0.5, x: 1200, y: 1500 }
    const whole = frameOf(view, stage, picture, 1)!
    const dab = frameOf(view, stage, picture, 1, { x: 1000, y: 1400, w: 101, h: 99 })!
    expect([dab.width, dab.height]).toEqual([whole.width, whole.height])
    expect([dab.x, dab.y, dab.w, dab.h]).toEqual([500, 700, 51, 50])
  })
})
