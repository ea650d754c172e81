<script setup lang="ts">
import { computed, ref } from 'vue'

export type Place = [number, number]
export interface Handle {
  name: string
  label: string
  place: Place
  square?: boolean
  /** Shown as a stitch: there may be many. */
  stitch?: boolean
}
const props = defineProps<{
  /** The lines alone, with nothing to take hold of. */
  bare?: boolean
  handles: Handle[]
  /** Lines drawn between them, in stage pixels, as SVG path data of the handles' stage places. */
  lines: (
    spots: Record<string, { x: number; y: number }>,
    at: (place: Place) => { x: number; y: number },
  ) => string[]
  /** Where a place of the picture, in long sides, lies on the stage. */
  at: (place: Place) => { x: number; y: number }
  /** The place of the picture under the pointer. */
  place: (event: PointerEvent) => { x: number; y: number }
}>()
const emit = defineEmits<{
  attempt: [name: string, to: Place]
  change: [name: string, to: Place]
  remove: [name: string]
  select: [name: string]
  turn: [name: string]
}>()

const STEP = 0.01
const held = ref<{ name: string; to: Place; moved: boolean } | null>(null)
const spots = computed(() => Object.fromEntries(props.handles.map((h) => [h.name, props.at(h.place)])))
const inside = (v: number) => Number(Math.min(2, Math.max(-1, v)).toFixed(4))

function down(event: PointerEvent, handle: Handle) {
  if (event.button !== 0) return
  event.stopPropagation()
  event.preventDefault()
  if (event.altKey) {
    emit('remove', handle.name)
    return
  }
  emit('select', handle.name)
  held.value = { name: handle.name, to: handle.place, moved: false }
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  ;(event.currentTarget as HTMLElement).focus()
}
function move(event: PointerEvent) {
  if (!held.value) return
  event.stopPropagation()
  const { x, y } = props.place(event)
  held.value = { ...held.value, to: [inside(x), inside(y)], moved: true }
  emit('attempt', held.value.name, held.value.to)
}
function up(event: PointerEvent) {
  if (!held.value) return
  event.stopPropagation()
  const { name, to, moved } = held.value
  held.value = null
  if (moved) emit('change', name, to)
}
function keys(event: KeyboardEvent, handle: Handle) {
  if (event.key === 'Delete' || event.key === 'Backspace') {
    event.preventDefault()
    event.stopPropagation()
    emit('remove', handle.name)
    return
  }
  if (event.key === 'Enter') {
    event.preventDefault()
    event.stopPropagation()
    emit('turn', handle.name)
    return
  }
  const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key]
  if (!by) return
  event.preventDefault()
  event.stopPropagation()
  const step = STEP * (event.shiftKey ? 10 : 1)
  const [x, y] = handle.place
  emit('change', handle.name, [inside(x + by[0]! * step), inside(y + by[1]! * step)])
}
</script>

<template>
  <svg class="pointer-events-none absolute inset-0 h-full w-full overflow-visible" data-handles>
    <template v-for="(d, i) in lines(spots, at)" :key="i">
      <path :d="d" class="fill-none" stroke="#000" stroke-opacity="0.5" stroke-width="3" data-shape />
      <path :d="d" class="fill-none" stroke="#fff" stroke-width="1.4" stroke-dasharray="6 4" />
    </template>
    <g
      v-for="handle in bare ? [] : handles"
      :key="handle.name"
      class="pointer-events-auto cursor-move"
      role="slider"
      tabindex="0"
      :aria-label="`${handle.label}. Drag it, or move it with the arrows.`"
      :aria-valuetext="`${Math.round(100 * handle.place[0])} across, ${Math.round(100 * handle.place[1])} down`"
      :aria-valuenow="Math.round(100 * handle.place[0])"
      :data-end="handle.name"
      :transform="`translate(${spots[handle.name]!.x} ${spots[handle.name]!.y})`"
      @pointerdown="down($event, handle)"
      @pointermove="move"
      @pointerup="up"
      @pointercancel="up"
      @keydown="keys($event, handle)"
      @focus="emit('select', handle.name)"
      @dblclick.stop="emit('turn', handle.name)"
    >
      <circle r="12" class="fill-transparent" />
      <g v-if="handle.stitch" class="fill-none" stroke-linecap="round" data-stitch>
        <path d="M-4 -4L4 4M4 -4L-4 4" stroke="#fff" :stroke-width="handle.square ? 7 : 4.5" />
        <path d="M-4 -4L4 4M4 -4L-4 4" class="stroke-thread" stroke-width="2" />
      </g>
      <rect
        v-else-if="handle.square"
        x="-5"
        y="-5"
        width="10"
        height="10"
        class="fill-thread"
        stroke="#fff"
        stroke-width="2"
      />
      <circle v-else r="5.5" class="fill-thread" stroke="#fff" stroke-width="2" />
    </g>
  </svg>
</template>
