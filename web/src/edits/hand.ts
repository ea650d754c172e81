import type { Operation } from '../api/client'
import { type Area, brushPart, type Painted, type Part, type Touch } from '../sheet/types'
import { OTHERWISE } from '../sheet/shaping'
import { useFound } from '../stores/found'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useAreas } from './areas'
import { useOpening } from './opening'

/** What the hand does on the picture: it paints into a part, or points with a touch. */
export function useHand() {
  const sheet = useSheet()
  const room = useRoom()
  const found = useFound()
  const { addPart, paintNew } = useAreas()
  const { paints } = useOpening()

  /** The open touch, if it owns strokes and is the one that is painted with: no area's chain lies over it. */
  function owner(): Touch | null {
    return !room.chain && paints(room.openTouch) ? (sheet.touch(room.openTouch)?.touch ?? null) : null
  }
  const ofKind = (touch: Touch | null, kind: string) => (touch?.kind === kind ? touch : null)
  /** The open touch that lays light by strokes, if it is what is painted with. */
  const lightTouch = () => ofKind(owner(), 'dodge-burn')
  /** The open shape, if it is what is stroked with. */
  const shapeTouch = () => ofKind(owner(), 'reshape')
  /** The open repair, if it is what is painted with. */
  const mendTouch = () => ofKind(owner(), 'repair')
  /** The brush in hand: its size and the rest are kept for each use. */
  const brushInHand = () =>
    mendTouch() ? room.mend : shapeTouch() ? room.shape : lightTouch() ? room.light : room.brush
  /** Whether the brush in hand lays light with a touch, and not coverage. */
  const laysLight = () => lightTouch() !== null

  /** The part that the brush paints into, if there is one. */
  function paintPart(): { area: Area; part: Part; index: number } | null {
    const area = sheet.area(room.openArea)
    if (!area) return null
    const index = area.parts.findIndex((p) => p.id === room.openPart && p.source === 'strokes')
    const found = index >= 0 ? index : area.parts.findLastIndex((p) => p.source === 'strokes')
    return found >= 0 ? { area, part: area.parts[found]!, index: found } : null
  }
  /** Whether a stroke would have somewhere to go. */
  const canPaint = () => owner() !== null || paintPart() !== null
  function strokeOperation(stroke: Painted): Operation[] {
    const own = lightTouch() ?? shapeTouch()
    if (own)
      return [{ op: 'insert', path: [...sheet.touch(own.id)!.path, 'settings', 'strokes'], item: stroke }]
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

  /** What the next stroke of the open shape does, and its line if it is laid on both sides of a face. */
  function nextShape(other: boolean) {
    const { does, mirrored } = room.nextShape
    const face = mirrored ? found.faces.find((f) => f.axis.length) : undefined
    const mirror = face ? face.axis : null
    return { does: other ? OTHERWISE[does] : does, mirror }
  }

  /** Point at the picture with the open touch: by its first pick, the next, and then no more. */
  function point() {
    if (mendTouch() && room.nextPatch.way !== 'paint') {
      room.sourcing = !room.sourcing
      return
    }
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
    room.sourcing = false
    if (room.painting) {
      room.painting = false
      if (laysLight() && (room.look === 'grey' || room.look === 'unevenness')) room.look = 'plain'
      return
    }
    if (owner()) {
      room.painting = true
      return
    }
    const target = paintPart()
    const area = sheet.area(room.openArea)
    if (!target && area) addPart(area, brushPart())
    else if (!area) {
      paintNew(sheet.touch(room.openTouch)?.touch)
      return
    }
    room.painting = true
  }

  return {
    paintPart,
    lightTouch,
    laysLight,
    mendTouch,
    shapeTouch,
    nextShape,
    brushInHand,
    canPaint,
    strokeOperation,
    point,
    takeBrush,
  }
}
