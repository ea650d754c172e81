import { useElementSize, useLocalStorage } from '@vueuse/core'
import { computed, nextTick, type Ref, ref, watch } from 'vue'
import { useBent } from '../stores/bent'
import { useFound } from '../stores/found'
import { useNotices } from '../stores/notices'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import {
  fitted,
  held,
  HIGHEST_ZOOM,
  type Size,
  type Spot,
  toPicture,
  toStage,
  type View,
  zoomed,
} from './geometry'
import type { Scene } from './scene'

/** How the picture lies on the stage: its size, zoom and place; kept for each portrait until it is opened again. */
export function useView(box: Ref<HTMLElement | null>, pointer: Ref<Spot | null>) {
  const sheet = useSheet()
  const room = useRoom()
  const found = useFound()
  const notices = useNotices()
  const bent = useBent()
  const { width, height } = useElementSize(box)
  const kept = useLocalStorage<Record<string, View>>('needlepoint-views', {})

  const view = ref<View>({ zoom: 1, x: 0, y: 0 })
  const fitting = ref(true)
  const ratio = ref(window.devicePixelRatio || 1)
  /** All of the stage. */
  const outer = computed<Size>(() => ({ w: width.value, h: height.value }))
  /** A pane of the stage, when two pictures stand side by side. */
  const stage = computed<Size>(() => ({
    w: room.compare === 'pair' ? Math.floor(width.value / 2) : width.value,
    h: height.value,
  }))
  /** Where the finished picture's pane begins on the stage. */
  const pane = computed(() => (room.compare === 'pair' ? stage.value.w : 0))
  /** The finished picture. */
  const size = computed<Size>(() => bent.placing.size)
  /** Pixels to a long side of the original, however much of it is cut out. */
  const unit = computed(() => bent.placing.unit)
  const scene = (): Scene => ({
    view: view.value,
    stage: stage.value,
    picture: size.value,
    ratio: ratio.value,
  })

  function fit() {
    if (!stage.value.w) return
    fitting.value = true
    view.value = fitted(stage.value, size.value)
  }
  function go(next: View) {
    fitting.value = false
    view.value = held(next, size.value)
  }
  const middle = () => ({ x: stage.value.w / 2, y: stage.value.h / 2 })
  const setZoom = (zoom: number, at: Spot) => go(zoomed(view.value, zoom, at, stage.value))
  /** Zoom to `percent` of the picture's pixels on the screen's pixels. */
  const zoomTo = (percent: number, at = middle()) => setZoom(percent / 100 / ratio.value, at)
  const step = (by: number) => setZoom(view.value.zoom * by, pointer.value ?? middle())
  function pan(dx: number, dy: number, from: View = view.value) {
    go({ ...from, x: from.x - dx / from.zoom, y: from.y - dy / from.zoom })
  }
  /** Bring a box of the finished picture (long sides) into view, with some room round it. */
  function lookAt([x, y, w, h]: readonly number[], space = 1.6) {
    const u = unit.value
    const zoom = Math.min(stage.value.w / (w! * u * space), stage.value.h / (h! * u * space), HIGHEST_ZOOM)
    go({ zoom, x: (x! + w! / 2) * u, y: (y! + h! / 2) * u })
  }
  let turn = -1
  /** The next face, or the next eye. */
  function next(what: 'face' | 'eye') {
    const places = found.faces.flatMap((f) => (what === 'face' ? [f.box] : f.eyes))
    if (!places.length) {
      const missing = found.searching ? 'Faces are still being looked for.' : `There is no ${what} to go to.`
      notices.say(missing)
      return
    }
    turn = (turn + 1) % places.length
    lookAt(bent.placing.around(places[turn]!))
  }

  let left: { view: View; fitting: boolean; compare: typeof room.compare } | null = null
  const leave = () => (left = { view: { ...view.value }, fitting: fitting.value, compare: room.compare })
  /** Back to where one was before one came closer; whether one had. */
  function back(): boolean {
    if (!left) return false
    const was = left
    left = null
    room.compare = was.compare
    void nextTick(() => (was.fitting ? fit() : go(was.view)))
    return true
  }
  /** The open area fills the stage, both eyes together; called again, back to where one was. */
  function closer() {
    if (back()) return
    // Where an area lies that was opened just now is still on its way.
    soon = !!room.openArea && room.share === null
    if (soon) return
    if (!room.box) {
      notices.say(room.openArea ? 'This area covers nothing yet.' : 'No area is open to come closer to.')
      return
    }
    leave()
    lookAt(room.box, 1.3)
  }
  let soon = false
  watch(() => room.closer, closer)
  watch(
    () => room.share,
    () => {
      if (soon && room.share !== null) closer()
    },
  )
  watch(
    () => [room.openArea, sheet.portrait?.id],
    () => {
      left = null
      soon = false
    },
  )
  /** A cheek at full size, before and after side by side; called again, back to where one was. */
  function cheek() {
    if (back()) return
    const face = found.faces.find((f) => f.eyes.length)
    if (!face) {
      notices.say(found.searching ? 'Faces are still being looked for.' : 'There is no face to go to.')
      return
    }
    leave()
    room.compare = 'pair'
    const [x, y, w, h] = bent.placing.around(face.eyes[0]!)
    const down = 0.25 * bent.placing.around(face.box)[3]
    // Once the panes have their width.
    void nextTick(() =>
      go({ zoom: 1 / ratio.value, x: (x + w / 2) * unit.value, y: (y + h / 2 + down) * unit.value }),
    )
  }

  function spot(event: MouseEvent): Spot {
    const rect = box.value!.getBoundingClientRect()
    const x = event.clientX - rect.left
    const y = event.clientY - rect.top
    const { w, h } = stage.value
    // Side by side, a place is the same on both sides; what is seen before has not been moved.
    const still =
      { pair: x < w, across: x < w * room.splitAt, down: y < h * room.splitAt, no: false }[room.compare] ||
      room.before !== 'no'
    return { x: room.compare === 'pair' && x >= w ? x - w : x, y, still }
  }
  /** A stage spot as a place of the upright original, in long sides: where what is seen there lies. */
  function inPicture(at: Spot): Spot {
    const point = toPicture(view.value, at, stage.value)
    const place: [number, number] = [point.x / unit.value, point.y / unit.value]
    const [x, y] = at.still ? bent.still(place) : bent.back(place)
    return { x, y }
  }
  /** Where a place of the upright original is seen on the stage. */
  function onStage(place: readonly [number, number]): Spot {
    const [x, y] = bent.forth(place)
    return toStage(view.value, { x: x * unit.value, y: y * unit.value }, stage.value)
  }

  /** Where a place of the finished picture (long sides) lies on the stage. */
  const seenAt = ([x, y]: readonly [number, number]): Spot =>
    toStage(view.value, { x: x * unit.value, y: y * unit.value }, stage.value)

  /** The view is as it was left when the portrait is opened again. */
  function restore() {
    if (!stage.value.w || !sheet.portrait) return
    const was = kept.value[sheet.portrait.id]
    if (!was || ![was.zoom, was.x, was.y].every(Number.isFinite)) {
      fit()
      return
    }
    go(was)
  }
  let measured = false
  watch([width, height, () => room.compare], () => {
    ratio.value = window.devicePixelRatio || 1
    if (!measured && width.value) {
      measured = true
      restore()
    } else if (fitting.value) fit()
  })
  watch(
    () => sheet.portrait?.id,
    () => void nextTick(restore),
  )
  // Turned or cut out otherwise, it is another picture to look at.
  watch(
    [() => sheet.portrait?.id, () => size.value.w, () => size.value.h],
    (now, was) => now[0] === was[0] && fit(),
  )
  watch(view, () => {
    room.zoomLabel = fitting.value ? 'fit' : `${Math.round(view.value.zoom * ratio.value * 100)} %`
    const id = sheet.portrait?.id
    if (!id) return
    const others = Object.entries(kept.value).filter(([other]) => other !== id)
    kept.value = Object.fromEntries(fitting.value ? others : [...others, [id, { ...view.value }]])
  })

  return { view, fitting, ratio, outer, stage, pane, size, unit, scene, fit, go, setZoom, zoomTo, step, pan, next, cheek, closer, spot, inPicture, onStage, seenAt } // prettier-ignore
}
export type StageView = ReturnType<typeof useView>
