import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import type { Operation } from '../api/client'
import {
  cropRect,
  type Geometry,
  isUpright,
  levelBy,
  Placing,
  type Rect,
  shapedRect,
  shrunkInto,
  straightened,
  turnedBy,
  UPRIGHT,
  withCrop,
  wordsOf,
} from '../sheet/turning'
import { useRoom } from './room'
import { useSheet } from './sheet'

const put = (value: Geometry): Operation => ({ op: 'put', path: ['geometry'], value, gone: false })

/**
 * Turning, straightening and cropping: while it is open, the picture is shown without its crop, with a frame on it;
 * what was done is kept as one edit.
 */
export const useTurning = defineStore('turning', () => {
  const sheet = useSheet()
  const room = useRoom()
  /** What is tried; null while nothing is. */
  const draft = ref<Geometry | null>(null)
  /** Width to height that the frame keeps; null: any. */
  const shape = ref<number | null>(null)
  /** A line that should be level or upright is being asked for. */
  const level = ref(false)
  const size = computed(() => ({
    width: sheet.portrait?.facts?.width ?? 1,
    height: sheet.portrait?.facts?.height ?? 1,
  }))
  const geometry = computed<Geometry>(() => draft.value ?? sheet.doc.geometry ?? UPRIGHT)
  /** The picture under the frame: whole, but for its turns and straightening. */
  const whole = computed(
    () => new Placing({ ...geometry.value, crop: null }, size.value.width, size.value.height),
  )
  const rect = computed<Rect>(() => cropRect(geometry.value, size.value.width, size.value.height))
  /** Pixels of the finished picture as it is tried. */
  const pixels = computed(() => new Placing(geometry.value, size.value.width, size.value.height).size)

  function show() {
    if (draft.value) sheet.attempt([put({ ...draft.value, crop: null })])
  }
  function set(next: Geometry) {
    draft.value = next
    show()
  }
  function open() {
    if (draft.value) return
    room.painting = false
    room.pointing = room.picking = room.drawing = null
    level.value = false
    shape.value = null
    set({ ...geometry.value })
  }
  function end() {
    draft.value = null
    level.value = false
    sheet.attempt([])
  }
  function done() {
    const next = draft.value
    if (!next) return
    const was = sheet.doc.geometry ?? UPRIGHT
    end()
    if (JSON.stringify(next) !== JSON.stringify(was)) sheet.change([put(next)], wordsOf(was, next))
  }
  /** The frame stays on the picture that is seen under it. */
  function holdFrame() {
    const [, , w, h] = whole.value.box
    if (geometry.value.crop) crop(shrunkInto(rect.value, w, h))
  }
  function straighten(degrees: number) {
    draft.value = straightened(geometry.value, degrees)
    holdFrame()
    show()
  }
  /** A way that was drawn along what should be level or upright. */
  function along(dx: number, dy: number) {
    level.value = false
    straighten(geometry.value.straighten + levelBy(dx, dy))
  }
  function crop(next: Rect) {
    // The picture under the frame stays as it is.
    draft.value = withCrop(geometry.value, next, size.value.width, size.value.height)
  }
  function keepShape(next: number | null) {
    shape.value = next
    const [, , w, h] = whole.value.box
    if (next !== null) crop(shapedRect(rect.value, next, w, h))
  }
  function turn(by: number) {
    if (shape.value !== null && by % 2) shape.value = 1 / shape.value
    set(turnedBy(geometry.value, by))
  }
  function reset() {
    shape.value = null
    set({ ...UPRIGHT })
  }
  // Whatever else is tried or kept meanwhile, the frame goes on lying on the whole picture.
  watch(
    () => sheet.trial,
    (trial) => {
      if (draft.value && !trial.length) show()
    },
  )
  watch(
    () => sheet.portrait?.id,
    () => {
      draft.value = null
    },
  )
  return {
    draft, shape, level, geometry, whole, rect, pixels, isUpright: computed(() => isUpright(geometry.value)),
    open, end, done, set, straighten, along, crop, keepShape, turn, reset,
  } // prettier-ignore
})
