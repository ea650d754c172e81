<script setup lang="ts">
import { computed, ref } from 'vue'
import { draggedRect, type Rect } from '../sheet/turning'
import { useTurning } from '../stores/turning'
import type { Spot } from './geometry'

/** The frame that says what is cut out, on the picture that is whole; `at`: a place of it (long sides) on the stage. */
const props = defineProps<{ at: (place: readonly [number, number]) => Spot; zoom: number; unit: number }>()
const turning = useTurning()
const STEP = 0.005

const GRIPS: { grip: [number, number]; words: string; cursor: string }[] = [
  { grip: [-1, -1], words: 'top left corner', cursor: 'nwse-resize' },
  { grip: [0, -1], words: 'top side', cursor: 'ns-resize' },
  { grip: [1, -1], words: 'top right corner', cursor: 'nesw-resize' },
  { grip: [-1, 0], words: 'left side', cursor: 'ew-resize' },
  { grip: [1, 0], words: 'right side', cursor: 'ew-resize' },
  { grip: [-1, 1], words: 'bottom left corner', cursor: 'nesw-resize' },
  { grip: [0, 1], words: 'bottom side', cursor: 'ns-resize' },
  { grip: [1, 1], words: 'bottom right corner', cursor: 'nwse-resize' },
]
const box = computed(() => {
  const { x, y, w, h } = turning.rect
  const from = props.at([x, y])
  const to = props.at([x + w, y + h])
  return { x: from.x, y: from.y, w: to.x - from.x, h: to.y - from.y }
})
const outside = computed(() => {
  const [, , w, h] = turning.whole.box
  const from = props.at([0, 0])
  const to = props.at([w, h])
  const { x, y, w: bw, h: bh } = box.value
  return `M${from.x} ${from.y}H${to.x}V${to.y}H${from.x}ZM${x} ${y}V${y + bh}H${x + bw}V${y}Z`
})
const px = (v: number) => `${v}px`
const place = ([left, top]: [number, number]) => ({
  left: px(box.value.x + ((left + 1) / 2) * box.value.w - 12),
  top: px(box.value.y + ((top + 1) / 2) * box.value.h - 12),
})

let held: { grip: [number, number]; x: number; y: number; rect: Rect } | null = null
function down(event: PointerEvent, grip: [number, number]) {
  if (event.button !== 0) return
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  held = { grip, x: event.clientX, y: event.clientY, rect: turning.rect }
}
function drag(rect: Rect, grip: [number, number], by: readonly [number, number]) {
  const [, , w, h] = turning.whole.box
  turning.crop(draggedRect(rect, grip, by, [w, h], turning.shape))
}
function move(event: PointerEvent) {
  if (!held) return
  const pixel = props.zoom * props.unit
  drag(held.rect, held.grip, [(event.clientX - held.x) / pixel, (event.clientY - held.y) / pixel])
}
const up = () => (held = null)
const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-STEP, 0],
  ArrowRight: [STEP, 0],
  ArrowUp: [0, -STEP],
  ArrowDown: [0, STEP],
}
function key(event: KeyboardEvent, grip: [number, number]) {
  const by = ARROWS[event.key]
  if (!by) return
  event.preventDefault()
  event.stopPropagation()
  const times = event.shiftKey ? 10 : 1
  drag(turning.rect, grip, [by[0] * times, by[1] * times])
}

/** The line along what should be level or upright, in window pixels. */
const line = ref<{ x0: number; y0: number; x1: number; y1: number } | null>(null)
const sheetBox = ref<HTMLElement | null>(null)
function spot(event: PointerEvent) {
  const rect = sheetBox.value!.getBoundingClientRect()
  return [event.clientX - rect.left, event.clientY - rect.top] as const
}
function lineDown(event: PointerEvent) {
  if (event.button !== 0) return
  sheetBox.value!.setPointerCapture(event.pointerId)
  const [x, y] = spot(event)
  line.value = { x0: x, y0: y, x1: x, y1: y }
}
function lineMove(event: PointerEvent) {
  if (!line.value) return
  const [x1, y1] = spot(event)
  line.value = { ...line.value, x1, y1 }
}
function lineUp() {
  const l = line.value
  line.value = null
  if (l && Math.hypot(l.x1 - l.x0, l.y1 - l.y0) > 12) turning.along(l.x1 - l.x0, l.y1 - l.y0)
}
</script>

<template>
  <div class="pointer-events-none absolute inset-0" data-crop>
    <svg class="absolute inset-0 h-full w-full" aria-hidden="true">
      <path :d="outside" fill-rule="evenodd" class="fill-room/75" />
      <g v-if="!turning.level" stroke="#fff" stroke-opacity="0.45">
        <path
          v-for="n in [1, 2]"
          :key="n"
          :d="`M${box.x + (n * box.w) / 3} ${box.y}v${box.h}M${box.x} ${box.y + (n * box.h) / 3}h${box.w}`"
        />
      </g>
      <rect
        :x="box.x"
        :y="box.y"
        :width="box.w"
        :height="box.h"
        class="fill-none"
        stroke="#000"
        stroke-opacity="0.5"
        stroke-width="3"
      />
      <rect
        :x="box.x"
        :y="box.y"
        :width="box.w"
        :height="box.h"
        class="fill-none"
        stroke="#fff"
        stroke-width="1.5"
        stroke-dasharray="7 4"
      />
    </svg>
    <div
      class="pointer-events-auto absolute cursor-move"
      :style="{ left: px(box.x), top: px(box.y), width: px(box.w), height: px(box.h) }"
      role="button"
      tabindex="0"
      aria-label="What is cut out; drag or arrow keys move it"
      data-crop-frame
      @pointerdown.stop="down($event, [0, 0])"
      @pointermove.stop="move"
      @pointerup.stop="up"
      @pointercancel="up"
      @keydown="key($event, [0, 0])"
    ></div>
    <button
      v-for="one in GRIPS"
      :key="one.words"
      class="pointer-events-auto absolute flex size-6 items-center justify-center"
      :style="{ ...place(one.grip), cursor: one.cursor }"
      :aria-label="`The frame’s ${one.words}; arrow keys move it`"
      :data-grip="one.grip.join(' ')"
      @pointerdown.stop="down($event, one.grip)"
      @pointermove.stop="move"
      @pointerup.stop="up"
      @pointercancel="up"
      @keydown="key($event, one.grip)"
    >
      <span class="size-2.5 border border-ink/60 bg-white"></span>
    </button>
    <div
      v-if="turning.level"
      ref="sheetBox"
      class="pointer-events-auto absolute inset-0 cursor-crosshair"
      data-level
      @pointerdown.stop="lineDown"
      @pointermove.stop="lineMove"
      @pointerup.stop="lineUp"
      @pointercancel="line = null"
    >
      <svg v-if="line" class="h-full w-full" aria-hidden="true">
        <line
          :x1="line.x0"
          :y1="line.y0"
          :x2="line.x1"
          :y2="line.y1"
          stroke="#000"
          stroke-opacity="0.5"
          stroke-width="3"
        />
        <line
          :x1="line.x0"
          :y1="line.y0"
          :x2="line.x1"
          :y2="line.y1"
          stroke="#fff"
          stroke-width="1.5"
          stroke-dasharray="7 4"
        />
      </svg>
    </div>
  </div>
</template>
