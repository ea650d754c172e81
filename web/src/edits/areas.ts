import type { Operation, Source } from '../api/client'
import { foundName, foundPart, onFace } from '../sheet/found'
import { type Area, brushPart, freshId, type Part, sourcePart, type Touch, wholePart } from '../sheet/types'
import { freshName } from '../sheet/words'
import { useFound } from '../stores/found'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useOpening } from './opening'
import { put } from './operations'
import { useTouches } from './touches'

const BARE = { grow: 0, feather: 0, invert: false }

/** What can be done with areas and their parts. */
export function useAreas() {
  const sheet = useSheet()
  const room = useRoom()
  const found = useFound()
  const { openArea } = useOpening()
  const { place } = useTouches()
  const path = (id: string) => sheet.touch(id)!.path

  /** Make an area and, if a touch is given, let it work there; then paint. */
  function makeArea(parts: Part[], touch?: Touch, base?: string): Area {
    const area: Area = {
      id: freshId('a'),
      name: freshName(sheet.areas, base),
      parts,
      ...BARE,
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
  /** Make an area from a source of the catalogue, and take it in hand. */
  function makeFrom(name: string, touch?: Touch) {
    const source = sheet.sources.find((s) => s.source === name)
    if (source) makeArea([sourcePart(source, onFace(source, found.faces))], touch, source.area_name)
  }
  const knownOf = (part: Part) =>
    sheet.areas.find(
      ({ parts: [own, ...more] }) =>
        !more.length && own?.source === part.source && own.part === part.part && own.of === part.of,
    )
  /** Make an area of something found, or open the one that there is, so that a touch can start on it. */
  function makeFound(name: string, of: number, touch?: Touch) {
    const part = foundPart(name, of)
    const known = knownOf(part)
    if (!known) return void makeArea([part], touch, foundName(name, of, sheet.doc.people))
    if (touch && touch.area !== known.id) {
      place(touch, known.id)
      return
    }
    openArea(known.id)
  }
  /** The area of something found and what makes it, if there is none yet. */
  function areaOf(name: string): { area: Area; made: Operation[] } {
    const part = foundPart(name, 0)
    const known = knownOf(part)
    if (known) return { area: known, made: [] }
    const fresh = freshName(sheet.areas, foundName(name, 0, sheet.doc.people))
    const area: Area = { ...BARE, id: freshId('a'), name: fresh, parts: [part] }
    return { area, made: [{ op: 'insert', path: ['areas'], item: area }] }
  }
  /** Have an area of something found on the sheet, without opening it; its id. */
  function keepFound(name: string): string {
    const { area, made } = areaOf(name)
    if (made.length) sheet.change(made, `new area: ${area.name}`)
    return area.id
  }
  /** Let a setting of a touch name an area of something found: the one that there is, or a new one. */
  function nameFound(touch: Touch, setting: string, name: string) {
    const { area, made } = areaOf(name)
    sheet.change(
      [...made, put([...path(touch.id), 'settings', setting], area.id)],
      `${area.name} stays where it is`,
    )
  }
  const paintAway = (touch?: Touch) => {
    makeArea([wholePart(), brushPart('take')], touch, 'all but the painted')
    room.painting = true
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
    for (const { touch, path: at } of sheet.steps)
      for (const { name, control } of sheet.kinds.find((k) => k.kind === touch.kind)?.settings ?? [])
        if (control === 'area' && touch.settings[name] === area.id)
          operations.push(put([...at, 'settings', name], null))
    openArea(null)
    sheet.change([...operations, { op: 'remove', path: ['areas', area.id] }], `deleted ${area.name}`)
  }
  /** Add a part from a source of the catalogue; one that narrows begins as *only where* after others. */
  function addSource(area: Area, source: Source) {
    // Of what is still empty nothing would be left.
    const covers = area.parts.some((p) => p.source !== 'strokes' || (p.strokes as unknown[]).length > 0)
    const join = source.narrows && covers ? 'only' : 'add'
    addPart(area, sourcePart(source, onFace(source, found.faces), join))
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

  return {
    makeArea, makeFrom, makeFound, keepFound, nameFound, paintNew, paintAway, setArea, attemptArea, fill, empty, deleteArea, addSource, addPart, takePart,
    setPart, movePart, deletePart, attemptPart, changePart, openPart,
  } // prettier-ignore
}
