import { computed, type Ref, ref } from 'vue'
import { useActions } from '../edits/actions'
import { useRoom } from '../stores/room'
import { type Spot, type View, zoomed } from './geometry'
import { BARREL, ERASER } from './pen'
import type { useOutline } from './useOutline'
import type { usePainter } from './usePainter'
import type { usePointing } from './usePointing'
import type { useThing } from './useThing'
import type { StageView } from './useView'

const WHEEL = 0.0016
const [SMALLEST, LARGEST] = [0.002, 0.6]
/** Milliseconds for which a hand that lies down beside a pen is its palm. */
const PEN_NEAR = 800

interface Tools {
  painter: ReturnType<typeof usePainter>
  pointing: ReturnType<typeof usePointing>
  outline: ReturnType<typeof useOutline>
  thing: ReturnType<typeof useThing>
  pick: (at: Spot, take: boolean) => Promise<void>
}

/** One gesture in hand at a time: the pointer paints, points, draws, picks, sizes the brush, or moves the view. */
export function useGesture(
  on: StageView,
  box: Ref<HTMLElement | null>,
  pointer: Ref<Spot | null>,
  { painter, pointing, outline, thing, pick }: Tools,
  moved: () => void,
  letGo: () => unknown,
) {
  const room = useRoom()
  const actions = useActions()
  const spaceHeld = ref(false)
  const sizing = ref<{ x: number; size: number } | null>(null)
  const panning = ref<(Spot & { view: View }) | null>(null)
  const brush = actions.brushInHand
  /** Fingers on the stage, and what two of them began with. */
  const fingers = new Map<number, Spot>()
  let pinch: { view: View; middle: Spot; apart: number } | null = null
  /** When a pen was last seen; a finger beside it pans, and its palm does nothing. */
  let pen = -Infinity
  const clampSize = (n: number) => Math.min(LARGEST, Math.max(SMALLEST, Number(n.toFixed(4))))

  function between() {
    const [a, b] = [...fingers.values()] as [Spot, Spot]
    const apart = Math.max(1, Math.hypot(a.x - b.x, a.y - b.y))
    return { middle: { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 }, apart }
  }
  /** Whether a finger, or the palm of a hand with a pen, is not to begin anything. */
  function taken(event: PointerEvent): boolean {
    if (event.pointerType === 'pen') pen = event.timeStamp
    if (event.pointerType !== 'touch') return false
    if (painter.active() && !fingers.size) return true
    if (event.timeStamp - pen < PEN_NEAR) return true
    fingers.set(event.pointerId, on.spot(event))
    if (fingers.size < 2) return false
    // The first finger meant the view as well.
    letGo()
    panning.value = null
    pinch = fingers.size === 2 ? { view: on.view.value, ...between() } : null
    return true
  }
  function pinched() {
    if (!pinch) return
    const { middle, apart } = between()
    const nearer = zoomed(pinch.view, (pinch.view.zoom * apart) / pinch.apart, pinch.middle, on.stage.value)
    on.pan(middle.x - pinch.middle.x, middle.y - pinch.middle.y, nearer)
  }

  function down(event: PointerEvent) {
    if (taken(event)) return
    pointer.value = on.spot(event)
    const hold = () => box.value!.setPointerCapture(event.pointerId)
    const byPen = event.pointerType === 'pen'
    const first = event.button === 0 || (byPen && (event.button === ERASER || event.button === BARREL))
    const pans = spaceHeld.value || !room.painting || (event.pointerType === 'touch' && pen > 0)
    if (first && !spaceHeld.value && room.sourcing) {
      event.preventDefault()
      const { x, y } = on.inPicture(on.spot(event))
      actions.sourceAt([x, y])
    } else if (first && !spaceHeld.value && (room.pointing || room.drawing || room.picking)) {
      event.preventDefault()
      hold()
      // Keys are for the picture now: Enter closes an outline and opens no menu.
      ;(document.activeElement as HTMLElement | null)?.blur()
      if (room.pointing) pointing.down(on.spot(event))
      else if (room.drawing) outline.down(on.spot(event), event)
      else if (thing.picks()) thing.down(on.spot(event), room.picking!.take !== event.altKey)
      else void pick(on.spot(event), room.picking!.take !== event.altKey)
    } else if (event.button === 1 || (first && pans)) {
      event.preventDefault()
      panning.value = { ...on.spot(event), view: on.view.value }
      hold()
    } else if (first && !sizing.value && !painter.active() && actions.canPaint()) {
      event.preventDefault()
      hold()
      painter.down(event)
    }
  }
  function move(event: PointerEvent) {
    if (event.pointerType === 'pen') pen = event.timeStamp
    if (event.pointerType === 'touch') {
      // A palm, or a finger that came down before the pen.
      if (!fingers.has(event.pointerId)) return
      fingers.set(event.pointerId, on.spot(event))
      if (fingers.size > 1) {
        pinched()
        return
      }
    }
    const at = (pointer.value = on.spot(event))
    if (pointing.held.value) {
      pointing.move(at)
      return
    }
    moved()
    if (panning.value) on.pan(at.x - panning.value.x, at.y - panning.value.y, panning.value.view)
    else if (room.drawing) outline.move(at)
    else if (thing.picks()) thing.move(at)
    else if (sizing.value)
      brush().size = clampSize(sizing.value.size * Math.exp((at.x - sizing.value.x) * 0.008))
    else painter.move(event)
  }
  function up(event: PointerEvent) {
    if (event.pointerType === 'touch') {
      const both = fingers.size > 1
      if (!fingers.delete(event.pointerId)) return
      if (both) {
        // The finger that stays means nothing any more.
        fingers.clear()
        pinch = null
        return
      }
    }
    if (pointing.held.value) {
      pointing.up()
      return
    }
    if (room.drawing && !panning.value) {
      outline.up(event)
      return
    }
    if (thing.picks() && !panning.value) {
      thing.up()
      return
    }
    panning.value = null
    painter.up(event)
  }
  function left() {
    pointer.value = null
    thing.left()
    moved()
  }
  function wheel(event: WheelEvent) {
    if (painter.active()) return
    if (event.altKey && thing.picks()) room.wholeThings = event.deltaY < 0
    else if (event.shiftKey) on.pan(-event.deltaY - event.deltaX, 0)
    else on.setZoom(on.view.value.zoom * Math.exp(-event.deltaY * WHEEL), on.spot(event))
  }
  const cursor = computed(() => {
    if (panning.value) return 'grabbing'
    if ((room.pointing || room.drawing || room.picking || room.sourcing) && !spaceHeld.value)
      return 'crosshair'
    return spaceHeld.value || !room.painting ? 'grab' : 'none'
  })

  return {
    down, move, up, left, wheel, cursor, spaceHeld,
    panning: () => panning.value !== null,
    holdSize(on: boolean) {
      sizing.value = on && pointer.value ? { x: pointer.value.x, size: brush().size } : null
    },
    changeSize: (by: number) => (brush().size = clampSize(brush().size * by)),
  } // prettier-ignore
}
