import { api, type Operation } from '../api/client'
import { patchWords, TAKES, wholePixels } from '../sheet/patches'
import {
  type Filling,
  freshId,
  type Mending,
  type Painted,
  type Patch,
  type PatchStroke,
  type Touch,
} from '../sheet/types'
import { useNotices } from '../stores/notices'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useHand } from './hand'
import { useOpening } from './opening'
import { put } from './operations'

/** What is changed of one patch; null takes it away. */
export interface PatchChange {
  id: string
  changes: Partial<Patch> | null
}
const FILLING = '/api/portraits/{portrait_id}/fillings/{name}'
/** Milliseconds between two questions of how far a filling is. */
const HOW_FAR_EVERY = 300
type Point = readonly [number, number, ...number[]]

/** Offsets that each patch had and that were not wanted. */
const refused = new Map<string, [number, number][]>()
/** What is being looked for at the moment can be stopped. */
let stopping: AbortController | null = null
/** How often another filling was asked for: each is made by another chance. */
let tries = 0

/** What can be done with the patches of a repair. */
export function usePatches() {
  const sheet = useSheet()
  const room = useRoom()
  const notices = useNotices()
  const { mendTouch } = useHand()
  const { openArea } = useOpening()

  const unit = () => Math.max(sheet.portrait?.facts?.width ?? 1, sheet.portrait?.facts?.height ?? 1)
  const patchesOf = (touch: Touch) => touch.settings.patches as Patch[]
  const path = (touch: Touch, id: string) => [...sheet.touch(touch.id)!.path, 'settings', 'patches', id]
  /** The patch that is picked up, of the open repair. */
  function picked(): { touch: Touch; patch: Patch } | null {
    const touch = mendTouch()
    const patch = touch && patchesOf(touch).find((p) => p.id === room.patch)
    return touch && patch ? { touch, patch } : null
  }

  /** From a place of the picture to where a patch that begins there comes from. */
  function offsetFrom([x, y]: Point): [number, number] | null {
    if (!room.origin) return null
    const { at, offset } = room.origin
    if (offset && room.nextPatch.walking) return offset
    return wholePixels([at[0] - x, at[1] - y], unit())
  }
  function settingsFrom(start: Point): Mending {
    const { way, of } = room.nextPatch
    const colour = (mendTouch()?.settings.next_colour as string | undefined) ?? '#808080'
    const source = TAKES.includes(way) && way !== 'spot' ? offsetFrom(start) : null
    return { way, of, source, turn: 0, mirror: false, scale: 1, colour, strength: 1, forms: 0, on: true }
  }
  /** How a stroke that begins there is laid while it is painted; null where its source is found afterwards. */
  function mendingFrom(start: Point): Mending | null {
    const mending = settingsFrom(start)
    return mending.way === 'fill' || (TAKES.includes(mending.way) && !mending.source) ? null : mending
  }

  /** Let something be looked for; null if it was stopped, or if the sheet is no longer open. */
  async function seek<T>(words: string, look: (signal: AbortSignal) => Promise<T>): Promise<T | null> {
    const portrait = sheet.portrait!.id
    const stop = (stopping = new AbortController())
    room.seeking = words
    try {
      const found = await look(stop.signal)
      return sheet.portrait?.id === portrait && !stop.signal.aborted ? found : null
    } catch (error) {
      if (stop.signal.aborted) return null
      throw error
    } finally {
      if (stopping === stop) {
        stopping = null
        room.seeking = ''
      }
    }
  }
  /** Stop what is being looked for; whether anything was. */
  function stopSeeking(): boolean {
    stopping?.abort()
    return stopping !== null
  }
  const asked = (touch: Touch) => ({ revision: sheet.revision, trial: sheet.ahead, touch: touch.id })
  /** The area that sources and fillings are to come from, as long as it is there. */
  const within = () => sheet.area(room.nextPatch.within)?.id ?? null
  const of = () => ({ path: { portrait_id: sheet.portrait!.id } })
  const sourceFor = (touch: Touch, patch: Patch, avoid: [number, number][], near = false) =>
    seek('looking for a like place', async (signal) => {
      const body = { ...asked(touch), patch, avoid, near, within: within() }
      const { data } = await api.POST('/api/portraits/{portrait_id}/sources', { params: of(), body, signal })
      return data! as { source: [number, number]; forms: number }
    })
  const fillingFor = (touch: Touch, what: { patch: Patch } | { area: string }, seed = 0) =>
    seek('making up what could be there', async (signal) => {
      const name = freshId('f')
      const body = { ...asked(touch), ...what, seed, name, within: within() }
      const params = { path: { ...of().path, name } }
      const looking = setInterval(() => void howFar(params, signal), HOW_FAR_EVERY)
      signal.addEventListener('abort', () => void api.DELETE(FILLING, { params }).catch(() => null))
      try {
        const { data } = await api.POST('/api/portraits/{portrait_id}/fillings', {
          params: of(),
          body,
          signal,
        })
        return data as Filling
      } finally {
        clearInterval(looking)
        room.sought = null
      }
    })
  async function howFar(params: { path: { portrait_id: string; name: string } }, signal: AbortSignal) {
    // It may not have begun, or be done.
    const answer = await api.GET(FILLING, { params, signal }).catch(() => null)
    if (answer?.data && room.seeking) room.sought = answer.data.share
  }

  /** A stroke becomes a patch; what it needs and was not chosen is found. */
  async function addPatch(stroke: Painted) {
    const touch = mendTouch()
    if (!touch) return
    const { size, softness, flow, pressure, points } = stroke
    const fill_inside = 'fill_inside' in stroke && stroke.fill_inside
    const own: PatchStroke = { size, softness, flow, pressure, points, fill_inside, ceiling: 1, erase: false }
    await lay(touch, [own])
  }
  /** A patch of strokes in the way that is chosen; what it needs and was not chosen is found. */
  async function lay(touch: Touch, strokes: PatchStroke[], more: Operation[] = []) {
    const patch: Patch = { ...settingsFrom(strokes[0]!.points[0]!), id: freshId('m'), strokes }
    if (patch.source && room.origin) room.origin = { at: room.origin.at, offset: patch.source }
    const wants = (TAKES.includes(patch.way) && !patch.source) || patch.way === 'fill'
    try {
      if (patch.way === 'clone' && !patch.source)
        throw new Error('A clone has no source yet: point at where it comes from (P).')
      if (patch.way === 'fill') patch.filling = await fillingFor(touch, { patch })
      else if (wants) Object.assign(patch, await sourceFor(touch, patch, []))
      // Stopped: the stroke is let go.
      if (wants && !patch.source && !patch.filling) return
    } catch (error) {
      notices.complain(error)
    }
    insert(touch, patch, more)
  }
  function insert(touch: Touch, patch: Patch, more: Operation[] = []) {
    const at = sheet.touch(touch.id)?.path
    if (!at) return
    sheet.change(
      [{ op: 'insert', path: [...at, 'settings', 'patches'], item: patch }, ...more],
      patchWords(patch),
    )
    room.patch = patch.id
    // What was meant is done: the area would only lie over it.
    if (more.length) openArea(null)
  }
  /** One patch on all of an area; the repair itself then works everywhere: the area's own edge would leave a rim. */
  async function mendArea(touch: Touch, area: string) {
    const free = touch.area === area ? [put([...sheet.touch(touch.id)!.path, 'area'], null)] : []
    try {
      if (room.nextPatch.way !== 'fill') {
        const body = { ...asked(touch), area }
        const { data } = await api.POST('/api/portraits/{portrait_id}/patch-outlines', { params: of(), body })
        await lay(touch, data!.strokes as PatchStroke[], free)
        return
      }
      const filling = await fillingFor(touch, { area })
      if (!filling) return
      const patch: Patch = {
        ...settingsFrom([0, 0]), way: 'fill', source: null, id: freshId('m'), strokes: [], filling,
      } // prettier-ignore
      insert(touch, patch, free)
    } catch (error) {
      notices.complain(error)
    }
  }

  const operations = (touch: Touch, { id, changes }: PatchChange) =>
    changes
      ? Object.entries(changes).map(([name, value]) => put([...path(touch, id), name], value))
      : [{ op: 'remove' as const, path: path(touch, id) }]
  const attemptPatch = (touch: Touch, change: PatchChange) => sheet.attempt(operations(touch, change))
  function changePatch(touch: Touch, change: PatchChange) {
    const patch = patchesOf(touch).find((p) => p.id === change.id)
    if (!patch) return
    if (change.changes && !Object.keys(change.changes).length) return
    const { source } = change.changes ?? {}
    const changes = source ? { ...change.changes, source: wholePixels(source, unit()) } : change.changes
    if (!changes && room.patch === patch.id) room.patch = null
    const words = changes
      ? `changed: ${patchWords({ ...patch, ...changes })}`
      : `deleted: ${patchWords(patch)}`
    sheet.change(operations(touch, { id: change.id, changes }), words)
  }
  /** Take the patch away that is picked up; whether there was one. */
  function removePatch(): boolean {
    const now = picked()
    if (now) changePatch(now.touch, { id: now.patch.id, changes: null })
    return now !== null
  }

  /** Point at a source: of the patch that is picked up, or with the brush in hand of those to come. */
  function sourceAt(at: [number, number]) {
    room.sourcing = false
    const now = room.painting ? null : picked()
    if (!now) {
      room.origin = { at, offset: null }
      if (room.nextPatch.way === 'spot') room.nextPatch.way = 'heal'
      return
    }
    const [x, y] = now.patch.strokes[0]!.points[0]!
    changePatch(now.touch, { id: now.patch.id, changes: { source: [at[0] - x, at[1] - y] } })
  }
  /** Another source for the patch that is picked up, none of those that it had; or another filling. */
  async function anotherSource(near = false) {
    const now = picked()
    if (!now) return
    const { touch, patch } = now
    const had = refused.get(patch.id) ?? []
    try {
      if (patch.way === 'fill') {
        tries += 1
        const what = patch.strokes.length || !touch.area ? { patch } : { area: touch.area }
        const filling = await fillingFor(touch, what, tries)
        if (filling) changePatch(touch, { id: patch.id, changes: { filling } })
      } else if (TAKES.includes(patch.way)) {
        if (patch.source && !near) refused.set(patch.id, [...had, patch.source])
        const changes = await sourceFor(touch, patch, near ? [] : (refused.get(patch.id) ?? []), near)
        if (changes) changePatch(touch, { id: patch.id, changes })
      }
    } catch (error) {
      notices.complain(error)
    }
  }

  return {
    mendingFrom, addPatch, attemptPatch, changePatch, removePatch, sourceAt, anotherSource, stopSeeking, mendArea,
  } // prettier-ignore
}
