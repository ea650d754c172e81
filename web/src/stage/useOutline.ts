import { computed, ref } from 'vue'
import { shapeThrough } from '../sheet/outline'
import { useRoom } from '../stores/room'
import { useActions } from '../edits/actions'

type Place = [number, number]
interface Spot {
  x: number
  y: number
}
/** Stage pixels: from here on a press is a freehand line; how close its points stand; how near the first closes. */
const FREEHAND = 6
const APART = 9
const NEAR = 9

/** Drawing a closed outline on the stage: points by clicks, or a freehand line. */
export function useOutline(toPlace: (at: Spot) => Place, toSpot: (place: Place) => Spot) {
  const room = useRoom()
  const actions = useActions()
  const points = ref<Place[]>([])
  const corners = ref<boolean[]>([])
  const pressed = ref<{ at: Spot; free: boolean } | null>(null)
  const over = ref<Spot | null>(null)

  const far = (a: Spot, b: Spot) => Math.hypot(a.x - b.x, a.y - b.y)

  /** What is drawn so far, with the pointer, in stage pixels. */
  const line = computed(() => {
    const spots = points.value.map(toSpot)
    if (over.value && !pressed.value?.free) spots.push(over.value)
    return spots.map((s, i) => `${i ? 'L' : 'M'}${s.x.toFixed(1)} ${s.y.toFixed(1)}`).join('')
  })
  const dots = computed(() => (pressed.value?.free ? [] : points.value.map(toSpot)))

  function close(cut = false) {
    const [drawn, sharp] = [points.value, corners.value]
    const target = actions.openPart()
    points.value = []
    corners.value = []
    if (!room.drawing || !target || drawn.length < 3) return
    const path = shapeThrough(drawn, room.drawing.smooth, sharp)
    const shapes = (target.part.shapes ?? []) as { path: string; take: boolean }[]
    const take = room.drawing.take !== cut
    actions.changePart(target.area, target.part, { shapes: [...shapes, { path, take }] })
  }

  return {
    line,
    dots,
    active: () => points.value.length > 0,
    /** Shift sets a corner into a smooth outline. */
    down(at: Spot, event: { altKey: boolean; shiftKey: boolean }) {
      const first = points.value[0]
      if (points.value.length >= 3 && first && far(toSpot(first), at) < NEAR) {
        close(event.altKey)
        return
      }
      pressed.value = { at, free: false }
      points.value = [...points.value, toPlace(at)]
      corners.value = [...corners.value, event.shiftKey]
    },
    move(at: Spot) {
      over.value = at
      if (!pressed.value) return
      if (!pressed.value.free && points.value.length === 1 && far(pressed.value.at, at) > FREEHAND)
        pressed.value = { ...pressed.value, free: true }
      const last = points.value[points.value.length - 1]
      if (pressed.value.free && last && far(toSpot(last), at) > APART)
        points.value = [...points.value, toPlace(at)]
    },
    up(event: { altKey: boolean }) {
      const free = pressed.value?.free
      pressed.value = null
      if (free) close(event.altKey)
    },
    close,
    cancel(): boolean {
      const was = points.value.length > 0
      points.value = []
      corners.value = []
      pressed.value = null
      return was
    },
  }
}
