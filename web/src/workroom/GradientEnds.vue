<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Touch } from '../sheet/types'
import { useActions } from './actions'

type Place = [number, number]
const props = defineProps<{
  touch: Touch
  /** Where a place of the picture, in long sides, lies on the stage. */
  at: (place: Place) => { x: number; y: number }
  /** The place of the picture under the pointer. */
  place: (event: PointerEvent) => { x: number; y: number }
}>()
const actions = useActions()

const STEP = 0.01
const ENDS = ['start', 'end'] as const
type End = (typeof ENDS)[number]
const held = ref<{ end: End; to: Place } | null>(null)

const places = computed(() => ({
  start: props.touch.settings.start as Place,
  end: props.touch.settings.end as Place,
  ...(held.value ? { [held.value.end]: held.value.to } : {}),
}))
const spots = computed(() => ({ start: props.at(places.value.start), end: props.at(places.value.end) }))
const radius = computed(() => {
  const { start, end } = spots.value
  return Math.hypot(end.x - start.x, end.y - start.y)
})
const inside = (v: number) => Number(Math.min(2, Math.max(-1, v)).toFixed(4))

function down(event: PointerEvent, end: End) {
  if (event.button !== 0) return
  event.stopPropagation()
  event.preventDefault()
  held.value = { end, to: places.value[end] }
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  ;(event.currentTarget as HTMLElement).focus()
}
function move(event: PointerEvent) {
  if (!held.value) return
  event.stopPropagation()
  const { x, y } = props.place(event)
  held.value = { ...held.value, to: [inside(x), inside(y)] }
  actions.attemptSettings(props.touch, { [held.value.end]: held.value.to })
}
function up(event: PointerEvent) {
  if (!held.value) return
  event.stopPropagation()
  const { end, to } = held.value
  held.value = null
  actions.setSettings(props.touch, { [end]: to })
}
function keys(event: KeyboardEvent, end: End) {
  const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key]
  if (!by) return
  event.preventDefault()
  event.stopPropagation()
  const step = STEP * (event.shiftKey ? 10 : 1)
  const [x, y] = places.value[end]
  actions.setSettings(props.touch, { [end]: [inside(x + by[0]! * step), inside(y + by[1]! * step)] })
}
</script>

<template>
  <svg class="pointer-events-none absolute inset-0 h-full w-full overflow-visible" data-gradient>
    <g class="fill-none" stroke-width="1.4">
      <circle
        v-if="touch.settings.shape === 'radial'"
        :cx="spots.start.x"
        :cy="spots.start.y"
        :r="radius"
        stroke="#fff"
        stroke-dasharray="6 4"
        stroke-opacity="0.8"
      />
      <path
        :d="`M${spots.start.x} ${spots.start.y}L${spots.end.x} ${spots.end.y}`"
        stroke="#000"
        stroke-opacity="0.5"
        stroke-width="3"
      />
      <path
        :d="`M${spots.start.x} ${spots.start.y}L${spots.end.x} ${spots.end.y}`"
        stroke="#fff"
        stroke-dasharray="6 4"
      />
    </g>
    <g
      v-for="end in ENDS"
      :key="end"
      class="pointer-events-auto cursor-move"
      role="slider"
      tabindex="0"
      :aria-label="`The gradient's ${end}. Drag it, or move it with the arrows.`"
      :aria-valuetext="`${Math.round(100 * places[end][0])} across, ${Math.round(100 * places[end][1])} down`"
      :aria-valuenow="Math.round(100 * places[end][0])"
      :data-end="end"
      :transform="`translate(${spots[end].x} ${spots[end].y})`"
      @pointerdown="down($event, end)"
      @pointermove="move"
      @pointerup="up"
      @pointercancel="up"
      @keydown="keys($event, end)"
    >
      <circle r="13" class="fill-transparent" />
      <circle v-if="end === 'start'" r="6" class="fill-thread" stroke="#fff" stroke-width="2" />
      <rect
        v-else
        x="-5.5"
        y="-5.5"
        width="11"
        height="11"
        class="fill-thread"
        stroke="#fff"
        stroke-width="2"
      />
    </g>
  </svg>
</template>
