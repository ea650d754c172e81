import type { Geometry } from './turning'
import type { Schema, Source } from '../api/client'

export type Stroke = Schema['Stroke']
/** A stroke that a touch owns: it makes lighter, or darker. */
export type LightStroke = Schema['LightStroke']
/** A patch of a repair, and a stroke of one. */
export type Patch = Omit<Schema['Patch'], 'strokes'> & { strokes: PatchStroke[] }
export type Filling = NonNullable<Schema['Patch']['filling']>
export type PatchStroke = Schema['PatchStroke']
export type Mending = Schema['Mending']
/** A stroke that moves what lies under it. */
export type ShapeStroke = Schema['ShapeStroke']
export type Painted = Stroke | LightStroke | PatchStroke | ShapeStroke
export type ToneLimit = Schema['ToneLimit']
export type Blend = Schema['ExposureTouch']['blend']
export type Join = Schema['Strokes']['join']

/** A part as the server hands it out: every field is there. Parts of a newer program carry other sources. */
export interface Part {
  id: string | null
  source: string
  join: Join
  on: boolean
  strokes?: Stroke[]
  area?: string
  /** The settings of the other sources. */
  [setting: string]: unknown
}

export interface Area {
  id: string
  name: string
  parts: Part[]
  grow: number
  feather: number
  invert: boolean
  refine?: 'no' | 'edges' | 'hair'
  needs_look?: boolean
}

export interface Touch {
  id: string
  kind: string
  name: string
  note?: string
  area: string | null
  on: boolean
  strength: number
  limit: ToneLimit | null
  blend: Blend
  settings: Record<string, unknown>
  needs_look?: boolean
  touches?: Touch[]
}

export interface Doc {
  /** Names of the people by the number of their face from the left; empty: no name yet. */
  people?: string[]
  /** How it is turned and cut out at the end; none: whole and upright. */
  geometry?: Geometry
  areas: Area[]
  touches: Touch[]
}

/** A fresh id for something made in this window. */
export function freshId(letter: string): string {
  return `${letter}${crypto.randomUUID().replaceAll('-', '').slice(0, 10)}`
}

export function brushPart(join: Join = 'add'): Part {
  return { id: freshId('p'), source: 'strokes', join, on: true, strokes: [] }
}

/** A part of a source from the catalogue, as one of its starts or by its neutral settings. */
export function sourcePart(source: Source, settings: Record<string, unknown> = {}, join: Join = 'add'): Part {
  const neutral = Object.fromEntries(source.settings.map((s) => [s.name, s.neutral]))
  return JSON.parse(
    JSON.stringify({ id: freshId('p'), source: source.source, join, on: true, ...neutral, ...settings }),
  ) as Part
}

export function wholePart(): Part {
  return { id: freshId('p'), source: 'whole', join: 'add', on: true }
}

/** Every touch with the path to it, sets before what they hold. */
export function walkTouches(
  touches: Touch[],
  path: (string | number)[] = ['touches'],
): { touch: Touch; path: (string | number)[]; depth: number }[] {
  return touches.flatMap((touch) => {
    const own = [...path, touch.id]
    const depth = (own.length - 2) / 2
    return [{ touch, path: own, depth }, ...walkTouches(touch.touches ?? [], [...own, 'touches'])]
  })
}
