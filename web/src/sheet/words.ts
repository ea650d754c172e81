import type { Kind, Setting } from '../api/client'
import { type Band, bandsWords, named } from './bands'
import { curveWords, type Points } from './curve'
import { FOUND } from './found'
import type { Area, Part, Touch } from './types'

export const WHOLE = 'the whole picture'

/** A piece of a sentence: words, the place, or a setting by its name. */
export type Piece = { text: string } | { where: true } | { setting: string }

/** Split a kind's sentence into words and controls; `{ev:More|Less}` becomes the word for the setting's sign. */
export function pieces(kind: Kind, settings: Record<string, unknown>): Piece[] {
  return kind.sentence
    .split(/(\{[^}]+\})/)
    .filter(Boolean)
    .map((piece): Piece => {
      const inside = /^\{(.+)\}$/.exec(piece)?.[1]
      if (!inside) return { text: piece }
      if (inside === 'where') return { where: true }
      const [name, choice] = inside.split(':') as [string, string | undefined]
      if (!choice) return { setting: name }
      const [more, less] = choice.split('|') as [string, string]
      return { text: Number(settings[name] ?? 0) < 0 ? less : more }
    })
}

/** A setting's value as it stands in a sentence. */
export function valueWords(setting: Setting, value: unknown): string {
  if (setting.control === 'curve') return curveWords(value as Points)
  if (setting.control === 'bands') return bandsWords(value as Band[], named(setting))
  const words = setting.extra.words as Record<string, string> | undefined
  if (typeof value === 'string') return words?.[value] ?? value
  return figure(Number(value) * setting.scale, setting)
}

/** A number with its sign where it has two directions, a true minus and its unit. */
export function figure(value: number, setting: Pick<Setting, 'unit' | 'low' | 'step'>): string {
  const step = setting.step ?? 1
  const digits = step >= 1 ? 0 : step >= 0.1 ? 1 : 2
  const text = Math.abs(value).toFixed(digits)
  const sign = value < 0 && Number(text) !== 0 ? '−' : (setting.low ?? 0) < 0 && Number(text) !== 0 ? '+' : ''
  return `${sign}${text}${setting.unit ? ` ${setting.unit}` : ''}`
}

/** Read a typed number: a comma or a point, any minus, with or without its unit. */
export function readFigure(text: string): number | null {
  const clean = text.replace(/[−–]/g, '-').replace(',', '.')
  const number = /[-+]?\d*\.?\d+/.exec(clean)?.[0]
  return number === undefined ? null : Number(number)
}

/** The sentence of a touch in plain words. */
export function sentence(touch: Touch, kinds: Kind[], areas: Area[]): string {
  if (touch.name) return touch.name
  if (touch.kind === 'set') {
    const count = touch.touches?.length ?? 0
    return `${count} ${count === 1 ? 'touch' : 'touches'} together on ${whereWords(touch.area, areas)}`
  }
  const kind = kinds.find((k) => k.kind === touch.kind)
  if (!kind) return `“${touch.kind}”, not understood by this version`
  return pieces(kind, touch.settings)
    .map((piece) => {
      if ('text' in piece) return piece.text
      if ('where' in piece) return whereWords(touch.area, areas)
      const setting = kind.settings.find((s) => s.name === piece.setting)
      return setting ? valueWords(setting, touch.settings[piece.setting]) : ''
    })
    .join('')
}

export function whereWords(area: string | null, areas: Area[]): string {
  if (!area) return WHOLE
  return areas.find((a) => a.id === area)?.name || 'an unnamed area'
}

/** A name that no area has yet. */
export function freshName(areas: Area[], base = 'the painted area'): string {
  if (!areas.some((a) => a.name === base)) return base
  let number = 2
  while (areas.some((a) => a.name === `${base} ${number}`)) number += 1
  return `${base} ${number}`
}

export const JOIN_WORDS = {
  add: 'add',
  take: 'take away',
  only: 'only where',
  either: 'either but not both',
} as const

export function partTitle(part: Part, areas: Area[]): string {
  if (part.source === 'strokes') return 'brush'
  if (part.source === 'whole') return 'whole picture'
  if (part.source === 'area') return whereWords(part.area ?? null, areas)
  if (part.source === 'file') return 'mask picture'
  if (part.source === 'person' || part.source === 'face-part')
    return foundWords(part.part as string, part.of as number)
  return part.source
}

/** What a part of a source from the catalogue holds, in a few words. */
function sourceDetail(part: Part): string | null {
  const count = (n: number, one: string) => `${n} ${one}${n === 1 ? '' : 's'}`
  const list = (name: string) => (part[name] as unknown[]).length
  switch (part.source) {
    case 'tones':
      return (part.ramp as number[]).map((v) => Math.round(100 * v)).join(' · ')
    case 'colour':
      return list('samples') ? count(list('samples'), 'sample') : 'nothing picked yet'
    case 'alike':
      return list('points') ? count(list('points'), 'point') : 'nothing pointed at yet'
    case 'outline':
      return list('shapes') ? count(list('shapes'), 'shape') : 'nothing drawn yet'
    case 'pool':
      return part.outside ? 'all but the ellipse' : 'an ellipse'
    case 'fade':
      return 'from all to nothing'
    case 'person':
    case 'face-part':
      return 'found by the program'
    case 'thing':
      return thingWords(part.box as number[] | null, list('clicks'))
  }
  return null
}

function foundWords(name: string, of: number): string {
  const words = FOUND[name]?.words ?? name
  return of ? `${words} of face ${of}` : words
}

function thingWords(box: number[] | null, clicks: number): string {
  const clicked = clicks ? `${clicks} click${clicks === 1 ? '' : 's'}` : ''
  return [box ? 'a box' : '', clicked].filter(Boolean).join(', ') || 'nothing clicked yet'
}

export function partDetail(part: Part): string {
  if (part.source === 'strokes') {
    const count = part.strokes?.length ?? 0
    return count === 0 ? 'nothing painted yet' : `${count} stroke${count === 1 ? '' : 's'}`
  }
  if (part.source === 'whole') return 'every pixel'
  if (part.source === 'area') return 'another area'
  if (part.source === 'file') return (part.name as string) || 'a grey picture'
  return sourceDetail(part) ?? 'not understood by this version'
}

export function percent(share: number): string {
  if (share > 0 && share < 0.001) return 'under 0.1 %'
  return `${(100 * share).toFixed(share < 0.1 ? 1 : 0)} %`
}
