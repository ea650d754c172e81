import type { Kind, Setting, Source } from '../api/client'
import { type Band, bandsWords, named } from './bands'
import { curveWords, type Points } from './curve'
import { FOUND, whoseWords } from './found'
import { STAGES } from './order'
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

/** A kind whose lengths are told in pixels of a picture with so many on its long side. */
export function inPixels(kind: Kind, unit: number): Kind {
  const told = (s: Setting): Setting =>
    'length' in s.extra ? { ...s, unit: 'px', scale: unit, step: Number(s.neutral) * unit < 20 ? 0.1 : 1 } : s
  return { ...kind, settings: kind.settings.map(told) }
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
    return `${setName(touch, kinds, areas)} on ${whereWords(touch.area, areas)}`
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

/** Names that a set's own name lists. */
const LISTED = 3

/** What a set is called by what it holds: the stage of the work that its touches share, and where they lie. */
export function setName(set: Touch, kinds: Kind[], areas: Area[]): string {
  if (set.name) return set.name
  const inner = set.touches ?? []
  const kindOf = (touch: Touch) => kinds.find((k) => k.kind === touch.kind)
  const stages = new Set(inner.map((touch) => kindOf(touch)?.stage))
  const [stage] = stages
  const head = stages.size === 1 && stage ? STAGES[stage] : 'Together'
  const names = inner.map((touch) =>
    touch.area
      ? whereWords(touch.area, areas).replace(/^the /, '')
      : (kindOf(touch)?.title.toLowerCase() ?? 'a set'),
  )
  const held = [...new Set(names)]
  if (!held.length) return head
  const more = held.length > LISTED ? ` and ${held.length - LISTED} more` : ''
  return `${head}: ${held.slice(0, LISTED).join(', ')}${more}`
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

/** What a part is called on its card: what it refers to or what was found, else its source. */
export function partTitle(part: Part, areas: Area[], sources: Source[], people: string[] = []): string {
  const source = sourceOf(part, sources)
  if (source?.refers.length) return whereWords(part[source.refers[0]!] as string, areas)
  if (source?.finds && typeof part.part === 'string') return foundWords(part.part, part.of as number, people)
  return source?.title ?? part.source
}

/** What a part holds, in a few words, by its source's own template. */
export function partDetail(part: Part, sources: Source[]): string {
  const source = sourceOf(part, sources)
  if (!source) return 'not understood by this version'
  const pieces = source.detail
    .split(', ')
    .map((piece) => piece.replace(/\{([^}]*)\}/g, (_, slot: string) => filled(part, slot)))
  return pieces.filter(Boolean).join(', ') || source.bare
}

/** `name#one` counts a list, `name%` are shares, `name?a|b` is a switch; else the setting itself. */
function filled(part: Part, slot: string): string {
  const [, name, mark, rest] = /^(\w+)([#%?]?)(.*)$/.exec(slot)!
  const value = part[name!]
  if (mark === '#') {
    const n = Array.isArray(value) ? value.length : 0
    return n ? `${n} ${rest}${n === 1 ? '' : 's'}` : ''
  }
  if (mark === '%') return (value as number[]).map((v) => Math.round(100 * v)).join(' · ')
  if (mark === '?') return rest!.split('|')[value ? 0 : 1] ?? ''
  return typeof value === 'string' ? value : ''
}

export const sourceOf = (part: Part, sources: Source[]) => sources.find((s) => s.source === part.source)

function foundWords(name: string, of: number, people: string[]): string {
  const words = FOUND[name]?.words ?? name
  return of ? `${words} of ${whoseWords(people, of)}` : words
}

export function percent(share: number): string {
  if (share > 0 && share < 0.001) return 'under 0.1 %'
  return `${(100 * share).toFixed(share < 0.1 ? 1 : 0)} %`
}
