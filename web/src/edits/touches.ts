import { api, type Kind, type Operation, type Preset, type Schema, sheetFrom } from '../api/client'
import { listAt, type Place } from '../sheet/order'
import { type Area, type Blend, brushPart, freshId, type Part, type Touch } from '../sheet/types'
import { freshName, sentence } from '../sheet/words'
import { useFound } from '../stores/found'
import { useNotices } from '../stores/notices'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useOpening } from './opening'
import { type Path, put } from './operations'

/** Where a ready touch is started: on an area (null: on none), on one face, or as a wish says. */
export interface StartHow {
  area?: string | null
  of?: number
  wish?: Schema['WishOut'] | null
}

/** Whether a ready touch lies where it is meant to, whatever area is open: on its place, or where its patches are. */
export function ownPlace(kind: Kind, start: Kind['starts'][number]): boolean {
  return (
    !!start.where || start.from_face || kind.settings.some((s) => ['patches', 'shapes'].includes(s.control))
  )
}

/** What can be done with touches and sets. */
export function useTouches() {
  const sheet = useSheet()
  const room = useRoom()
  const notices = useNotices()
  const found = useFound()
  const { openTouch, openArea } = useOpening()
  const say = (touch: Touch) => sentence(touch, sheet.kinds, sheet.areas)
  const clone = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T

  /** Lay a preset on this portrait, after what is there; it finds itself again as far as it can. */
  async function layPreset(preset: Preset) {
    const portrait = sheet.portrait!.id
    let laid
    try {
      laid = await api.POST('/api/portraits/{portrait_id}/presets', {
        params: { path: { portrait_id: portrait } },
        body: { preset: preset.id },
      })
    } catch (error) {
      notices.complain(error, () => found.searching)
      return
    }
    if (sheet.portrait?.id === portrait) lay(laid.data!, `preset: ${preset.name}`)
  }

  /** Lay a sheet that comes from a file, or out of a finished picture. */
  async function laySheet(file: File) {
    const portrait = sheet.portrait!.id
    try {
      const laid = await sheetFrom(portrait, file)
      if (sheet.portrait?.id === portrait) lay(laid, `sheet: ${file.name}`)
    } catch (error) {
      notices.complain(error)
    }
  }

  function lay({ operations, needs_look, lacking }: Schema['LaidOut'], said: string) {
    sheet.change(operations, said)
    const top = operations.find((o) => o.op === 'insert' && o.path[0] === 'touches')
    if (top && 'item' in top) openTouch((top.item as Touch).id)
    const words = []
    if (needs_look.length) words.push(`Placed by hand, so it needs a look: ${needs_look.join(', ')}.`)
    if (lacking.length) words.push(`Not found on this portrait: ${lacking.join(', ')}.`)
    if (words.length) notices.say(words.join(' '))
  }

  /**
   * Start a ready touch on an area, or on the place that it is meant for; lengths come from the face. A `wish` names
   * its place, the whole picture, or how much; what it names and was not found is to be painted.
   */
  async function startTouch(
    kind: Kind,
    start: Kind['starts'][number],
    { area: on, of = 0, wish = null }: StartHow = {},
  ) {
    const portrait = sheet.portrait!.id
    const paints = !!wish?.lacks
    // A place that was said wins, then the ready touch's own, then the area that is open.
    const free = wish?.place || wish?.whole || paints || ownPlace(kind, start) ? null : room.openArea
    let area = on === undefined ? free : on
    let ready
    try {
      ready = await api.POST('/api/portraits/{portrait_id}/starts', {
        params: { path: { portrait_id: portrait } },
        body: {
          kind: kind.kind,
          title: start.title,
          of,
          placed: area !== null || paints || !!wish?.whole,
          place: paints ? '' : (wish?.place ?? ''),
          settings: wish?.settings ?? {},
          strength: wish?.strength ?? null,
        },
      })
    } catch (error) {
      notices.complain(error, () => found.searching)
      return
    }
    // Somebody has gone on to another portrait meanwhile: it is not meant for that one.
    if (sheet.portrait?.id !== portrait) return
    const { settings, strength, blend, parts, area_name, feather } = ready.data!
    const operations: Operation[] = []
    if (paints) {
      area = freshId('a')
      operations.push({ op: 'insert', path: ['areas'], item: placeOf(area, [brushPart()], wish.where, 0) })
    } else if (area === null && parts.length) {
      const known = sheet.areas.find((a) => a.name === named(area_name, of) && sameParts(a.parts, parts))
      area = known?.id ?? freshId('a')
      if (!known)
        operations.push({
          op: 'insert',
          path: ['areas'],
          item: placeOf(area, parts, named(area_name, of), feather),
        })
    }
    const touch: Touch = {
      id: freshId('t'),
      kind: kind.kind,
      name: '',
      area,
      on: true,
      strength,
      limit: null,
      blend: blend as Blend,
      settings,
    }
    sheet.change([...operations, { op: 'insert', path: ['touches'], item: touch }], say(touch))
    openTouch(touch.id)
    if (paints) {
      openArea(area)
      room.painting = true
      notices.say(`${wish.lacks} Paint it: the brush is in your hand.`)
    }
    // What is meant to be painted with has its brush in hand; the area is where it works, not what it paints.
    if (kind.settings.some((s) => ['strokes', 'patches', 'shapes'].includes(s.control)) && !start.from_face) {
      room.chain = false
      room.painting = true
    }
  }
  const named = (name: string, of: number) => (of ? `${name} of face ${of}` : name)
  const placeOf = (id: string, parts: object[], name: string, feather: number): Area => ({
    id,
    name: freshName(sheet.areas, name),
    parts: parts.map((p) => ({ id: freshId('p'), on: true, join: 'add', ...p }) as Part),
    grow: 0,
    feather,
    invert: false,
  })
  const sameParts = (own: Part[], ready: Record<string, unknown>[]) =>
    own.length === ready.length &&
    ready.every((part, i) => Object.entries(part).every(([name, value]) => own[i]![name] === value))

  const path = (id: string) => sheet.touch(id)!.path

  function setTouch(
    touch: Touch,
    field: 'strength' | 'blend' | 'on' | 'name' | 'note' | 'limit' | 'needs_look',
    value: unknown,
    words: string,
  ) {
    sheet.change([put([...path(touch.id), field], value)], words)
  }
  function attemptTouch(touch: Touch, field: string, value: unknown) {
    sheet.attempt([put([...path(touch.id), ...field.split('.')], value)])
  }
  const settingPuts = (touch: Touch, changes: object) =>
    Object.entries(changes).map(([name, value]) => put([...path(touch.id), 'settings', name], value))
  const attemptSettings = (touch: Touch, changes: object) => sheet.attempt(settingPuts(touch, changes))
  function setSettings(touch: Touch, changes: object) {
    const changed = { ...touch, settings: { ...touch.settings, ...changes }, name: '' }
    sheet.change(settingPuts(touch, changes), say(changed))
  }

  function place(touch: Touch, area: string | null) {
    sheet.change([put([...path(touch.id), 'area'], area)], say({ ...touch, area, name: '' }))
    openArea(area, room.chain)
  }

  function moveTouch(touch: Touch, by: number) {
    const own = path(touch.id)
    const list = own.slice(0, -1)
    const siblings = siblingsOf(own)
    const index = siblings.findIndex((t) => t.id === touch.id) + by
    if (index < 0 || index >= siblings.length) return
    sheet.change([{ op: 'move', path: own, into: list, index }], `moved: ${say(touch)}`)
  }
  /** To a place among the others, in this list or another. */
  function moveTouchTo(touch: Touch, { into, index }: Place) {
    const own = path(touch.id)
    const list = own.slice(0, -1)
    const stands = siblingsOf(own).findIndex((t) => t.id === touch.id)
    if (index === stands && into.join() === list.join()) return
    sheet.change([{ op: 'move', path: own, into, index }], `moved: ${say(touch)}`)
  }
  function duplicateTouch(touch: Touch) {
    const copy = clone(touch)
    const fresh = (t: Touch) => {
      t.id = freshId('t')
      t.touches?.forEach(fresh)
    }
    fresh(copy)
    const own = path(touch.id)
    const index = siblingsOf(own).findIndex((t) => t.id === touch.id) + 1
    sheet.change([{ op: 'insert', path: own.slice(0, -1), item: copy, index }], `again: ${say(touch)}`)
    openTouch(copy.id)
  }
  function deleteTouch(touch: Touch) {
    const words = `deleted: ${say(touch)}`
    const own = path(touch.id)
    if (room.openTouch === touch.id) openTouch(null)
    sheet.change([{ op: 'remove', path: own }], words)
  }

  /** The selected touches that are not within a selected set, in their order. */
  function picked(): Touch[] {
    const within = (path: Path) => path.slice(0, -1).some((step) => room.selected.includes(String(step)))
    return sheet.steps
      .filter((s) => room.selected.includes(s.touch.id) && !within(s.path))
      .map((s) => s.touch)
  }
  /** Keep touches together in a set of their own, where the first of them stood. */
  function keepTogether(touches: Touch[]) {
    const id = freshId('s')
    const top = path(touches[0]!.id)[1]
    const index = sheet.doc.touches.findIndex((t) => t.id === top)
    const set: Touch = {
      id, kind: 'set', name: '', note: '', area: null, on: true, strength: 1, limit: null, touches: [],
    } as unknown as Touch // prettier-ignore
    const into = ['touches', id, 'touches']
    sheet.change(
      [
        { op: 'insert', path: ['touches'], item: set, index },
        ...touches.map((t, i): Operation => ({ op: 'move', path: path(t.id), into, index: i })),
      ],
      touches.length === 1 ? `in a set: ${say(touches[0]!)}` : `kept ${touches.length} touches together`,
    )
    room.selected = []
    openTouch(id)
  }
  /** Take a set apart: its touches stand where it stood, and its own area, strength and tones are gone. */
  function takeApart(set: Touch) {
    const own = path(set.id)
    const list = own.slice(0, -1)
    const siblings = siblingsOf(own)
    const at = siblings.findIndex((t) => t.id === set.id)
    openTouch(null)
    const moves = (set.touches ?? []).map((t, i): Operation => ({
      op: 'move',
      path: [...own, 'touches', t.id],
      into: list,
      index: at + 1 + i,
    }))
    sheet.change([...moves, { op: 'remove', path: own }], `took apart: ${say(set)}`)
  }
  /** Into the set that stands next to it (−1: before, 1: after). */
  function moveInto(touch: Touch, set: Touch, by: number) {
    const into = [...path(set.id), 'touches']
    const index = by < 0 ? (set.touches?.length ?? 0) : 0
    sheet.change([{ op: 'move', path: path(touch.id), into, index }], `moved into a set: ${say(touch)}`)
  }
  /** Out of its set, after it. */
  function moveOut(touch: Touch) {
    const own = path(touch.id)
    const set = own.slice(0, -2)
    const index = siblingsOf(set).findIndex((t) => t.id === set[set.length - 1]) + 1
    sheet.change(
      [{ op: 'move', path: own, into: set.slice(0, -1), index }],
      `moved out of its set: ${say(touch)}`,
    )
  }
  /** The set beside a touch that it could move into. */
  function setBeside(touch: Touch, by: number): Touch | null {
    const siblings = siblingsOf(path(touch.id))
    const beside = siblings[siblings.findIndex((t) => t.id === touch.id) + by]
    return beside?.kind === 'set' ? beside : null
  }
  const siblingsOf = (own: Path) => listAt(sheet.doc.touches, own.slice(0, -1))
  function switchAll(touches: Touch[], on: boolean) {
    const puts = touches.map((t) => put([...path(t.id), 'on'], on))
    sheet.change(puts, `${on ? 'on' : 'off'}: ${touches.length} touches`)
  }
  function deleteAll(touches: Touch[]) {
    openTouch(null)
    const operations = touches.map((t): Operation => ({ op: 'remove', path: path(t.id) }))
    sheet.change(operations, `deleted ${touches.length} touches`)
    room.selected = []
  }

  return {
    say, layPreset, laySheet, startTouch, setTouch, attemptTouch, attemptSettings, setSettings, place, moveTouch, moveTouchTo, duplicateTouch,
    deleteTouch, picked, keepTogether, takeApart, moveInto, moveOut, setBeside, switchAll, deleteAll,
  } // prettier-ignore
}
