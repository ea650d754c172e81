import { expect, it } from 'vitest'
import { laidAt, type Scene } from './scene'

const scene: Scene = {
  view: { zoom: 0.5, x: 1000.3, y: 800.7 },
  stage: { w: 900, h: 700 },
  picture: { w: 2000, h: 1600 },
  ratio: 1,
}
/** All of the picture as it is shown: a pixel for each of the screen's. */
const whole = { width: 1000, height: 800, x: 0, y: 0, w: 1000, h: 800 }

it('lays a picture of the screen’s own pixels on whole ones', () => {
  const [x, y, w, h] = laidAt({ width: 1000, height: 800 }, whole, scene)
  expect([w, h]).toEqual([1000, 800])
  expect([x, y].every(Number.isInteger)).toBe(true)
})

it('lays a coarser one where it belongs, to the fraction', () => {
  const coarse = { width: 500, height: 400, x: 0, y: 0, w: 500, h: 400 }
  const [x, , w] = laidAt({ width: 500, height: 400 }, coarse, scene)
  expect(w).toBeCloseTo(1000, 6)
  expect(Number.isInteger(x)).toBe(false)
})
