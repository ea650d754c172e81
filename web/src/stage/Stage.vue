<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useActions } from '../edits/actions'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useTurning } from '../stores/turning'
import { DOES } from '../sheet/shaping'
import BrushRing from './BrushRing.vue'
import CropFrame from './CropFrame.vue'
import DashedShape from './DashedShape.vue'
import { held, type Spot } from './geometry'
import type { StageHands } from './hands'
import Histogram from './Histogram.vue'
import PatchSource from './PatchSource.vue'
import SmallMap from './SmallMap.vue'
import SplitLine from './SplitLine.vue'
import StageHandles, { type Place } from './StageHandles.vue'
import StageStatus from './StageStatus.vue'
import { useDrawing } from './useDrawing'
import { useFetching } from './useFetching'
import { useFollowing } from './useFollowing'
import { useGesture } from './useGesture'
import { useNumbers } from './useNumbers'
import { useOutline } from './useOutline'
import { usePainter } from './usePainter'
import { usePicking } from './usePicking'
import { usePointing } from './usePointing'
import { useShaped } from './useShaped'
import { useThing } from './useThing'
import { useView } from './useView'

const sheet = useSheet()
const turning = useTurning()
const room = useRoom()
const actions = useActions()

const box = ref<HTMLDivElement | null>(null)
const picture = ref<HTMLCanvasElement | null>(null)
const overlay = ref<HTMLCanvasElement | null>(null)
const pointer = ref<Spot | null>(null)

const on = useView(box, pointer)
const { view, fitting, stage, pane, size } = on
const fetching = useFetching(on, () => painter)
const { views, busy, beforeOf, shownArea } = fetching
const elsewhere = useFollowing(on)

const painter = usePainter({
  scene: on.scene,
  unit: () => on.unit.value,
  spot: on.spot,
  inPicture: on.inPicture,
  onStage: on.onStage,
  brush: actions.brushInHand,
  paints: () =>
    actions.mendTouch()
      ? 'patches'
      : actions.shapeTouch()
        ? 'shape'
        : actions.laysLight()
          ? 'light'
          : 'coverage',
  shapes: actions.nextShape,
  takesAway: () => (actions.laysLight() ? room.darker : room.takeAway),
  grown() {
    draw()
    trail.value = trailOf(painter.growing()?.stroke.points ?? [])
    fetching.dab(() => {
      const stroke = painter.growing()
      const mends = actions.mendTouch()
      if (stroke && mends) {
        const patch = actions.mendingFrom(stroke.stroke.points[0]!)
        return patch && { ...stroke, touch: mends.id, patch }
      }
      const light = actions.lightTouch() ?? actions.shapeTouch()
      if (stroke && light) return { ...stroke, touch: light.id }
      const target = actions.paintPart()
      return stroke && target && { ...stroke, area: target.area.id, part: target.part.id ?? target.index }
    })
  },
  done(stroke) {
    if (actions.mendTouch()) {
      void actions.addPatch(stroke).finally(() => (trail.value = ''))
      return
    }
    const area = sheet.area(room.openArea)?.name ?? 'the area'
    const words =
      'does' in stroke
        ? `${DOES[stroke.does].done} a shape`
        : 'darker' in stroke
          ? `${stroke.darker ? 'burned' : 'dodged'} a stroke`
          : stroke.erase
            ? `took away from ${area}`
            : `painted ${area}`
    sheet.change(actions.strokeOperation(stroke), words)
  },
})
/** The way of a stroke whose patch is not shown yet. */
const trail = ref('')
function trailOf(points: [number, number, number][]) {
  if (!actions.mendTouch() || actions.mendingFrom(points[0] ?? [0, 0, 0])) return ''
  const spots = points.map(([x, y]) => on.onStage([x, y]))
  return spots.map(({ x, y }, i) => `${i ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`).join('')
}
const pointing = usePointing(on.inPicture)
const outline = useOutline(
  (at) => {
    const { x, y } = on.inPicture(at)
    return [Number(x.toFixed(4)), Number(y.toFixed(4))]
  },
  (place) => on.onStage(place),
)
const thing = useThing(on.inPicture)
const { draw, aside, faded } = useDrawing({ box, picture, overlay }, on, fetching, painter, thing.hovered)
const { shaped, select, remove, turn } = useShaped()
const pick = usePicking(on.inPicture)
const tools = { painter, pointing, outline, thing, pick }
const tellNumbers = useNumbers(on, pointer, () => painter.active() || gesture.panning(), actions.lightTouch)
const gesture = useGesture(on, box, pointer, tools, () => void tellNumbers(), cancelStroke)
const { cursor, spaceHeld } = gesture
fetching.whenAtRest.push(() => pointer.value && void tellNumbers())

watch(view, painter.replace)

const brush = computed(actions.brushInHand)
const brushRadius = computed(() => (brush.value.size / 2) * on.unit.value * view.value.zoom)

function cancelStroke() {
  if (pointing.cancel() || outline.cancel() || thing.cancel()) return true
  if (!painter.cancel()) return false
  trail.value = ''
  views.dropDabs()
  fetching.rest(0)
  draw()
  return true
}

const hands: StageHands = {
  fit: on.fit,
  zoomTo: on.zoomTo,
  step: on.step,
  pan: (dx: number, dy: number) => on.pan(dx, dy),
  next: on.next,
  cheek: on.cheek,
  closer: on.closer,
  cancelStroke,
  holdSpace: (held: boolean) => (spaceHeld.value = held),
  holdSize: gesture.holdSize,
  closeOutline: () => outline.active() && (outline.close(), true),
  changeSize: gesture.changeSize,
}
defineExpose(hands)
</script>

<template>
  <div
    ref="box"
    class="relative h-full w-full touch-none overflow-hidden bg-room"
    :style="{ cursor }"
    role="application"
    aria-label="The picture. Wheel zooms towards the pointer; drag pans, or paints when the brush is in hand."
    data-stage
    :data-busy="busy || undefined"
    :data-aside="aside || undefined"
    @wheel.prevent="gesture.wheel"
    @pointerdown="gesture.down"
    @pointermove="gesture.move"
    @pointerup="gesture.up"
    @pointercancel="gesture.up"
    @pointerleave="gesture.left"
    @contextmenu.prevent
  >
    <canvas ref="picture" class="absolute inset-0 h-full w-full" data-picture></canvas>
    <canvas
      ref="overlay"
      class="pointer-events-none absolute inset-0 h-full w-full"
      :class="faded && 'opacity-0 transition-opacity duration-500 motion-reduce:transition-none'"
      :data-faded="faded || undefined"
      data-overlay
    ></canvas>
    <div class="pointer-events-none absolute inset-y-0 right-0" :style="{ left: `${pane}px` }">
      <BrushRing
        v-if="room.painting && pointer && !spaceHeld"
        :at="pointer"
        :radius="brushRadius"
        :softness="brush.softness"
        :away="
          actions.mendTouch() || actions.shapeTouch()
            ? false
            : actions.laysLight()
              ? room.darker
              : room.takeAway
        "
      />
      <StageHandles
        v-if="shaped && !turning.draft"
        :handles="shaped.shape.handles"
        :bare="shaped.bare"
        :lines="shaped.shape.lines"
        :at="on.onStage"
        :place="(event: PointerEvent) => on.inPicture(on.spot(event))"
        @attempt="(name: string, to: Place) => shaped?.attempt(shaped.shape.moved(name, to))"
        @change="(name: string, to: Place) => shaped?.change(shaped.shape.moved(name, to))"
        @remove="remove"
        @select="select"
        @turn="turn"
      />
      <CropFrame v-if="turning.draft" :at="on.seenAt" :zoom="view.zoom" :unit="on.unit.value" />
      <DashedShape v-if="trail" :path="trail" />
      <PatchSource v-if="room.painting && room.origin" :at="on.onStage(room.origin.at)" />
      <DashedShape v-if="elsewhere && room.follow" :rect="elsewhere" data-elsewhere />
      <DashedShape v-if="thing.box.value" :rect="thing.box.value" />
      <DashedShape v-if="room.drawing" :path="outline.line.value" data-drawing>
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
      </DashedShape>
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
    <StageStatus
      :before-of="beforeOf"
      :shown-area="shownArea"
      :picks-things="thing.picks()"
      :fitting="on.fitting.value"
    />
    <p
      v-if="views.problem.value"
      class="absolute right-4 bottom-3 max-w-96 rounded-sm bg-paper px-3 py-2"
      role="alert"
    >
      {{ views.problem.value }}
      <button class="plain font-medium underline decoration-dotted" @click="fetching.rest(0)">
        try again
      </button>
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
