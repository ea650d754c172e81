import type { ShapeStroke } from './types'

type Does = ShapeStroke['does']

/** What strokes of a shape do: on their button, and in the history. */
export const DOES: Record<Does, { short: string; done: string }> = {
  push: { short: 'push', done: 'pushed' },
  swell: { short: 'swell', done: 'swelled' },
  'draw-in': { short: 'draw in', done: 'drew in' },
  turn: { short: 'turn', done: 'turned' },
  'turn-back': { short: 'turn back', done: 'turned the other way' },
  smooth: { short: 'smooth out', done: 'smoothed out' },
  back: { short: 'give back', done: 'gave back' },
}
/** What Alt, or the other end of a pen, makes of each. */
export const OTHERWISE: Record<Does, Does> = {
  push: 'back',
  swell: 'draw-in',
  'draw-in': 'swell',
  turn: 'turn-back',
  'turn-back': 'turn',
  smooth: 'back',
  back: 'smooth',
}
