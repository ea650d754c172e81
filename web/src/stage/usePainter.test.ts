import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Painted } from '../sheet/types'
import { usePainter } from './usePainter'

class NoCanvas {
  getContext() {
    return {
      createImageData: (width: number, height: number) => ({
        width,
        height,
        data: new Uint8ClampedArray(width * height * 4),
      }),
      putImageData: () => {},
    }
  }
}
vi.stubGlobal('OffscreenCanvas', NoCanvas)

const picture = { w: 1000, h: 800 }
const scene = () => ({ view: { zoom: 0.1, x: 500, y: 400 }, stage: { w: 100, h: 80 }, picture, ratio: 1 })
const brush = {
  size: 0.1,
  softness: 0.5,
  flow: 0.4,
  ceiling: 1,
  keep_edges: false,
  fill_inside: false,
  spare_structure: false,
  pressure: 'flow' as const,
}

let grown: number
let done: Painted[]
let takesAway = false
let laysLight = false

function painter() {
  return usePainter({
    scene,
    unit: () => 1000,
    spot: (event) => ({ x: event.clientX, y: event.clientY }),
    // A tenth of a picture of 1000 × 800 in the middle of a stage of 100 × 80.
    inPicture: ({ x, y }) => ({ x: x / 100, y: y / 100 }),
    onStage: ([x, y]) => ({ x: 100 * x, y: 100 * y }),
    brush: () => brush,
    takesAway: () => takesAway,
    paints: () => (laysLight ? 'light' : 'coverage'),
    grown: () => (grown += 1),
    done: (stroke) => void done.push(stroke),
  })
}
const at = (x: number, y: number, more: object = {}) =>
  ({
    clientX: x,
    clientY: y,
    pointerId: 1,
    pointerType: 'mouse',
    pressure: 0.5,
    ...more,
  }) as unknown as PointerEvent

beforeEach(() => {
  grown = 0
  done = []
  takesAway = laysLight = false
})

describe('the brush', () => {
  it('turns the way of the pointer into points of the picture, with full pressure for a mouse', () => {
    const hand = painter()
    hand.down(at(10, 10))
    hand.move(at(20, 10))
    hand.move(at(20.1, 10))
    hand.up(at(20, 10))
    expect(done[0]!.points).toEqual([
      [0.1, 0.1, 1],
      [0.2, 0.1, 1],
    ])
    expect([done[0]!.pressure, done[0]!.erase]).toEqual(['none', false])
    expect(hand.active()).toBe(false)
  })

  it('takes the pressure of a pen', () => {
    const hand = painter()
    hand.down(at(10, 10, { pointerType: 'pen', pressure: 0.2 }))
    hand.move(at(30, 10, { pointerType: 'pen', pressure: 0.8 }))
    hand.up(at(30, 10))
    expect(done[0]!.points.map((p) => p[2])).toEqual([0.2, 0.8])
    expect(done[0]!.pressure).toBe('flow')
  })

  it('draws straight from the last stroke with Shift, and takes away with Alt', () => {
    const hand = painter()
    hand.down(at(10, 10))
    hand.up(at(10, 10))
    hand.down(at(50, 40, { shiftKey: true, altKey: true }))
    hand.up(at(50, 40))
    expect(done[1]!.points.map((p) => p.slice(0, 2))).toEqual([
      [0.1, 0.1],
      [0.5, 0.4],
    ])
    expect(done[1]!.erase).toBe(true)
    takesAway = true
    hand.down(at(50, 40, { altKey: true }))
    hand.up(at(50, 40))
    expect(done[2]!.erase).toBe(false)
  })

  it('hands out the stroke as far as it is, under one name, until it is done', () => {
    const hand = painter()
    expect(hand.growing()).toBeNull()
    hand.down(at(10, 10))
    const { name } = hand.growing()!
    hand.move(at(30, 10))
    expect(hand.growing()).toMatchObject({ name, stroke: { points: [{}, {}] } })
    expect(grown).toBe(2)
    hand.up(at(30, 10))
    expect(hand.growing()).toBeNull()
  })

  it('lets a stroke go without a trace', () => {
    const hand = painter()
    hand.down(at(10, 10))
    expect(hand.shadows.value).toHaveLength(1)
    expect(hand.cancel()).toBe(true)
    hand.move(at(20, 10))
    hand.up(at(20, 10))
    expect([done.length, hand.shadows.value.length, hand.cancel()]).toEqual([0, 0, false])
  })

  it('keeps the shadow of a stroke until the server has it', () => {
    const hand = painter()
    hand.down(at(10, 10))
    hand.up(at(10, 10))
    const count = hand.kept()
    hand.down(at(30, 10))
    hand.forget(count)
    expect(hand.shadows.value.map((s) => s.kept)).toEqual([0])
  })

  it('lays light that is lighter or darker, and casts no shadow over it', () => {
    laysLight = true
    const hand = painter()
    for (const altKey of [false, true]) {
      hand.down(at(10, 10, { altKey }))
      hand.up(at(10, 10))
    }
    expect(done.map((s) => 'darker' in s && s.darker)).toEqual([false, true])
    expect(hand.shadows.value).toEqual([])
  })
  it('takes away with the other end of a pen, and turns round by its button', () => {
    for (const [button, away] of [
      [0, false],
      [5, true],
      [2, true],
    ] as const) {
      const paint = painter()
      paint.down(at(10, 10, { pointerType: 'pen', button }))
      paint.up(at(10, 10))
      expect((done.at(-1) as { erase: boolean }).erase).toBe(away)
    }
    takesAway = true
    const paint = painter()
    paint.down(at(10, 10, { pointerType: 'pen', button: 2 }))
    paint.up(at(10, 10))
    expect((done.at(-1) as { erase: boolean }).erase).toBe(false)
  })
})
