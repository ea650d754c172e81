import type { Kind, Operation } from '../api/client'
import { foundName, foundPart } from '../sheet/found'
import {
  brushPart,
  sourcePart,
  freshId,
  wholePart,
  type Area,
  type Blend,
  type Part,
  type Stroke,
  type Touch,
} from '../sheet/types'
import { freshName, sentence } from '../sheet/words'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

type Path = (string | number)[]

const put = (path: Path, value: unknown): Operation => ({ op: 'put', path, value, gone: false })

/** Everything that can be done to the sheet in the workroom: the operations, and the words for the history. */
export function useActions() {
  const sheet = useSheet()
  const room = useRoom()

  const say = (touch: Touch) => sentence(touch, sheet.kinds, sheet.areas)
  const clone = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T

  function startTouch(kind: Kind, start: Kind['starts'][number], area: string | null = room.openArea) {
    const neutral = Object.fromEntries(kind.settings.map((s) => [s.name, s.neutral]))
    const touch: Touch = {
      id: freshId('t'),
      kind: kind.kind,
      name: '',
      area,
      on: true,
      strength: start.strength,
      limit: null,
      blend: start.blend as Blend,
      settings: clone({ ...neutral, ...start.settings }),
    }
    sheet.change([{ op: 'insert', path: ['touches'], item: touch }], say(touch))
    openTouch(touch.id)
  }

  /** Unfold a touch; its area comes into view with it. */
  function openTouch(id: string | null) {
    if (id !== room.openTouch) room.pointing = room.reach = null
    room.openTouch = id
    room.entry = 0
    const area = sheet.touch(id)?.touch.area ?? null
    if (id !== null && area !== room.openArea) openArea(area, room.chain)
  }

  function openArea(id: string | null, chain = true) {
    room.openArea = id
    room.chain = id !== null && chain
    room.painting = room.painting && id !== null
    const parts = sheet.area(id)?.parts ?? []
    room.openPart = (parts.findLast((p) => p.source === 'strokes') ?? parts[parts.length - 1])?.id ?? null
    room.picking = room.drawing = null
  }

  const path = (id: string) => sheet.touch(id)!.path

  function setTouch(
    touch: Touch,
    field: 'strength' | 'blend' | 'on' | 'name' | 'note' | 'limit',
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

  /** Make an area and, if a touch is given, let it work there; then paint. */
  function makeArea(parts: Part[], touch?: Touch, base?: string): Area {
    const area: Area = {
      id: freshId('a'),
      name: freshName(sheet.areas, base),
      parts,
      grow: 0,
      feather: 0,
      invert: false,
    }
    const operations: Operation[] = [{ op: 'insert', path: ['areas'], item: area }]
    if (touch) operations.push(put([...path(touch.id), 'area'], area.id))
    sheet.change(operations, `new area: ${area.name}`)
    openArea(area.id)
    if (parts.length) takePart(parts[parts.length - 1]!)
    return area
  }
  const paintNew = (touch?: Touch) => {
    makeArea([brushPart()], touch)
    room.painting = true
  }
  const NAMES: Record<string, string> = {
    outline: 'the outline', pool: 'the pool', fade: 'the fade', colour: 'the colours', tones: 'the tones',
    alike: 'what is alike', thing: 'the thing',
  } // prettier-ignore
  /** Make an area from a source of the catalogue, and take it in hand. */
  function makeFrom(name: string, touch?: Touch) {
    const source = sheet.sources.find((s) => s.source === name)
    if (source) makeArea([sourcePart(source)], touch, NAMES[name])
  }
  /** Make an area of something found, or open the one that there is, so that a touch can start on it. */
  function makeFound(name: string, of: number, touch?: Touch) {
    const part = foundPart(name, of)
    const same = (p: Part) => p.source === part.source && p.part === part.part && p.of === part.of
    const known = sheet.areas.find((a) => a.parts.length === 1 && a.parts.every(same))
    if (!known) return void makeArea([part], touch, foundName(name, of))
    if (touch && touch.area !== known.id) return place(touch, known.id)
    openArea(known.id)
  }
  const paintAway = (touch?: Touch) => {
    makeArea([wholePart(), brushPart('take')], touch, 'all but the painted')
    room.painting = true
  }

  function moveTouch(touch: Touch, by: number) {
    const own = path(touch.id)
    const list = own.slice(0, -1)
    const siblings = siblingsOf(own)
    const index = siblings.findIndex((t) => t.id === touch.id) + by
    if (index < 0 || index >= siblings.length) return
    sheet.change([{ op: 'move', path: own, into: list, index }], `moved: ${say(touch)}`)
  }
  function moveTouchTo(touch: Touch, index: number) {
    const own = path(touch.id)
    sheet.change([{ op: 'move', path: own, into: own.slice(0, -1), index }], `moved: ${say(touch)}`)
  }
  function duplicateTouch(touch: Touch) {
    const copy = clone(touch)
    const fresh = (t: Touch) => {
      t.id = freshId('t')
      t.touches?.forEach(fresh)
    }
    fresh(copy)
    const own = path(touch.id)
    const index = sheet.doc.touches.findIndex((t) => t.id === touch.id)
    const list = own.slice(0, -1)
    sheet.change(
      [{ op: 'insert', path: list, item: copy, index: list.length === 1 ? index + 1 : undefined }],
      `again: ${say(touch)}`,
    )
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
  function siblingsOf(own: Path): Touch[] {
    return own.length === 2
      ? sheet.doc.touches
      : (sheet.touch(String(own[own.length - 3]))?.touch.touches ?? [])
  }
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

  function setArea(
    area: Area,
    field: 'name' | 'grow' | 'feather' | 'invert' | 'refine' | 'parts' | 'needs_look',
    value: unknown,
    words: string,
  ) {
    sheet.change([put(['areas', area.id, field], value)], words)
    if (field === 'parts') openArea(area.id)
  }
  function attemptArea(area: Area, field: 'grow' | 'feather', value: number) {
    sheet.attempt([put(['areas', area.id, field], value)])
  }
  const fill = (area: Area) => setArea(area, 'parts', [wholePart(), brushPart('take')], `filled ${area.name}`)
  const empty = (area: Area) => setArea(area, 'parts', [brushPart()], `emptied ${area.name}`)

  function deleteArea(area: Area) {
    const used = sheet.steps.filter((s) => s.touch.area === area.id)
    const operations = used.map((s) => put([...s.path, 'area'], null))
    openArea(null)
    sheet.change([...operations, { op: 'remove', path: ['areas', area.id] }], `deleted ${area.name}`)
  }
  function addPart(area: Area, part: Part) {
    sheet.change([{ op: 'insert', path: ['areas', area.id, 'parts'], item: part }], `added to ${area.name}`)
    takePart(part)
  }
  /** Take a part in hand: its controls unfold, its handles lie on the stage, and what it waits for can be picked. */
  function takePart(part: Part) {
    room.openPart = part.id
    room.picking = room.drawing = null
    if (part.source !== 'strokes') room.painting = false
    const empty = (name: string) => Array.isArray(part[name]) && !(part[name] as unknown[]).length
    if (part.id && (empty('samples') || empty('points') || empty('clicks')))
      room.picking = { part: part.id, take: false }
    if (part.id && empty('shapes')) room.drawing = { part: part.id, take: false, smooth: true }
  }
  const partPath = (area: Area, part: Part) => [
    'areas',
    area.id,
    'parts',
    part.id ?? area.parts.indexOf(part),
  ]
  const partPuts = (area: Area, part: Part, changes: object) =>
    Object.entries(changes).map(([name, value]) => put([...partPath(area, part), name], value))
  const attemptPart = (area: Area, part: Part, changes: object) =>
    sheet.attempt(partPuts(area, part, changes))
  const changePart = (area: Area, part: Part, changes: object) =>
    sheet.change(partPuts(area, part, changes), `changed ${area.name}`)
  /** The open area's part in hand. */
  function openPart(): { area: Area; part: Part } | null {
    const area = sheet.area(room.openArea)
    const part = area?.parts.find((p) => p.id !== null && p.id === room.openPart)
    return area && part ? { area, part } : null
  }
  function setPart(area: Area, index: number, field: 'join' | 'on', value: unknown) {
    sheet.change([put(['areas', area.id, 'parts', index, field], value)], `changed ${area.name}`)
  }
  function movePart(area: Area, index: number, to: number) {
    const list = ['areas', area.id, 'parts']
    sheet.change([{ op: 'move', path: [...list, index], into: list, index: to }], `reordered ${area.name}`)
  }
  function deletePart(area: Area, index: number) {
    sheet.change(
      [{ op: 'remove', path: ['areas', area.id, 'parts', index] }],
      `took a part out of ${area.name}`,
    )
  }

  /** The part that the brush paints into, if there is one. */
  function paintPart(): { area: Area; part: Part; index: number } | null {
    const area = sheet.area(room.openArea)
    if (!area) return null
    const index = area.parts.findIndex((p) => p.id === room.openPart && p.source === 'strokes')
    const found = index >= 0 ? index : area.parts.findLastIndex((p) => p.source === 'strokes')
    return found >= 0 ? { area, part: area.parts[found]!, index: found } : null
  }
  function strokeOperation(stroke: Stroke): Operation[] {
    const target = paintPart()
    if (!target) return []
    return [
      {
        op: 'insert',
        path: ['areas', target.area.id, 'parts', target.part.id ?? target.index, 'strokes'],
        item: stroke,
      },
    ]
  }

  /** Point at the picture with the open touch: by its first pick, the next, and then no more. */
  function point() {
    const touch = sheet.touch(room.openTouch)?.touch
    const picks = sheet.kinds.find((k) => k.kind === touch?.kind)?.picks ?? []
    const now = picks.findIndex((p) => p.name === room.pointing?.pick)
    const next = picks[now + 1]
    room.pointing = touch && next ? { touch: touch.id, pick: next.name } : null
    if (room.pointing) room.painting = false
  }

  /** Take the brush: on the open area, else on the open touch's new one. */
  function takeBrush() {
    room.pointing = room.picking = room.drawing = null
    if (room.painting) {
      room.painting = false
      return
    }
    const target = paintPart()
    const area = sheet.area(room.openArea)
    if (!target && area) addPart(area, brushPart())
    else if (!area) return paintNew(sheet.touch(room.openTouch)?.touch)
    room.painting = true
  }

  return {
    startTouch, openTouch, openArea, setTouch, attemptTouch, attemptSettings, setSettings, place, makeArea, makeFrom, paintNew, paintAway,
    moveTouch, moveTouchTo, picked, keepTogether, takeApart, moveInto, moveOut, setBeside, switchAll, deleteAll, duplicateTouch, deleteTouch, makeFound, setArea, attemptArea, fill, empty, deleteArea, addPart,
    setPart, movePart, deletePart, takePart, attemptPart, changePart, openPart, paintPart, strokeOperation, takeBrush, point, say,
  } // prettier-ignore
}
