import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** What is open and in hand in the workroom. */
export function useOpening() {
  const sheet = useSheet()
  const room = useRoom()

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

  return { openTouch, openArea }
}
