import type { Mending, Patch } from './types'

/** Ways that take pixels from a source. */
export const TAKES: Mending['way'][] = ['spot', 'heal', 'clone']
/** What each way does, in words for the list, the history and the stage. */
export const WAYS: Record<Mending['way'], string> = {
  spot: 'spot taken away',
  heal: 'healed',
  clone: 'cloned',
  fill: 'filled',
  smear: 'smeared',
  paint: 'painted',
}
/** What the brush does with each, for the stage. */
export const DOING: Record<Mending['way'], string> = {
  spot: 'taking spots away',
  heal: 'healing',
  clone: 'cloning',
  fill: 'filling what is stroked',
  smear: 'smearing',
  paint: 'painting a colour',
}
/** What each smoother is good at, in one sentence. */
export const SMOOTHERS: Record<string, string> = {
  gaussian: 'Even everywhere: for skin away from edges.',
  edges: 'Hard edges stay whole in the shading: beside hair, lips and collars.',
  median: 'Small spots stay out of the shading: for blemished skin.',
}

/** A patch in words. */
export function patchWords(patch: Patch): string {
  const of = patch.of === 'everything' ? '' : `, the ${patch.of} alone`
  const lost =
    TAKES.includes(patch.way) && !patch.source
      ? ' · no source yet'
      : patch.way === 'fill' && !patch.filling
        ? ' · not filled yet'
        : ''
  return `${WAYS[patch.way]}${of}${lost}`
}

/** An offset in whole pixels of the original, so that nothing is resampled. */
export function wholePixels(offset: readonly [number, number], unit: number): [number, number] {
  return [Math.round(offset[0] * unit) / unit, Math.round(offset[1] * unit) / unit]
}

/** Where a patch is shown and taken hold of: where its first stroke begins, or the middle of what is filled. */
export function placeOf(patch: Patch): [number, number] {
  const first = patch.strokes[0]?.points[0]
  if (first) return [first[0], first[1]]
  const { unit, x, y, w, h } = patch.filling!
  return [(x + w / 2) / unit, (y + h / 2) / unit]
}

/** The patch with all its strokes moved; its source goes along. */
export function movedPatch(patch: Patch, to: readonly [number, number]): Pick<Patch, 'strokes'> {
  const [x0, y0] = placeOf(patch)
  const [dx, dy] = [to[0] - x0, to[1] - y0]
  const near = (v: number) => Number(v.toFixed(5))
  return {
    strokes: patch.strokes.map((s) => ({
      ...s,
      points: s.points.map(([x, y, p]) => [near(x + dx), near(y + dy), p] as [number, number, number]),
    })),
  }
}
