import type { Source } from '../api/client'
import type { Area, Part } from './types'
import { freshId } from './types'

/** What the program finds by itself, in the order of the column, and as it is called in a sentence. */
export const FOUND: Record<string, { words: string; area: string }> = {
  person: { words: 'person', area: 'the person' },
  face: { words: 'face', area: 'the face' },
  skin: { words: 'skin', area: 'the skin' },
  'eye-whites': { words: 'eye whites', area: 'the eye whites' },
  irises: { words: 'irises', area: 'the irises' },
  pupils: { words: 'pupils', area: 'the pupils' },
  lips: { words: 'lips', area: 'the lips' },
  teeth: { words: 'teeth', area: 'the teeth' },
  brows: { words: 'brows', area: 'the brows' },
  'under-eyes': { words: 'under the eyes', area: 'under the eyes' },
  hair: { words: 'hair', area: 'the hair' },
  backdrop: { words: 'backdrop', area: 'the backdrop' },
}

const OF_PEOPLE = ['person', 'backdrop']

/** A part that covers something found; `of` is the number of the face, 0 everybody. */
export function foundPart(name: string, of: number): Part {
  const source = OF_PEOPLE.includes(name) ? 'person' : 'face-part'
  return { id: freshId('p'), source, join: 'add', on: true, of: name === 'backdrop' ? 0 : of, part: name }
}

/** The area that something found would be, before anybody takes it into the sheet. */
export function foundArea(name: string, of: number, people: string[] = []): Area {
  return {
    id: `found-${name}-${of}`,
    name: foundName(name, of, people),
    parts: [{ ...foundPart(name, of), id: null }],
    grow: 0,
    feather: 0,
    invert: false,
  }
}

/** Settings with which what is placed by hand begins on the largest face, sized to it; none where no face is known. */
export function onFace(source: Source, faces: { box: number[] }[]): Record<string, unknown> {
  const largest = [...faces].sort((a, b) => b.box[3]! - a.box[3]!)[0]
  if (!largest) return {}
  const [x, y, w, h] = largest.box.map((side) => Number(side.toFixed(5))) as [number, number, number, number]
  const middle = [x + w / 2, y + h / 2]
  const has = (name: string) => source.settings.some((s) => s.name === name)
  if (has('centre') && has('radii')) return { centre: middle, radii: [0.6 * w, 0.6 * h] }
  if (has('start') && has('end')) return { start: [middle[0], y], end: [middle[0], y + h] }
  return {}
}

/** Who somebody is, by the number of the face: by the name that was given, or by the face. */
export function whoseWords(people: string[] | undefined, of: number): string {
  return people?.[of - 1] || `face ${of}`
}

export function foundName(name: string, of: number, people: string[] = []): string {
  const area = FOUND[name]?.area ?? name
  return of && name !== 'backdrop' ? `${area} of ${whoseWords(people, of)}` : area
}

/** The people's names with another for one of them. */
export function named(people: string[] | undefined, of: number, name: string): string[] {
  const names = Array.from({ length: Math.max(people?.length ?? 0, of) }, (_, i) => people?.[i] ?? '')
  names[of - 1] = name.trim()
  return names
}

/** What was found of one face (0: of anybody), by name. */
export function namesOf(faces: { number: number; parts: string[] }[], person: boolean, of: number): string[] {
  const parts = new Set(faces.filter((f) => !of || f.number === of).flatMap((f) => f.parts))
  return Object.keys(FOUND).filter((name) => (OF_PEOPLE.includes(name) ? person : parts.has(name)))
}
