<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import type { Operation } from '../api/client'
import type { Stroke } from '../sheet/types'
import { percent } from '../sheet/words'
import {
  type Box,
  fitted,
  frameOf,
  grid,
  held,
  placeOf,
  type Size,
  toPicture,
  toStage,
  type View,
  zoomed,
} from '../stage/geometry'
import { asAlpha, stitchPattern, StrokeShadow } from '../stage/stitches'
import { type Base, Coverage, type Layer, Views } from '../stage/views'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from './actions'

const sheet = useSheet()
const room = useRoom()
const actions = useActions()

const REST = 140
const WHOLE_SIDE = 700
const WHEEL = 0.0016
const MOST_POINTS = 19_000

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
const shadows = shallowRef<{ stroke: Stroke; shadow: StrokeShadow; kept: number }[]>([])
const views = new Views()
const coverage = new Coverage()

const size = computed<Size>(() => ({
  w: sheet.portrait?.facts?.width ?? 1,
  h: sheet.portrait?.facts?.height ?? 1,
}))
const unit = computed(() => Math.max(size.value.w, size.value.h))
const shownArea = computed(() => room.hoverArea ?? room.openArea)
const brushRadius = computed(() => (room.brush.size / 2) * unit.value * view.value.zoom)
const erasing = computed(() => room.takeAway)

const base = (): Base => ({
  portrait: sheet.portrait!.id,
  revision: sheet.revision,
  trial: sheet.ahead,
  keep: room.openTouch,
})
/** The sheet as it is looked at before: everything off, or only the touch in hand. */
const beforeBase = (): Base => {
  const path = sheet.touch(room.openTouch)?.path
  const off: Operation[] = path ? [{ op: 'put', path: [...path, 'on'], value: false, gone: false }] : []
  return { ...base(), trial: [...sheet.ahead, ...off] }
}

// --- asking the server

let resting: ReturnType<typeof setTimeout> | undefined

function refresh(draft: boolean) {
  const scale = draft ? ratio.value / 2 : ratio.value
  const frame = frameOf(view.value, stage.value, size.value, scale)
  if (!frame || !sheet.portrait || painter) return
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
  }, after)
}
function refreshCoverage() {
  const area = shownArea.value
  if (!area || room.overlay === 'off' || !sheet.area(area)) {
    if (!area) coverage.forget()
    return
  }
  const frame = frameOf(view.value, stage.value, size.value, ratio.value)
  if (!frame) return
  const kept = keptStrokes
  coverage.ask(base, area, frame, asAlpha, (share) => {
    if (area === room.openArea) room.share = share
    shadows.value = shadows.value.filter((s) => s.kept === 0 || s.kept > kept)
    draw()
  })
}
function refreshBefore() {
  const frame = frameOf(view.value, stage.value, size.value, ratio.value)
  if (room.before === 'no' || !frame) return draw()
  views.beforeView(beforeBase, frame, room.before === 'all')
}

watch(
  () => sheet.trial,
  (trial) => {
    if (trial.length) {
      refresh(true)
      if (shownArea.value && trial.some((o) => o.path[0] === 'areas') && !painter) refreshCoverage()
    }
    rest()
  },
)
watch([() => sheet.doc, () => sheet.revision], () => rest(0))
watch([shownArea, () => room.overlay], () => {
  if (!shownArea.value) room.share = null
  refreshCoverage()
  draw()
})
watch(() => room.before, refreshBefore)
watch([views.main, views.whole, views.before, views.dabs, coverage.layer], () => draw())
watch(view, () => {
  room.zoomLabel = fitting.value ? 'fit' : `${Math.round(view.value.zoom * ratio.value * 100)} %`
  rebuildShadows()
  draw()
  refresh(true)
  rest()
})
watch(() => sheet.portrait?.id, fit)

// --- looking

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
  if (painter) return
  if (event.shiftKey) pan(-event.deltaY - event.deltaX, 0)
  else setZoom(view.value.zoom * Math.exp(-event.deltaY * WHEEL), spot(event))
}
function spot(event: MouseEvent) {
  const box = frameBox.value!.getBoundingClientRect()
  return { x: event.clientX - box.left, y: event.clientY - box.top }
}

// --- painting

interface Painter {
  stroke: Stroke
  shadow: StrokeShadow
  pointer: number
  sent: number
}
let painter: Painter | null = null
let keptStrokes = 0
let lastPoint: [number, number, number] | null = null

function pointOf(event: PointerEvent): [number, number, number] {
  const at = toPicture(view.value, spot(event), stage.value)
  const pressure = event.pointerType === 'pen' ? event.pressure : 1
  const round = (n: number) => Math.min(4.9, Math.max(-3.9, Number(n.toFixed(5))))
  return [round(at.x / unit.value), round(at.y / unit.value), Number(pressure.toFixed(3))]
}
function shadowOf(stroke: Stroke) {
  const [w, h] = [Math.round(stage.value.w * ratio.value), Math.round(stage.value.h * ratio.value)]
  const now = view.value
  const place = (x: number, y: number) => {
    const at = toStage(now, { x: x * unit.value, y: y * unit.value }, stage.value)
    return { x: at.x * ratio.value, y: at.y * ratio.value }
  }
  return new StrokeShadow(stroke, w, h, place, unit.value * now.zoom * ratio.value)
}
function rebuildShadows() {
  for (const entry of shadows.value) {
    entry.shadow = shadowOf(entry.stroke)
    entry.shadow.grow()
  }
}
function down(event: PointerEvent) {
  pointer.value = spot(event)
  if (event.button === 1 || (event.button === 0 && (spaceHeld.value || !room.painting))) {
    event.preventDefault()
    panning.value = { ...spot(event), view: view.value }
    frameBox.value!.setPointerCapture(event.pointerId)
    return
  }
  if (event.button !== 0 || !room.painting || sizing.value || painter) return
  event.preventDefault()
  const target = actions.paintPart()
  if (!target) return
  frameBox.value!.setPointerCapture(event.pointerId)
  const { brush } = room
  const here = pointOf(event)
  const straight = event.shiftKey && lastPoint
  // Shift sets a straight line from where the last stroke ended.
  const points = straight
    ? [[lastPoint![0], lastPoint![1], here[2]] as [number, number, number], here]
    : [here]
  const stroke: Stroke = {
    ...brush,
    pressure: event.pointerType === 'pen' ? brush.pressure : 'none',
    erase: event.altKey ? !erasing.value : erasing.value,
    points,
  }
  const shadow = shadowOf(stroke)
  shadow.grow()
  painter = { stroke, shadow, pointer: event.pointerId, sent: 0 }
  shadows.value = [...shadows.value, { stroke, shadow, kept: 0 }]
  paintOn()
}
function move(event: PointerEvent) {
  pointer.value = spot(event)
  if (panning.value) {
    const now = spot(event)
    fitting.value = false
    const start = panning.value
    view.value = held(
      {
        ...start.view,
        x: start.view.x - (now.x - start.x) / start.view.zoom,
        y: start.view.y - (now.y - start.y) / start.view.zoom,
      },
      size.value,
    )
    return
  }
  if (sizing.value) {
    room.brush.size = clampSize(sizing.value.size * Math.exp((spot(event).x - sizing.value.x) * 0.008))
    return
  }
  if (!painter || event.pointerId !== painter.pointer) return
  const events = event.getCoalescedEvents?.() ?? []
  for (const each of events.length ? events : [event]) {
    const point = pointOf(each)
    const last = painter.stroke.points[painter.stroke.points.length - 1]!
    const far = Math.hypot(point[0] - last[0], point[1] - last[1]) * unit.value * view.value.zoom
    if (far >= 0.7 && painter.stroke.points.length < MOST_POINTS) painter.stroke.points.push(point)
  }
  painter.shadow.grow()
  paintOn()
}
/** Show the stroke's own overlay at once, and ask for its effect where it is new. */
function paintOn() {
  if (!painter) return
  draw()
  const now = painter
  const from = Math.max(0, now.sent - 1)
  const fresh = now.stroke.points.slice(from)
  const area = sheet.area(room.openArea)
  const reach = now.stroke.size / 2 + 1.6 * (area?.feather ?? 0) + Math.abs(area?.grow ?? 0) + 2 / unit.value
  const xs = fresh.map((p) => p[0])
  const ys = fresh.map((p) => p[1])
  const [left, top] = [Math.min(...xs) - reach, Math.min(...ys) - reach]
  const box: Box = {
    x: left * unit.value,
    y: top * unit.value,
    w: (Math.max(...xs) + reach - left) * unit.value,
    h: (Math.max(...ys) + reach - top) * unit.value,
  }
  const frame = frameOf(view.value, stage.value, size.value, ratio.value, box)
  if (!frame) return
  const trial = actions.strokeOperation({ ...now.stroke, points: [...now.stroke.points] })
  const count = now.stroke.points.length
  views.dab(() => {
    // Only what was really asked for counts as sent: a dab that was overtaken is part of the next one.
    if (painter === now) now.sent = Math.max(now.sent, count)
    // Once the pointer is up the stroke is a change of the sheet itself.
    return painter === now ? { ...base(), trial: [...sheet.ahead, ...trial] } : base()
  }, frame)
}
function up(event: PointerEvent) {
  panning.value = null
  if (!painter || event.pointerId !== painter.pointer) return
  const { stroke, shadow } = painter
  painter = null
  lastPoint = stroke.points[stroke.points.length - 1] ?? null
  keptStrokes += 1
  for (const entry of shadows.value) if (entry.shadow === shadow) entry.kept = keptStrokes
  const area = sheet.area(room.openArea)?.name ?? 'the area'
  sheet.change(actions.strokeOperation(stroke), stroke.erase ? `took away from ${area}` : `painted ${area}`)
}
function cancelStroke() {
  if (!painter) return false
  shadows.value = shadows.value.filter((s) => s.shadow !== painter!.shadow)
  painter = null
  views.dabs.value = []
  rest(0)
  draw()
  return true
}
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
function put(context: CanvasRenderingContext2D, layer: Layer) {
  const at = placeOf(layer.frame, view.value, stage.value, size.value)
  const r = ratio.value
  context.drawImage(layer.bitmap, at.x * r, at.y * r, at.w * r, at.h * r)
}
function drawPicture() {
  const canvas = pictureCanvas.value
  const context = canvas?.getContext('2d')
  if (!canvas || !context) return
  context.clearRect(0, 0, canvas.width, canvas.height)
  context.imageSmoothingEnabled = view.value.zoom * ratio.value < 1.99
  context.imageSmoothingQuality = 'high'
  if (room.overlay === 'mask' && shownArea.value && coverage.layer.value) return drawMask(context)
  if (room.before !== 'no' && views.before.value) return put(context, views.before.value)
  for (const layer of [views.whole.value, views.main.value, ...views.dabs.value])
    if (layer) put(context, layer)
}
/** The coverage in hand as one transparency on the stage: the server's, with the strokes it has not seen yet. */
function alphaNow(): OffscreenCanvas | null {
  const canvas = overlayCanvas.value!
  const layer = coverage.layer.value
  const fresh = shownArea.value === room.openArea ? shadows.value : []
  if ((!layer || layer.area !== shownArea.value) && !fresh.length) return null
  const out = new OffscreenCanvas(canvas.width, canvas.height)
  const context = out.getContext('2d')!
  if (layer && layer.area === shownArea.value) {
    const at = placeOf(layer.frame, view.value, stage.value, size.value)
    const r = ratio.value
    context.drawImage(layer.alpha, at.x * r, at.y * r, at.w * r, at.h * r)
  }
  const away = actions.paintPart()?.part.join === 'take'
  for (const { stroke, shadow } of fresh) {
    context.globalCompositeOperation = stroke.erase !== away ? 'destination-out' : 'source-over'
    context.drawImage(shadow.canvas, 0, 0)
  }
  return out
}
function drawMask(context: CanvasRenderingContext2D) {
  const alpha = alphaNow()
  const at = toStage(view.value, { x: 0, y: 0 }, stage.value)
  const r = ratio.value
  const box = [
    at.x * r,
    at.y * r,
    size.value.w * view.value.zoom * r,
    size.value.h * view.value.zoom * r,
  ] as const
  context.fillStyle = '#000'
  context.fillRect(...box)
  if (!alpha) return
  const white = alpha.getContext('2d')!
  white.globalCompositeOperation = 'source-in'
  white.fillStyle = '#fff'
  white.fillRect(0, 0, alpha.width, alpha.height)
  context.save()
  context.beginPath()
  context.rect(...box)
  context.clip()
  context.drawImage(alpha, 0, 0)
  context.restore()
}
let patterns: { ratio: number; loose: CanvasPattern; dense: CanvasPattern } | null = null
function drawOverlay() {
  const canvas = overlayCanvas.value
  const context = canvas?.getContext('2d')
  if (!canvas || !context) return
  context.clearRect(0, 0, canvas.width, canvas.height)
  if (room.overlay !== 'stitches' || !shownArea.value || room.before !== 'no') return
  const alpha = alphaNow()
  if (!alpha) return
  if (patterns?.ratio !== ratio.value) {
    patterns = {
      ratio: ratio.value,
      loose: stitchPattern(context, ratio.value, false),
      dense: stitchPattern(context, ratio.value, true),
    }
  }
  // Dense stitches come in with the square of coverage, the loose ones with coverage itself.
  const cut = (times: number) => {
    context.globalCompositeOperation = 'destination-in'
    for (let i = 0; i < times; i++) context.drawImage(alpha, 0, 0)
  }
  context.globalCompositeOperation = 'source-over'
  context.fillStyle = patterns.dense
  context.fillRect(0, 0, canvas.width, canvas.height)
  cut(1)
  context.globalCompositeOperation = 'source-over'
  context.fillStyle = patterns.loose
  context.fillRect(0, 0, canvas.width, canvas.height)
  cut(1)
}

// --- the stage's own size and keys

let observer: ResizeObserver | undefined
onMounted(() => {
  observer = new ResizeObserver(() => {
    const box = frameBox.value!.getBoundingClientRect()
    stage.value = { w: box.width, h: box.height }
    ratio.value = window.devicePixelRatio || 1
    for (const canvas of [pictureCanvas.value!, overlayCanvas.value!]) {
      canvas.width = Math.round(box.width * ratio.value)
      canvas.height = Math.round(box.height * ratio.value)
    }
    patterns = null
    if (fitting.value) fit()
    else {
      draw()
      rest()
    }
  })
  observer.observe(frameBox.value!)
})
onBeforeUnmount(() => {
  observer?.disconnect()
  clearTimeout(resting)
})

const status = computed(() => {
  if (room.before === 'all') return 'before: the original'
  if (room.before === 'touch') return 'before: without the open touch'
  const area = sheet.area(shownArea.value)
  if (!area) return ''
  const share =
    room.share === null || shownArea.value !== room.openArea
      ? ''
      : room.share === 0
        ? ' · nothing covered yet'
        : ` · ${percent(room.share)} of the picture`
  const away = (actions.paintPart()?.part.join === 'take') !== erasing.value
  const doing = !room.painting ? 'looking at' : away ? 'taking away' : 'painting'
  return `${doing} · ${area.name || 'an unnamed area'}${share}`
})
const cursor = computed(() => {
  if (panning.value) return 'grabbing'
  if (spaceHeld.value || !room.painting) return 'grab'
  return 'none'
})

defineExpose({
  fit,
  zoomTo,
  step,
  pan,
  cancelStroke,
  holdSpace: (on: boolean) => (spaceHeld.value = on),
  holdSize: (on: boolean) => {
    sizing.value = on && pointer.value ? { x: pointer.value.x, size: room.brush.size } : null
  },
  changeSize: (by: number) => (room.brush.size = clampSize(room.brush.size * by)),
  settled: () => views.latest.idle && coverage.latest.idle && sheet.saving === 'saved',
  grid: () => grid(view.value, size.value, ratio.value),
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
    @pointerleave="pointer = null"
    @contextmenu.prevent
  >
    <canvas ref="pictureCanvas" class="absolute inset-0 h-full w-full" data-picture></canvas>
    <canvas
      ref="overlayCanvas"
      class="pointer-events-none absolute inset-0 h-full w-full"
      data-overlay
    ></canvas>
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
          :stroke-dasharray="erasing ? '2 4' : '6 4'"
        />
        <circle
          v-if="brushRadius > 8"
          :r="brushRadius * (1 - room.brush.softness) || 1"
          stroke="#fff"
          stroke-opacity="0.55"
        />
        <path v-if="erasing" d="M-4 0H4" stroke="#fff" stroke-width="1.5" />
      </g>
    </svg>
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
      v-if="!views.main.value && !views.problem.value"
      class="absolute inset-0 m-auto h-6 text-center text-white"
    >
      Fetching the picture…
    </p>
  </div>
</template>
