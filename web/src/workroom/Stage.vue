<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { api, type Operation } from '../api/client'
import { percent } from '../sheet/words'
import {
  fitted,
  frameOf,
  held,
  HIGHEST_ZOOM,
  type Size,
  toPicture,
  toStage,
  type View,
  zoomed,
} from '../stage/geometry'
import { alphaOf, drawLayers, drawMask, drawOnly, drawRim, drawStitches, type Scene } from '../stage/scene'
import { asAlpha } from '../stage/stitches'
import { usePainter } from '../stage/usePainter'
import { Latest } from '../stage/latest'
import { gradientShape, partShape } from '../stage/shapes'
import { useOutline } from '../stage/useOutline'
import { usePointing } from '../stage/usePointing'
import { useThing } from '../stage/useThing'
import { type Base, type Covered, Coverage, coveredKey, Views } from '../stage/views'
import { useFound } from '../stores/found'
import { useNotices } from '../stores/notices'
import { type BeforeOf, useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from './actions'
import { beforeWords, LOOKS } from './looks'
import Histogram from './Histogram.vue'
import SmallMap from './SmallMap.vue'
import SplitLine from './SplitLine.vue'
import StageHandles, { type Place } from './StageHandles.vue'

const sheet = useSheet()
const room = useRoom()
const actions = useActions()
const notices = useNotices()
const found = useFound()

const REST = 140
const WHOLE_SIDE = 700
const WHEEL = 0.0016
const ASK_NUMBERS = 70

const frameBox = ref<HTMLDivElement | null>(null)
const pictureCanvas = ref<HTMLCanvasElement | null>(null)
const overlayCanvas = ref<HTMLCanvasElement | null>(null)
const stage = ref<Size>({ w: 0, h: 0 })
const ratio = ref(window.devicePixelRatio || 1)
const view = ref<View>({ zoom: 1, x: 0, y: 0 })
const fitting = ref(true)
const pointer = ref<{ x: number; y: number } | null>(null)
const spaceHeld = ref(false)
const sizing = ref<{ x: number; size: number } | null>(null)
const panning = ref<{ x: number; y: number; view: View } | null>(null)
const views = new Views(
  () => void sheet.catchUp(),
  () => rest(0),
)
const coverage = new Coverage()

const size = computed<Size>(() => ({
  w: sheet.portrait?.facts?.width ?? 1,
  h: sheet.portrait?.facts?.height ?? 1,
}))
const unit = computed(() => Math.max(size.value.w, size.value.h))
const shownArea = computed(() => room.hoverFound?.id ?? room.hoverArea ?? room.openArea)
/** Whose coverage is looked at: a touch's while its limit is in hand, else the area's. */
const covered = computed<Covered | null>(() => {
  if (room.reach && sheet.touch(room.reach.touch)) return { touch: room.reach.touch }
  const pointedAt = room.hoverFound
  if (pointedAt) return { area: pointedAt.id, laid: [{ op: 'insert', path: ['areas'], item: pointedAt }] }
  return shownArea.value && sheet.area(shownArea.value) ? { area: shownArea.value } : null
})
const masked = computed(() => !!room.reach || (room.overlay === 'mask' && !!shownArea.value))
/** The point in hand of an outline: it shows the handles of its curve. */
const selected = ref<string | null>(null)
watch(
  () => room.openPart,
  () => (selected.value = null),
)
/** What has handles on the stage: the part in hand, else the open touch's gradient; and how it is changed. */
const shaped = computed(() => {
  if (room.painting || room.drawing || room.picking || room.pointing) return null
  const open = room.chain ? actions.openPart() : null
  const shape = open && partShape(open.part, selected.value)
  if (open && shape)
    return {
      shape,
      attempt: (changes: object) => actions.attemptPart(open.area, open.part, changes),
      change: (changes: object) => actions.changePart(open.area, open.part, changes),
    }
  const touch = sheet.touch(room.openTouch)?.touch
  if (touch?.kind !== 'wash' || touch.settings.of !== 'gradient') return null
  return {
    shape: gradientShape(touch),
    attempt: (changes: object) => actions.attemptSettings(touch, changes),
    change: (changes: object) => actions.setSettings(touch, changes),
  }
})
const brushRadius = computed(() => (room.brush.size / 2) * unit.value * view.value.zoom)
const scene = (): Scene => ({ view: view.value, stage: stage.value, picture: size.value, ratio: ratio.value })

const base = (): Base => ({
  portrait: sheet.portrait!.id,
  revision: sheet.revision,
  trial: sheet.ahead,
  keep: room.openTouch,
  look: room.look,
  check: { ...room.check },
})
/** What the picture is compared with: as chosen, or while it is held so, the sheet without the open touch. */
const beforeOf = computed<BeforeOf>(() => {
  const of: BeforeOf = room.before === 'touch' ? { kind: 'touch' } : room.beforeOf
  return (of.kind === 'touch' || of.kind === 'set') && !sheet.touch(room.openTouch)
    ? { kind: 'original' }
    : of
})
const beforeBase = (): Base => {
  const of = beforeOf.value
  if (of.kind === 'edit' && of.edit !== null) return { ...base(), trial: [], at: of.edit }
  if (of.kind === 'original' || of.kind === 'edit') return { ...base(), show: 'original' }
  const { path } = sheet.touch(room.openTouch)!
  const whose = of.kind === 'set' && path.length > 2 ? path.slice(0, 2) : path
  const off: Operation = { op: 'put', path: [...whose, 'on'], value: false, gone: false }
  return { ...base(), trial: [...sheet.ahead, off] }
}
const compared = computed(() => room.before !== 'no' || room.compare !== 'no')

const painter = usePainter({
  scene,
  spot,
  brush: () => room.brush,
  takesAway: () => room.takeAway,
  reach: reachOfArea,
  grown(stroke, box, asked) {
    draw()
    const frame = frameOf(view.value, stage.value, size.value, ratio.value, box)
    if (!frame) return
    const trial = actions.strokeOperation(stroke)
    // Once the pointer is up the stroke is a change of the sheet itself.
    views.dab(() => (asked() ? { ...base(), trial: [...sheet.ahead, ...trial] } : base()), frame)
  },
  done(stroke) {
    const area = sheet.area(room.openArea)?.name ?? 'the area'
    sheet.change(actions.strokeOperation(stroke), stroke.erase ? `took away from ${area}` : `painted ${area}`)
  },
})

// --- asking the server

let resting: ReturnType<typeof setTimeout> | undefined

function refresh(draft: boolean) {
  const scale = draft ? ratio.value / 2 : ratio.value
  const frame = frameOf(view.value, stage.value, size.value, scale)
  if (!frame || !sheet.portrait || painter.active()) return
  const revision = sheet.revision
  views.view(base, frame, draft, () => {
    if (!draft && sheet.revision === revision) refreshWhole()
  })
}
function refreshWhole() {
  if (fitting.value) {
    views.whole.value = null
    return
  }
  const share = Math.min(1, WHOLE_SIDE / unit.value)
  const [width, height] = [Math.round(size.value.w * share), Math.round(size.value.h * share)]
  views.wholeView(base, { width, height, x: 0, y: 0, w: width, h: height })
}
function rest(after = REST) {
  clearTimeout(resting)
  resting = setTimeout(() => {
    refresh(false)
    refreshCoverage()
    refreshBefore()
    if (pointer.value) tellNumbers()
  }, after)
}
function refreshCoverage() {
  const what = covered.value
  if (!what || (room.overlay === 'off' && !room.reach)) {
    if (!what) coverage.forget()
    return
  }
  const frame = frameOf(view.value, stage.value, size.value, ratio.value)
  if (!frame) return
  const kept = painter.kept()
  coverage.ask(base, what, frame, asAlpha, (share) => {
    if ('area' in what && what.area === room.openArea) room.share = share
    painter.forget(kept)
    draw()
  })
}
function refreshBefore(draft = false) {
  const frame = frameOf(view.value, stage.value, size.value, draft ? ratio.value / 2 : ratio.value)
  if (!compared.value || !frame || !sheet.portrait) return draw()
  views.beforeView(beforeBase, frame, draft)
}

watch(
  () => sheet.trial,
  (trial) => {
    if (trial.length) {
      refresh(true)
      const moves = room.reach ? 'touches' : 'areas'
      if (covered.value && trial.some((o) => o.path[0] === moves) && !painter.active()) refreshCoverage()
    }
    rest()
  },
)
watch([() => sheet.doc, () => sheet.revision], () => rest(0))
watch(
  () => room.look,
  () => {
    refresh(false)
    refreshBefore()
  },
)
watch(room.check, () => {
  refresh(false)
  refreshBefore()
})
watch(
  () => room.compare,
  () => {
    measure()
    refreshBefore()
  },
)
watch([() => room.beforeOf, () => room.openTouch], () => refreshBefore())
watch([() => room.splitAt], () => draw())
watch([covered, () => room.overlay, () => room.reach], () => {
  if (!shownArea.value) room.share = null
  refreshCoverage()
  draw()
})
// Areas of what was found cover nothing until it is.
watch(
  () => found.state.search,
  () => rest(0),
)
watch(room.thread, () => draw())
watch(
  () => room.before,
  () => refreshBefore(),
)
watch([views.main, views.whole, views.before, views.dabs, coverage.layer], () => draw())
watch(view, () => {
  room.zoomLabel = fitting.value ? 'fit' : `${Math.round(view.value.zoom * ratio.value * 100)} %`
  painter.replace()
  draw()
  refresh(true)
  if (room.compare !== 'no') refreshBefore(true)
  rest()
  keepView()
  tellView()
})
watch(() => sheet.portrait?.id, restoreView)

// --- looking

const viewKept = () => `needlepoint-view-${sheet.portrait?.id}`
/** The view is as it was left when the portrait is opened again. */
function restoreView() {
  if (!stage.value.w || !sheet.portrait) return
  let was: View | null = null
  try {
    was = JSON.parse(localStorage.getItem(viewKept()) ?? 'null') as View | null
  } catch {
    was = null
  }
  if (!was || ![was.zoom, was.x, was.y].every(Number.isFinite)) return fit()
  fitting.value = false
  view.value = held(was, size.value)
}
// Windows that follow each other: the place goes along, each keeps its own zoom.
const channel = new BroadcastChannel('needlepoint-view')
let told = ''
const place = () => `${Math.round(view.value.x)} ${Math.round(view.value.y)}`
/** What another window has in view, in stage pixels, while this one shows the whole picture. */
const elsewhere = ref<{ x: number; y: number; width: number; height: number } | null>(null)
channel.onmessage = ({
  data,
}: MessageEvent<{ portrait: string; view: View; stage: Size; fits: boolean }>) => {
  if (!room.follow || data.portrait !== sheet.portrait?.id) return
  if (!fitting.value) {
    elsewhere.value = null
    if (data.fits) return
    view.value = held({ ...view.value, x: data.view.x, y: data.view.y }, size.value)
    told = place()
    return
  }
  const at = toStage(
    view.value,
    {
      x: data.view.x - data.stage.w / 2 / data.view.zoom,
      y: data.view.y - data.stage.h / 2 / data.view.zoom,
    },
    stage.value,
  )
  const by = view.value.zoom / data.view.zoom
  elsewhere.value = data.fits ? null : { ...at, width: data.stage.w * by, height: data.stage.h * by }
}
function tellView() {
  if (!room.follow || !sheet.portrait || told === place()) return
  told = place()
  channel.postMessage({
    portrait: sheet.portrait.id,
    view: { ...view.value },
    stage: { ...stage.value },
    fits: fitting.value,
  })
}
watch(
  () => room.follow,
  (on) => {
    told = ''
    if (on) tellView()
    else elsewhere.value = null
  },
)

function keepView() {
  if (fitting.value) localStorage.removeItem(viewKept())
  else localStorage.setItem(viewKept(), JSON.stringify(view.value))
}
/** Bring a box of the picture (long sides) into view, with some room round it. */
function lookAt([x, y, w, h]: readonly number[], room = 1.6) {
  const u = unit.value
  const zoom = Math.min(stage.value.w / (w! * u * room), stage.value.h / (h! * u * room), HIGHEST_ZOOM)
  fitting.value = false
  view.value = held({ zoom, x: (x! + w! / 2) * u, y: (y! + h! / 2) * u }, size.value)
}
let turn = -1
/** The next face, or the next eye. */
function next(what: 'face' | 'eye') {
  const places = found.faces.flatMap((f) => (what === 'face' ? [f.box] : f.eyes))
  if (!places.length) {
    const missing = found.searching ? 'Faces are still being looked for.' : `There is no ${what} to go to.`
    return notices.say(missing)
  }
  turn = (turn + 1) % places.length
  lookAt(places[turn]!)
}

function fit() {
  if (!stage.value.w) return
  fitting.value = true
  view.value = fitted(stage.value, size.value)
}
/** Zoom to `percent` of the picture's pixels on the screen's pixels. */
function zoomTo(percent: number, at = { x: stage.value.w / 2, y: stage.value.h / 2 }) {
  setZoom(percent / 100 / ratio.value, at)
}
function setZoom(zoom: number, at: { x: number; y: number }) {
  fitting.value = false
  view.value = held(zoomed(view.value, zoom, at, stage.value), size.value)
}
function step(by: number) {
  setZoom(view.value.zoom * by, pointer.value ?? { x: stage.value.w / 2, y: stage.value.h / 2 })
}
function pan(dx: number, dy: number) {
  fitting.value = false
  const next = {
    ...view.value,
    x: view.value.x - dx / view.value.zoom,
    y: view.value.y - dy / view.value.zoom,
  }
  view.value = held(next, size.value)
}
function wheel(event: WheelEvent) {
  if (painter.active()) return
  if (event.altKey && thing.picks()) room.wholeThings = event.deltaY < 0
  else if (event.shiftKey) pan(-event.deltaY - event.deltaX, 0)
  else setZoom(view.value.zoom * Math.exp(-event.deltaY * WHEEL), spot(event))
}
function spot(event: MouseEvent) {
  const box = frameBox.value!.getBoundingClientRect()
  const x = event.clientX - box.left
  // Side by side, a place is the same on both sides.
  return {
    x: room.compare === 'pair' && x >= stage.value.w ? x - stage.value.w : x,
    y: event.clientY - box.top,
  }
}
/** Where the finished picture's pane begins on the stage. */
const pane = computed(() => (room.compare === 'pair' ? stage.value.w : 0))

// --- the pointer

function reachOfArea() {
  const area = sheet.area(room.openArea)
  return 1.6 * (area?.feather ?? 0) + Math.abs(area?.grow ?? 0)
}
/** A stage spot in long sides of the picture. */
function inPicture(at: { x: number; y: number }) {
  const point = toPicture(view.value, at, stage.value)
  return { x: point.x / unit.value, y: point.y / unit.value }
}
const pointing = usePointing(inPicture)
const outline = useOutline(
  (at) => {
    const { x, y } = inPicture(at)
    return [Number(x.toFixed(4)), Number(y.toFixed(4))]
  },
  (place) => onStage(place),
)
const thing = useThing(inPicture)
watch([thing.hovered, () => room.wholeThings], () => draw())
const onStage = (place: [number, number]) =>
  toStage(view.value, { x: place[0] * unit.value, y: place[1] * unit.value }, stage.value)

/** Take a colour or a place of the original into the part that waits for it. */
async function pick(at: { x: number; y: number }, take: boolean) {
  const open = actions.openPart()
  if (!open || !sheet.portrait) return
  const { area, part } = open
  const place = inPicture(at)
  if (part.source === 'alike') {
    const points = [...(part.points as unknown[]), [Number(place.x.toFixed(4)), Number(place.y.toFixed(4))]]
    return actions.changePart(area, part, { points })
  }
  try {
    const { data } = await api.POST('/api/portraits/{portrait_id}/numbers', {
      params: { path: { portrait_id: sheet.portrait.id } },
      body: {
        revision: sheet.revision,
        trial: sheet.waiting,
        ...place,
        area: part.of === 'below' ? area.id : null,
      },
    })
    const { lightness, chroma, hue } = data!.before
    const [c, h] = [chroma / 250, (hue * Math.PI) / 180]
    const lab = [lightness / 100, c * Math.cos(h), c * Math.sin(h)].map((v) => Number(v.toFixed(4)))
    actions.changePart(area, part, { samples: [...(part.samples as unknown[]), { lab, take }] })
  } catch (error) {
    notices.complain(error)
  }
}

const asking = new Latest(() => (room.numbers = null))
let asked: ReturnType<typeof setTimeout> | undefined
/** Tell the numbers under the pointer once it rests for a moment. */
function tellNumbers() {
  clearTimeout(asked)
  asked = setTimeout(() => {
    const at = pointer.value && inPicture(pointer.value)
    const inside =
      at && at.x >= 0 && at.y >= 0 && at.x * unit.value < size.value.w && at.y * unit.value < size.value.h
    if (!inside || !sheet.portrait || painter.active() || panning.value) {
      room.numbers = null
      return
    }
    asking.run(async () => {
      const { data } = await api.POST('/api/portraits/{portrait_id}/numbers', {
        params: { path: { portrait_id: sheet.portrait!.id } },
        body: { revision: sheet.revision, trial: sheet.ahead, ...at },
      })
      room.numbers = pointer.value ? data! : null
    })
  }, ASK_NUMBERS)
}
function left() {
  pointer.value = null
  thing.left()
  tellNumbers()
}
function down(event: PointerEvent) {
  pointer.value = spot(event)
  if (event.button === 0 && !spaceHeld.value && (room.pointing || room.drawing || room.picking)) {
    event.preventDefault()
    frameBox.value!.setPointerCapture(event.pointerId)
    // Keys are for the picture now: Enter closes an outline and opens no menu.
    ;(document.activeElement as HTMLElement | null)?.blur()
    if (room.pointing) pointing.down(spot(event))
    else if (room.drawing) outline.down(spot(event), event)
    else if (thing.picks()) thing.down(spot(event), room.picking!.take !== event.altKey)
    else void pick(spot(event), room.picking!.take !== event.altKey)
    return
  }
  if (event.button === 1 || (event.button === 0 && (spaceHeld.value || !room.painting))) {
    event.preventDefault()
    panning.value = { ...spot(event), view: view.value }
    frameBox.value!.setPointerCapture(event.pointerId)
    return
  }
  if (event.button !== 0 || sizing.value || painter.active() || !actions.paintPart()) return
  event.preventDefault()
  frameBox.value!.setPointerCapture(event.pointerId)
  painter.down(event)
}
function move(event: PointerEvent) {
  pointer.value = spot(event)
  if (pointing.held.value) return pointing.move(pointer.value)
  tellNumbers()
  if (room.drawing && !panning.value) return outline.move(pointer.value)
  if (thing.picks() && !panning.value) return thing.move(pointer.value)
  if (panning.value) {
    const start = panning.value
    fitting.value = false
    const { zoom, x, y } = start.view
    const next = {
      zoom,
      x: x - (pointer.value.x - start.x) / zoom,
      y: y - (pointer.value.y - start.y) / zoom,
    }
    view.value = held(next, size.value)
  } else if (sizing.value) {
    room.brush.size = clampSize(sizing.value.size * Math.exp((pointer.value.x - sizing.value.x) * 0.008))
  } else painter.move(event)
}
function up(event: PointerEvent) {
  if (pointing.held.value) return pointing.up()
  if (room.drawing && !panning.value) return outline.up(event)
  if (thing.picks() && !panning.value) return thing.up()
  panning.value = null
  painter.up(event)
}
function cancelStroke() {
  if (pointing.cancel() || outline.cancel() || thing.cancel()) return true
  if (!painter.cancel()) return false
  views.dabs.value = []
  rest(0)
  draw()
  return true
}
function removeHandle(name: string) {
  const changes = shaped.value?.shape.removed?.(name)
  if (name === selected.value) selected.value = null
  if (changes) shaped.value?.change(changes)
}
function turnHandle(name: string) {
  const changes = shaped.value?.shape.turned?.(name.split('.').slice(0, 2).join('.'))
  if (changes) shaped.value?.change(changes)
}
/** Handles of a curve belong to their point, which stays in hand. */
const selectHandle = (name: string) => (selected.value = name.split('.').slice(0, 2).join('.'))
const clampSize = (n: number) => Math.min(0.6, Math.max(0.002, Number(n.toFixed(4))))

// --- drawing

let pending = false
function draw() {
  if (pending) return
  pending = true
  requestAnimationFrame(() => {
    pending = false
    drawPicture()
    drawOverlay()
  })
}
function pen(canvas: HTMLCanvasElement | null) {
  const context = canvas?.getContext('2d') ?? null
  context?.clearRect(0, 0, context.canvas.width, context.canvas.height)
  return context
}
function drawPicture() {
  const context = pen(pictureCanvas.value)
  if (!context) return
  const before = views.before.value
  if (room.compare === 'pair') {
    within(context, 0, () => before && drawLayers(context, [before], scene()))
    within(context, pane.value, () => drawNow(context))
    return
  }
  drawNow(context)
  if (room.before !== 'no' || room.compare === 'no' || !before) return
  const { width, height } = context.canvas
  const [w, h] = room.compare === 'across' ? [width * room.splitAt, height] : [width, height * room.splitAt]
  context.save()
  context.beginPath()
  context.rect(0, 0, w, h)
  context.clip()
  context.clearRect(0, 0, w, h)
  drawLayers(context, [before], scene())
  context.restore()
}
/** Draw in a pane that begins `x` CSS pixels from the left and is as wide as the stage. */
function within(context: CanvasRenderingContext2D, x: number, work: () => void) {
  const r = ratio.value
  context.save()
  context.beginPath()
  context.rect(x * r, 0, stage.value.w * r, stage.value.h * r)
  context.clip()
  context.translate(x * r, 0)
  work()
  context.restore()
}
function drawNow(context: CanvasRenderingContext2D) {
  if (masked.value && coverage.layer.value) drawMask(context, alphaNow(), scene(), room.reach?.sharp)
  else if (room.before !== 'no' && views.before.value) drawLayers(context, [views.before.value], scene())
  else {
    drawLayers(context, [views.whole.value, views.main.value, ...views.dabs.value], scene())
    const inside = room.overlay === 'inside'
    if (shownArea.value && (inside || room.overlay === 'outside'))
      drawOnly(context, alphaNow(), inside, getComputedStyle(frameBox.value!).backgroundColor)
  }
}
function alphaNow(): OffscreenCanvas | null {
  const { width, height } = overlayCanvas.value!
  const key = covered.value && coveredKey(covered.value)
  const known = coverage.layer.value?.of === key ? coverage.layer.value : null
  const fresh = key !== null && key === room.openArea ? painter.shadows.value : []
  if (!known && !fresh.length) return null
  return alphaOf(width, height, known, fresh, actions.paintPart()?.part.join === 'take', scene())
}
function drawOverlay() {
  const context = pen(overlayCanvas.value)
  if (!context) return
  const shown = room.overlay === 'stitches' && shownArea.value && !room.reach && room.before === 'no'
  const alpha = shown ? alphaNow() : null
  const region = thing.hovered.value
  const { width, height } = overlayCanvas.value!
  within(context, pane.value, () => {
    if (alpha) drawStitches(context, alpha, ratio.value, room.thread)
    if (region) drawRim(context, alphaOf(width, height, region, [], false, scene()), ratio.value)
  })
}

// --- the stage's own size and keys

let observer: ResizeObserver | undefined
onMounted(() => {
  observer = new ResizeObserver(measure)
  observer.observe(frameBox.value!)
})
/** Take the stage's size: a pane of it, when two pictures stand side by side. */
function measure() {
  const box = frameBox.value!.getBoundingClientRect()
  stage.value = { w: room.compare === 'pair' ? Math.floor(box.width / 2) : box.width, h: box.height }
  ratio.value = window.devicePixelRatio || 1
  for (const canvas of [pictureCanvas.value!, overlayCanvas.value!]) {
    const [w, h] = [Math.round(box.width * ratio.value), Math.round(box.height * ratio.value)]
    if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h })
  }
  if (!measured) {
    measured = true
    return restoreView()
  }
  if (fitting.value) fit()
  else {
    draw()
    rest()
  }
}
let measured = false
onBeforeUnmount(() => {
  clearTimeout(asked)
  views.close()
  channel.close()
  observer?.disconnect()
  clearTimeout(resting)
})

const status = computed(() => {
  if (room.before !== 'no') return `before: ${beforeWords(beforeOf.value)}`
  if (room.look !== 'plain') return LOOKS[room.look]?.status ?? ''
  if (room.compare === 'pair') return `left, before: ${beforeWords(beforeOf.value)} · right, after`
  if (room.compare !== 'no')
    return `${room.compare === 'across' ? 'left' : 'above'}, before: ${beforeWords(beforeOf.value)}`
  if (room.reach) return 'what the touch lets through: its area in its tones'
  if (room.pointing) return pickWords.value
  if (room.picking && thing.picks())
    return `${room.wholeThings ? 'whole things' : 'parts of things'} · ${room.picking.take ? 'click takes one out' : 'click takes one in'}, drag draws a box`
  if (room.picking) return room.picking.take ? 'picking what is left out' : 'picking from the picture'
  if (room.drawing) return room.drawing.take ? 'drawing what is cut out' : 'drawing an outline'
  const area = room.hoverFound ?? sheet.area(shownArea.value)
  if (!area) return ''
  const share =
    room.share === null || shownArea.value !== room.openArea
      ? ''
      : room.share === 0
        ? ' · nothing covered yet'
        : ` · ${percent(room.share)} of the picture`
  const away = (actions.paintPart()?.part.join === 'take') !== room.takeAway
  const doing = !room.painting ? 'looking at' : away ? 'taking away' : 'painting'
  return `${doing} · ${area.name || 'an unnamed area'}${share}`
})
const pickWords = computed(() => {
  const touch = sheet.touch(room.openTouch)?.touch
  const kind = sheet.kinds.find((k) => k.kind === touch?.kind)
  return kind?.picks.find((p) => p.name === room.pointing?.pick)?.words ?? ''
})
const cursor = computed(() => {
  if (panning.value) return 'grabbing'
  if ((room.pointing || room.drawing || room.picking) && !spaceHeld.value) return 'crosshair'
  if (spaceHeld.value || !room.painting) return 'grab'
  return 'none'
})

defineExpose({
  fit,
  zoomTo,
  step,
  pan,
  next,
  cancelStroke,
  holdSpace: (on: boolean) => (spaceHeld.value = on),
  holdSize: (on: boolean) => {
    sizing.value = on && pointer.value ? { x: pointer.value.x, size: room.brush.size } : null
  },
  closeOutline: () => outline.active() && (outline.close(), true),
  changeSize: (by: number) => (room.brush.size = clampSize(room.brush.size * by)),
})
</script>

<template>
  <div
    ref="frameBox"
    class="relative h-full w-full touch-none overflow-hidden bg-room"
    :style="{ cursor }"
    role="application"
    aria-label="The picture. Wheel zooms towards the pointer; drag pans, or paints when the brush is in hand."
    data-stage
    @wheel.prevent="wheel"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="up"
    @pointerleave="left"
    @contextmenu.prevent
  >
    <canvas ref="pictureCanvas" class="absolute inset-0 h-full w-full" data-picture></canvas>
    <canvas
      ref="overlayCanvas"
      class="pointer-events-none absolute inset-0 h-full w-full"
      data-overlay
    ></canvas>
    <div class="pointer-events-none absolute inset-y-0 right-0" :style="{ left: `${pane}px` }">
      <svg
        v-if="room.painting && pointer && !spaceHeld"
        class="pointer-events-none absolute inset-0 h-full w-full"
      >
        <g :transform="`translate(${pointer.x} ${pointer.y})`" class="fill-none">
          <circle :r="Math.max(2, brushRadius)" stroke="#000" stroke-opacity="0.45" stroke-width="2.4" />
          <circle
            :r="Math.max(2, brushRadius)"
            stroke="#fff"
            stroke-width="1.4"
            :stroke-dasharray="room.takeAway ? '2 4' : '6 4'"
          />
          <circle
            v-if="brushRadius > 8"
            :r="brushRadius * (1 - room.brush.softness) || 1"
            stroke="#fff"
            stroke-opacity="0.55"
          />
          <path v-if="room.takeAway" d="M-4 0H4" stroke="#fff" stroke-width="1.5" />
        </g>
      </svg>
      <StageHandles
        v-if="shaped"
        :handles="shaped.shape.handles"
        :lines="shaped.shape.lines"
        :at="onStage"
        :place="(event: PointerEvent) => inPicture(spot(event))"
        @attempt="(name: string, to: Place) => shaped?.attempt(shaped.shape.moved(name, to))"
        @change="(name: string, to: Place) => shaped?.change(shaped.shape.moved(name, to))"
        @remove="removeHandle"
        @select="selectHandle"
        @turn="turnHandle"
      />
      <svg
        v-if="elsewhere && room.follow"
        class="pointer-events-none absolute inset-0 h-full w-full"
        data-elsewhere
      >
        <rect v-bind="elsewhere" class="fill-none" stroke="#000" stroke-opacity="0.5" stroke-width="3" />
        <rect v-bind="elsewhere" class="fill-none" stroke="#fff" stroke-width="1.4" stroke-dasharray="6 4" />
      </svg>
      <svg v-if="thing.box.value" class="pointer-events-none absolute inset-0 h-full w-full">
        <rect
          v-bind="thing.box.value"
          class="fill-none"
          stroke="#000"
          stroke-opacity="0.5"
          stroke-width="3"
        />
        <rect
          v-bind="thing.box.value"
          class="fill-none"
          stroke="#fff"
          stroke-width="1.4"
          stroke-dasharray="6 4"
        />
      </svg>
      <svg v-if="room.drawing" class="pointer-events-none absolute inset-0 h-full w-full" data-drawing>
        <path :d="outline.line.value" class="fill-none" stroke="#000" stroke-opacity="0.5" stroke-width="3" />
        <path
          :d="outline.line.value"
          class="fill-none"
          stroke="#fff"
          stroke-width="1.4"
          stroke-dasharray="6 4"
        />
        <circle
          v-for="(dot, i) in outline.dots.value"
          :key="i"
          :cx="dot.x"
          :cy="dot.y"
          :r="i ? 3.5 : 5.5"
          class="fill-thread"
          stroke="#fff"
          stroke-width="1.5"
        />
      </svg>
    </div>
    <SmallMap
      v-if="!fitting && views.whole.value"
      :layer="views.whole.value"
      :view="view"
      :stage="stage"
      :picture="size"
      @go="(x: number, y: number) => (view = held({ ...view, x, y }, size))"
    />
    <Histogram v-if="room.histogram" />
    <div
      v-if="room.compare === 'pair'"
      class="absolute inset-y-0 w-px bg-paper"
      :style="{ left: `${pane}px` }"
    ></div>
    <SplitLine v-else-if="room.compare !== 'no'" />
    <p
      v-if="pointing.held.value && pointing.words.value && pointer"
      class="pointer-events-none absolute rounded-sm bg-ink/85 px-1.5 py-0.5 text-white"
      :style="{ left: `${pointer.x + 14}px`, top: `${pointer.y - 10}px` }"
      data-value
    >
      {{ pointing.words.value }}
    </p>
    <p
      v-if="status"
      class="pointer-events-none absolute top-3.5 left-4 rounded-sm bg-ink/85 px-2 py-1 text-white"
      role="status"
    >
      {{ status }}
    </p>
    <p
      v-if="views.problem.value"
      class="absolute right-4 bottom-3 max-w-96 rounded-sm bg-paper px-3 py-2"
      role="alert"
    >
      {{ views.problem.value }}
    </p>
    <p
      v-if="(views.slow.value || views.waiting.value) && views.main.value"
      class="pointer-events-none absolute bottom-3 left-4 rounded-sm bg-ink/85 px-2 py-1 text-white"
      role="status"
      data-slow
    >
      {{ views.waiting.value ? 'working out single hairs; their edge is shown meanwhile' : 'working…' }}
    </p>
    <p
      v-if="!views.main.value && !views.problem.value"
      class="absolute inset-0 m-auto h-6 text-center text-white"
    >
      Fetching the picture…
    </p>
  </div>
</template>
