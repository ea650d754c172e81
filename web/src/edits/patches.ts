import { api } from '../api/client'
import { patchWords, TAKES, wholePixels } from '../sheet/patches'
import { freshId, type Mending, type Painted, type Patch, type PatchStroke, type Touch } from '../sheet/types'
import { useNotices } from '../stores/notices'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useHand } from './hand'
import { put } from './operations'

/** What is changed of one patch; null takes it away. */
export interface PatchChange {
  id: string
  changes: Partial<Patch> | null
}
type Point = readonly [number, number, ...number[]]

/** Offsets that each patch had and that were not wanted. */
const refused = new Map<string, [number, number][]>()

/** What can be done with the patches of a repair. */
export function usePatches() {
  const sheet = useSheet()
  const room = useRoom()
  const notices = useNotices()
  const { mendTouch } = useHand()

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
    return { way, of, source, turn: 0, mirror: false, scale: 1, colour, strength: 1, on: true }
  }
  /** How a stroke that begins there is laid while it is painted; null where its source is found afterwards. */
  function mendingFrom(start: Point): Mending | null {
    const mending = settingsFrom(start)
    return TAKES.includes(mending.way) && !mending.source ? null : mending
  }

  async function ask(touch: Touch, patch: Patch, avoid: [number, number][], near = false) {
    const { data } = await api.POST('/api/portraits/{portrait_id}/sources', {
      params: { path: { portrait_id: sheet.portrait!.id } },
      body: { revision: sheet.revision, trial: sheet.ahead, touch: touch.id, patch, avoid, near },
    })
    return data!.source as [number, number]
  }

  /** A stroke becomes a patch; where it needs a source and none was chosen, one is found. */
  async function addPatch(stroke: Painted) {
    const touch = mendTouch()
    if (!touch) return
    const { size, softness, flow, pressure, points } = stroke
    const own: PatchStroke = { size, softness, flow, pressure, points, ceiling: 1, erase: false }
    const patch: Patch = { ...settingsFrom(points[0]!), id: freshId('m'), strokes: [own] }
    if (patch.source && room.origin) room.origin = { at: room.origin.at, offset: patch.source }
    const portrait = sheet.portrait!.id
    if (TAKES.includes(patch.way) && !patch.source) {
      try {
        if (patch.way === 'clone')
          throw new Error('A clone has no source yet: point at where it comes from (P).')
        patch.source = await ask(touch, patch, [])
      } catch (error) {
        notices.complain(error)
      }
      if (sheet.portrait?.id !== portrait || !sheet.touch(touch.id)) return
    }
    sheet.change(
      [{ op: 'insert', path: [...sheet.touch(touch.id)!.path, 'settings', 'patches'], item: patch }],
      patchWords(patch),
    )
    room.patch = patch.id
  }

  const operations = (touch: Touch, { id, changes }: PatchChange) =>
    changes
      ? Object.entries(changes).map(([name, value]) => put([...path(touch, id), name], value))
      : [{ op: 'remove' as const, path: path(touch, id) }]
  const attemptPatch = (touch: Touch, change: PatchChange) => sheet.attempt(operations(touch, change))
  function changePatch(touch: Touch, change: PatchChange) {
    const patch = patchesOf(touch).find((p) => p.id === change.id)
    if (!patch) return
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
  /** Another source for the patch that is picked up; none of those that it had comes again. */
  async function anotherSource(near = false) {
    const now = picked()
    if (!now || !TAKES.includes(now.patch.way)) return
    const { touch, patch } = now
    const had = refused.get(patch.id) ?? []
    if (patch.source && !near) refused.set(patch.id, [...had, patch.source])
    try {
      const source = await ask(touch, patch, near ? [] : (refused.get(patch.id) ?? []), near)
      if (picked()?.patch.id === patch.id) changePatch(touch, { id: patch.id, changes: { source } })
    } catch (error) {
      notices.complain(error)
    }
  }

  return {
    mendingFrom, addPatch, attemptPatch, changePatch, removePatch, sourceAt, anotherSource, pickedPatch: picked,
  } // prettier-ignore
}
