import { computed, type Ref, ref } from 'vue'
import { useActions } from '../edits/actions'
import { useRoom } from '../stores/room'
import type { Spot, View } from './geometry'
import type { useOutline } from './useOutline'
import type { usePainter } from './usePainter'
import type { usePointing } from './usePointing'
import type { useThing } from './useThing'
import type { StageView } from './useView'

const WHEEL = 0.0016
const [SMALLEST, LARGEST] = [0.002, 0.6]

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
) {
  const room = useRoom()
  const actions = useActions()
  const spaceHeld = ref(false)
  const sizing = ref<{ x: number; size: number } | null>(null)
  const panning = ref<(Spot & { view: View }) | null>(null)
  const brush = actions.brushInHand
  const clampSize = (n: number) => Math.min(LARGEST, Math.max(SMALLEST, Number(n.toFixed(4))))

  function down(event: PointerEvent) {
    pointer.value = on.spot(event)
    const hold = () => box.value!.setPointerCapture(event.pointerId)
    const first = event.button === 0
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
    } else if (event.button === 1 || (first && (spaceHeld.value || !room.painting))) {
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
