import type { ToneLimit } from './types'

type Ramp = ToneLimit['ramp']

/** Ready tone limits; the numbers are lightness. */
export const LIMITS: { words: string; ramp: Ramp | null }[] = [
  { words: 'all tones', ramp: null },
  { words: 'dark tones', ramp: [0, 0, 0.35, 0.6] },
  { words: 'middle tones', ramp: [0.2, 0.4, 0.65, 0.85] },
  { words: 'bright tones', ramp: [0.55, 0.8, 1, 1] },
  { words: 'all but the brightest', ramp: [0, 0, 0.8, 0.95] },
  { words: 'all but the darkest', ramp: [0.08, 0.3, 1, 1] },
]

export function sameRamp(ramp: Ramp | null, limit: ToneLimit | null): boolean {
  return JSON.stringify(ramp) === JSON.stringify(limit?.ramp ?? null)
}

export function limitWords(limit: ToneLimit | null): string {
  const known = LIMITS.find((l) => sameRamp(l.ramp, limit))?.words
  return known ?? `tones ${limit!.ramp.map((v) => Math.round(100 * v)).join(' · ')}`
}

export function blendWords(mode: string): string {
  return mode === 'normal' ? 'normally' : `by ${mode.replace('color', 'colour').replaceAll('-', ' ')}`
}
