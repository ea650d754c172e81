<script setup lang="ts">
import { computed, ref } from 'vue'
import { histogramPath } from '../sheet/histogram'
import { isSharp, movedCorner, movedRamp, type Ramp, withEnds } from '../sheet/ramp'
import NumberField from './NumberField.vue'
import { useDrag } from './useDrag'

const props = defineProps<{ modelValue: Ramp; bins: number[] }>()
const emit = defineEmits<{ attempt: [ramp: Ramp]; change: [ramp: Ramp] }>()

const W = 276
const H = 56
const NAMES = ['from nothing', 'all from', 'all until', 'nothing from']
const STEP = 0.01
const plot = ref<SVGSVGElement | null>(null)
const held = ref<Ramp | null>(null)
const ramp = computed(() => held.value ?? props.modelValue)
const outline = computed(() => {
  const [a, b, c, d] = ramp.value.map((v) => (v * W).toFixed(1))
  return `M${a} ${H}L${b} 3H${c}L${d} ${H}`
})

const drag = useDrag<{ corner: number; from: Ramp; x: number }>(
  plot,
  ({ corner, from, x: start }, x) => {
    held.value = corner < 0 ? movedRamp(from, x - start) : movedCorner(from, corner, x)
    emit('attempt', held.value)
  },
  (_, moved) => {
    const final = held.value
    held.value = null
    if (moved && final) emit('change', final)
  },
)
function grab(event: PointerEvent, corner: number) {
  drag.down(event, { corner, from: props.modelValue, x: drag.place(event)[0] })
}
function keys(event: KeyboardEvent, corner: number) {
  const by = { ArrowLeft: -STEP, ArrowDown: -STEP, ArrowRight: STEP, ArrowUp: STEP }[event.key]
  if (!by) return
  event.preventDefault()
  event.stopPropagation()
  emit('change', movedCorner(ramp.value, corner, ramp.value[corner]! + by * (event.shiftKey ? 10 : 1)))
}
</script>

<template>
  <div>
    <svg
      ref="plot"
      :viewBox="`0 0 ${W} ${H}`"
      class="block w-full touch-none overflow-visible border border-line bg-white/70"
      role="group"
      aria-label="The tones it works in. Drag a corner, or the whole ramp."
      data-ramp
      @pointermove="drag.move"
      @pointerup="drag.up"
      @pointercancel="drag.up"
    >
      <path :d="histogramPath(bins, W, H)" class="fill-line" />
      <path
        :d="outline"
        class="cursor-ew-resize fill-thread/15 stroke-thread"
        stroke-width="1.6"
        @pointerdown="grab($event, -1)"
      />
      <g
        v-for="(value, i) in ramp"
        :key="i"
        role="slider"
        tabindex="0"
        class="cursor-ew-resize"
        :aria-label="NAMES[i]"
        :aria-valuenow="Math.round(100 * value)"
        :aria-valuemin="0"
        :aria-valuemax="100"
        :data-corner="i"
        @pointerdown.stop="grab($event, i)"
        @keydown="keys($event, i)"
      >
        <circle :cx="value * W" :cy="i === 0 || i === 3 ? H - 3 : 6" r="12" class="fill-transparent" />
        <rect
          :x="value * W - 4"
          :y="(i === 0 || i === 3 ? H - 3 : 6) - 4"
          width="8"
          height="8"
          class="fill-paper stroke-thread"
          stroke-width="1.5"
        />
      </g>
    </svg>
    <div
      class="mt-1 h-1.5 rounded-sm"
      style="background: linear-gradient(to right, #000, #fff)"
      aria-hidden="true"
    ></div>
    <div class="mt-1 grid grid-cols-[1fr_1fr_1fr_1fr_auto] gap-1">
      <NumberField
        v-for="(value, i) in ramp"
        :key="i"
        bare
        :model-value="Math.round(100 * value)"
        :label="NAMES[i]!"
        :low="0"
        :high="100"
        :step="1"
        @change="emit('change', movedCorner(ramp, i, $event / 100))"
      />
      <button
        class="plain"
        :aria-pressed="isSharp(ramp)"
        @click="emit('change', withEnds(ramp, !isSharp(ramp)))"
      >
        {{ isSharp(ramp) ? 'soften ends' : 'sharpen ends' }}
      </button>
    </div>
  </div>
</template>
