<script setup lang="ts">
import { computed, ref } from 'vue'
import { spline, type Points } from '../sheet/curve'
import { histogramPath } from '../sheet/histogram'

const props = withDefaults(
  defineProps<{ modelValue: Points; label: string; bins?: number[]; channel?: string }>(),
  {
    bins: () => [],
    channel: 'lightness',
  },
)
const emit = defineEmits<{ attempt: [points: Points]; change: [points: Points] }>()

const W = 276
const H = 176
const INKS: Record<string, string> = {
  red: 'fill-[#b0605c]',
  green: 'fill-[#5c8f66]',
  blue: 'fill-[#5f76ad]',
}
const NEAR = 0.02
const STEP = 0.01
const plot = ref<SVGSVGElement | null>(null)
const held = ref<Points | null>(null)
const chosen = ref(-1)
const points = computed(() => held.value ?? props.modelValue)

const line = computed(() => {
  const at = spline(points.value)
  return Array.from({ length: 70 }, (_, i) => {
    const x = i / 69
    return `${i ? 'L' : 'M'}${(x * W).toFixed(1)} ${((1 - Math.min(1, Math.max(0, at(x)))) * H).toFixed(1)}`
  }).join('')
})

function where(event: PointerEvent): [number, number] {
  const box = plot.value!.getBoundingClientRect()
  return [(event.clientX - box.left) / box.width, 1 - (event.clientY - box.top) / box.height]
}
/** The points with one moved to where it may stand: between its neighbours, never falling. */
function moved(list: Points, i: number, x: number, y: number): Points {
  const before = list[i - 1]
  const after = list[i + 1]
  const low = before ? before[0] + NEAR : 0
  const high = after ? after[0] - NEAR : 1
  const next: Points = list.map((p) => [...p])
  next[i] = [
    Number(Math.min(high, Math.max(low, x)).toFixed(4)),
    Number(Math.min(after?.[1] ?? 1, Math.max(before?.[1] ?? 0, y)).toFixed(4)),
  ]
  return next
}
function press(event: PointerEvent, index: number) {
  if (event.button !== 0) return
  event.preventDefault()
  let list = points.value
  if (index < 0) {
    const [x] = where(event)
    if (list.some((p) => Math.abs(p[0] - x) < NEAR) || list.length >= 24) return
    index = list.findIndex((p) => p[0] > x)
    if (index < 0) index = list.length
    const point: [number, number] = [Number(x.toFixed(4)), Number(spline(list)(x).toFixed(4))]
    list = [...list.slice(0, index), point, ...list.slice(index)]
  }
  chosen.value = index
  held.value = list
  plot.value!.setPointerCapture(event.pointerId)
  plot.value!.focus()
}
function drag(event: PointerEvent) {
  if (!held.value) return
  const [x, y] = where(event)
  held.value = moved(held.value, chosen.value, x, y)
  emit('attempt', held.value)
}
function release() {
  if (!held.value) return
  const final = held.value
  held.value = null
  if (JSON.stringify(final) !== JSON.stringify(props.modelValue)) emit('change', final)
}
function remove(index: number) {
  if (points.value.length <= 2 || index < 0) return
  emit(
    'change',
    points.value.filter((_, i) => i !== index),
  )
  chosen.value = -1
}
function reset() {
  emit('change', [
    [0, 0],
    [1, 1],
  ])
  chosen.value = -1
}
function keys(event: KeyboardEvent) {
  const i = chosen.value
  const step = STEP * (event.shiftKey ? 10 : 1)
  const by = { ArrowUp: [0, step], ArrowDown: [0, -step], ArrowLeft: [-step, 0], ArrowRight: [step, 0] }[
    event.key
  ]
  if (event.key === 'n' || event.key === 'p') {
    event.stopPropagation()
    const count = points.value.length
    chosen.value = i < 0 ? 0 : (i + (event.key === 'n' ? 1 : count - 1)) % count
  } else if (by && points.value[i]) {
    event.preventDefault()
    event.stopPropagation()
    const [x, y] = points.value[i]
    emit('change', moved(points.value, i, x + by[0]!, y + by[1]!))
  } else if (event.key === 'Delete' || event.key === 'Backspace') {
    event.preventDefault()
    event.stopPropagation()
    if (i < 0) reset()
    else remove(i)
  }
}
</script>

<template>
  <div>
    <svg
      ref="plot"
      :viewBox="`0 0 ${W} ${H}`"
      class="block w-full touch-none overflow-visible border border-line bg-white/70"
      role="application"
      tabindex="0"
      :aria-label="`${label}. Click adds a point, drag moves it, double click removes it. Keys: n and p choose a point, arrows move it, Delete removes it, or straightens the curve when none is chosen.`"
      @pointerdown="press($event, -1)"
      @pointermove="drag"
      @pointerup="release"
      @pointercancel="release"
      @keydown="keys"
    >
      <path :d="histogramPath(bins, W, H)" :class="INKS[channel] ?? 'fill-line'" fill-opacity="0.75" />
      <path
        :d="`M${W / 4} 0V${H}M${W / 2} 0V${H}M${(3 * W) / 4} 0V${H}M0 ${H / 4}H${W}M0 ${H / 2}H${W}M0 ${(3 * H) / 4}H${W}`"
        class="stroke-line"
        stroke-width="0.6"
      />
      <path :d="`M0 ${H}L${W} 0`" class="stroke-rule" stroke-dasharray="2 4" stroke-width="1" />
      <path :d="line" class="fill-none stroke-thread" stroke-width="1.8" />
      <g v-for="(point, i) in points" :key="i">
        <circle
          :cx="point[0] * W"
          :cy="(1 - point[1]) * H"
          r="12"
          class="cursor-move fill-transparent"
          data-point
          @pointerdown.stop="press($event, i)"
          @dblclick.stop="remove(i)"
        />
        <rect
          :x="point[0] * W - 4"
          :y="(1 - point[1]) * H - 4"
          width="8"
          height="8"
          class="pointer-events-none stroke-thread"
          :class="i === chosen ? 'fill-thread' : 'fill-paper'"
          stroke-width="1.5"
        />
      </g>
    </svg>
    <div class="mt-1 flex items-center justify-between text-quiet">
      <span>black</span>
      <span>
        <template v-if="points[chosen]">
          {{ (100 * points[chosen]![0]).toFixed(0) }} → {{ (100 * points[chosen]![1]).toFixed(0) }}
        </template>
      </span>
      <button class="plain" @click="reset">straighten</button>
      <span>white</span>
    </div>
  </div>
</template>
