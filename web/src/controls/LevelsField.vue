<script setup lang="ts">
import { computed, ref } from 'vue'
import { histogramPath } from '../sheet/histogram'
import { useDrag } from './useDrag'

export interface Ends {
  black: number
  middle: number
  white: number
}
const props = defineProps<{ modelValue: Ends; bins: number[]; gap: number }>()
const emit = defineEmits<{ attempt: [changes: Partial<Ends>]; change: [changes: Partial<Ends>] }>()

const W = 276
const H = 70
const plot = ref<SVGSVGElement | null>(null)
const held = ref<Partial<Ends>>({})
const ends = computed(() => ({ ...props.modelValue, ...held.value }))
/** Where each mark stands; the middle's is the value that comes out half way. */
const marks = computed(() => {
  const { black, middle, white } = ends.value
  return { black, middle: black + (white - black) * 0.5 ** middle, white }
})
type Mark = keyof Ends

function moved(mark: Mark, x: number): Partial<Ends> {
  const { black, white } = ends.value
  const at = Number(Math.min(1, Math.max(0, x)).toFixed(3))
  if (mark === 'black') return { black: Math.min(at, Number((white - props.gap).toFixed(3))) }
  if (mark === 'white') return { white: Math.max(at, Number((black + props.gap).toFixed(3))) }
  const share = Math.min(0.87, Math.max(0.032, (x - black) / (white - black)))
  return { middle: Number((Math.log(share) / Math.log(0.5)).toFixed(2)) }
}
const drag = useDrag<Mark>(
  plot,
  (mark, x) => {
    held.value = moved(mark, x)
    emit('attempt', held.value)
  },
  (_, was) => {
    const final = held.value
    held.value = {}
    if (was) emit('change', final)
  },
)
</script>

<template>
  <svg
    ref="plot"
    :viewBox="`0 0 ${W} ${H + 12}`"
    class="mb-2 block w-full touch-none overflow-visible"
    aria-hidden="true"
    data-levels
    @pointermove="drag.move"
    @pointerup="drag.up"
    @pointercancel="drag.up"
  >
    <rect :width="W" :height="H" class="fill-white/70 stroke-line" />
    <path :d="histogramPath(bins, W, H)" class="fill-rule/50" />
    <g
      v-for="mark in ['black', 'middle', 'white'] as const"
      :key="mark"
      class="cursor-ew-resize"
      :data-mark="mark"
      @pointerdown="drag.down($event, mark)"
    >
      <path :d="`M${marks[mark] * W} 0V${H}`" class="stroke-thread" stroke-width="1" stroke-dasharray="3 3" />
      <rect :x="marks[mark] * W - 12" y="0" width="24" :height="H + 12" class="fill-transparent" />
      <path
        :d="`M${marks[mark] * W} ${H}l6 10h-12z`"
        class="stroke-thread"
        :class="{ black: 'fill-ink', middle: 'fill-rule', white: 'fill-white' }[mark]"
      />
    </g>
  </svg>
</template>
