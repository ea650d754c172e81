import type { Mending, ShapeStroke } from '../sheet/types'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** What is open and in hand in the workroom. */
export function useOpening() {
  const sheet = useSheet()
  const room = useRoom()

  /** Unfold a touch; its area comes into view with it. */
  function openTouch(id: string | null) {
    if (id !== room.openTouch) {
      room.pointing = room.reach = null
      room.patch = room.origin = null
      room.sourcing = false
      // What belongs to one touch steps aside with it.
      if (room.look === 'layer' || (room.painting && paints(room.openTouch))) room.look = 'plain'
      if (paints(room.openTouch)) room.painting = false
    }
    room.openTouch = id
    room.entry = 0
    const opened = sheet.touch(id)?.touch
    if (opened?.kind === 'reshape') room.nextShape.does = opened.settings.next as ShapeStroke['does']
    if (opened?.kind === 'repair') {
      room.nextPatch.way = opened.settings.next as Mending['way']
      room.nextPatch.of = opened.settings.next_of as Mending['of']
    }
    const area = sheet.touch(id)?.touch.area ?? null
    if (id !== null && area !== room.openArea) openArea(area, room.chain)
  }

  function openArea(id: string | null, chain = true) {
    room.openArea = id
    room.chain = id !== null && chain
    room.painting = room.painting && (id !== null || paints(room.openTouch))
    const parts = sheet.area(id)?.parts ?? []
    room.openPart = (parts.findLast((p) => p.source === 'strokes') ?? parts[parts.length - 1])?.id ?? null
    room.picking = room.drawing = null
  }

  /** Open an area for what it does: the sentence that uses it opens with it, so that both are at hand. */
  function openWithUse(id: string) {
    const uses = (of: string | null) => sheet.touch(of)?.touch.area === id
    const user = sheet.steps.findLast((step) => uses(step.touch.id))
    openArea(id)
    if (user && !uses(room.openTouch)) openTouch(user.touch.id)
  }

  /** Whether a touch owns strokes, and is painted with. */
  const paints = (id: string | null) =>
    sheet.kinds
      .find((k) => k.kind === sheet.touch(id)?.touch.kind)
      ?.settings.some((s) => ['strokes', 'patches', 'shapes'].includes(s.control)) ?? false

  return { openTouch, openArea, openWithUse, paints }
}
