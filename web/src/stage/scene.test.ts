import { expect, it } from 'vitest'
import { boxOf } from './geometry'
import { covers, extent, laidAt, type Scene } from './scene'

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

it('knows whether a view holds all of the picture that is on the stage', () => {
  const seen = { width: 1000, height: 800, x: 50, y: 50, w: 900, h: 700 }
  expect(covers(whole, scene)).toBe(true)
  expect(covers(seen, scene)).toBe(true)
  expect(covers({ ...seen, x: 60, w: 890 }, scene)).toBe(false)
  // Moved on, the same view lies beside what is seen now; beyond the picture there is nothing to see.
  expect(covers(seen, { ...scene, view: { zoom: 0.5, x: 1100, y: 800 } })).toBe(false)
  expect(covers(whole, { ...scene, view: { zoom: 0.5, x: 100, y: 100 } })).toBe(true)
})

it('finds where on the stage a coverage lies', () => {
  const data = new Uint8ClampedArray(4 * 20 * 10)
  for (const [x, y] of [
    [4, 3],
    [9, 7],
  ] as const)
    data[4 * (20 * y + x) + 3] = 1
  const box = boxOf({ data, width: 20, height: 10 } as ImageData)
  expect(box).toEqual({ x: 4, y: 3, w: 6, h: 5 })
  expect(boxOf({ data: new Uint8ClampedArray(80), width: 5, height: 4 } as ImageData)).toBe(null)
  // Twenty pixels for a thousand of the screen's, moved with the view, cut at the stage.
  const alpha = { width: 20, height: 16 } as ImageBitmap
  const at = extent(
    { w: 300, h: 700 },
    { alpha, frame: { ...whole, width: 20, height: 16, w: 20, h: 16 }, box },
    [],
    scene,
    0,
  )
  expect(at).toEqual({ x: 149, y: 99, w: 151, h: 251 })
  expect(extent({ w: 900, h: 700 }, null, [], scene)).toBe(null)
})
