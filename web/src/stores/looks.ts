import type { BeforeOf, Look } from './room'

/** The checks: their names in the menu, what they are for, and what the stage says while they are on. */
export const LOOKS: Partial<Record<Look, { name: string; does: string; status: string }>> = {
  brighter: {
    name: 'brighter',
    does: 'what the shadows hold',
    status: 'looking brighter, not changed',
  },
  darker: { name: 'darker', does: 'what the highlights hold', status: 'looking darker, not changed' },
  clipping: {
    name: 'clipping',
    does: 'black, white, or one channel of it',
    status: 'showing what is clipped: black, white, or one channel of it',
  },
  grey: {
    name: 'grey and darker',
    does: 'uneven skin, without its colour',
    status: 'check: grey and darker, not changed',
  },
  unevenness: {
    name: 'unevenness',
    does: 'blotches alone, amplified',
    status: 'check: mid-size light and dark alone, amplified; not changed',
  },
  shading: {
    name: 'shading alone',
    does: 'light and form without texture',
    status: 'check: shading alone, not changed',
  },
  texture: {
    name: 'texture alone',
    does: 'pores and hair without light',
    status: 'check: texture alone, amplified; not changed',
  },
  saturation: {
    name: 'saturation',
    does: 'where colour is strong',
    status: 'check: saturation as grey, not changed',
  },
  halo: {
    name: 'halos',
    does: 'edges of the work that show',
    status: 'check: violet where an edge of the work shows and the picture has none; not changed',
  },
  proof: {
    name: 'soft proof',
    does: 'as the output profile will hold it',
    status: 'soft proof: violet lies outside the profile; not changed',
  },
  layer: {
    name: 'a layer by itself',
    does: 'what the open touch works on',
    status: 'a layer of the open touch by itself, amplified; not changed',
  },
  final: {
    name: 'final size',
    does: 'the detail that will be seen at last',
    status: 'with the detail of the final size, not changed',
  },
}

export function beforeWords(of: BeforeOf): string {
  if (of.kind === 'touch') return 'without the open touch'
  if (of.kind === 'set') return 'without its set'
  return of.kind === 'edit' ? of.words : 'the original'
}
