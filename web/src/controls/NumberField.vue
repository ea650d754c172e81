<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed, ref, useId } from 'vue'
import { figure, readFigure } from '../sheet/words'

const props = withDefaults(
  defineProps<{
    modelValue: number
    label: string
    low: number
    high: number
    soft?: number | null
    step?: number
    neutral?: number
    unit?: string
    disabled?: string
    compact?: boolean
    /** A wider label; or no slider at all. */
    wide?: boolean
    bare?: boolean
    /** Label and number, where there is no room for a slider. */
    tight?: boolean
    /** CSS for the track where its colours mean something. */
    track?: string
  }>(),
  {
    soft: null,
    step: 0.01,
    neutral: 0,
    unit: '',
    disabled: '',
    compact: false,
    wide: false,
    bare: false,
    tight: false,
    track: '',
  },
)
const emit = defineEmits<{ attempt: [value: number]; change: [value: number] }>()

const id = useId()
const STEPS_WITH_SHIFT = 10
const REST = 500
const typed = ref<string | null>(null)
let resting: ReturnType<typeof setTimeout> | undefined
const held = ref<number | null>(null)
/** A pointer is down on the slider. */
let gripped = false

const value = computed(() => held.value ?? props.modelValue)
const sliderHigh = computed(() => Math.max(props.soft ?? props.high, value.value))
const sliderLow = computed(() =>
  Math.min(props.soft === null ? props.low : Math.max(props.low, -props.soft), value.value),
)
const shown = computed(
  () => typed.value ?? figure(value.value, { unit: props.unit, low: props.low, step: props.step }),
)
const share = (v: number) => ((v - sliderLow.value) / (sliderHigh.value - sliderLow.value)) * 100
const filled = computed(() => {
  const inside = Math.min(sliderHigh.value, Math.max(sliderLow.value, props.neutral))
  // What is all by nature (strength, ceiling) fills from nothing; the rest from where it changes nothing.
  const [now, start] = [share(value.value), share(props.neutral >= props.high ? props.low : inside)]
  return {
    '--from': `${Math.min(now, start)}%`,
    '--to': `${Math.max(now, start)}%`,
    '--neutral': `${share(inside)}%`,
  }
})

function clean(raw: number) {
  const stepped = Math.round(raw / props.step) * props.step
  return Number(Math.min(props.high, Math.max(props.low, stepped)).toFixed(6))
}
function attempt(raw: number) {
  held.value = clean(raw)
  emit('attempt', held.value)
  clearTimeout(resting)
  // Keys and wheels have no end of their own: the value is kept once it rests. A hand that rests still holds it.
  if (!gripped) resting = setTimeout(settle, REST)
}
function grip() {
  gripped = true
}
useEventListener(['pointerup', 'pointercancel'], () => gripped && letGo())
function letGo() {
  gripped = false
  settle()
}
function settle() {
  clearTimeout(resting)
  if (held.value === null) return
  const final = held.value
  held.value = null
  emit('change', final)
}
function keys(event: KeyboardEvent) {
  const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key]
  const inText = (event.target as HTMLInputElement).type === 'text'
  if (by && !(inText && event.key.startsWith('ArrowL')) && !(inText && event.key === 'ArrowRight')) {
    event.preventDefault()
    typed.value = null
    attempt(value.value + by * props.step * (event.shiftKey ? STEPS_WITH_SHIFT : 1))
  } else if (!inText && (event.key === 'Backspace' || event.key === 'Delete')) {
    event.preventDefault()
    event.stopPropagation()
    neutralise()
  } else if (inText && event.key === 'Enter') {
    take()
    // The keys of the room work again at once.
    ;(event.target as HTMLInputElement).blur()
  } else if (inText && event.key === 'Escape') {
    event.stopPropagation()
    typed.value = null
    ;(event.target as HTMLInputElement).blur()
  }
}
function neutralise() {
  attempt(props.neutral)
  settle()
}
function take() {
  if (typed.value === null) return
  const number = readFigure(typed.value)
  typed.value = null
  if (number !== null) {
    attempt(number)
    settle()
  }
}
</script>

<template>
  <div class="flex items-center gap-2" :data-tip="disabled || undefined">
    <label
      :for="id"
      class="truncate"
      :class="bare ? 'sr-only' : compact ? '' : wide ? 'w-[98px] shrink-0' : 'w-[66px] shrink-0'"
      @dblclick="neutralise"
      >{{ label }}</label
    >
    <input
      v-if="!bare && !tight"
      :id="id"
      type="range"
      class="slider grow"
      :class="{ 'w-10': compact, coloured: track }"
      :min="sliderLow"
      :max="sliderHigh"
      :step="step"
      :value="value"
      :disabled="!!disabled"
      :style="track ? { '--track': track } : filled"
      :aria-valuetext="shown"
      @input="attempt(Number(($event.target as HTMLInputElement).value))"
      @pointerdown="grip"
      @change="settle"
      @keydown="keys"
      @dblclick="neutralise"
    />
    <input
      type="text"
      inputmode="decimal"
      class="min-h-[26px] shrink-0 text-right"
      :class="
        bare
          ? 'field w-full px-1 py-0'
          : compact
            ? 'w-10 rounded-sm bg-transparent px-1 hover:bg-white/70'
            : 'field w-[82px] py-0'
      "
      :aria-label="`${label}, number`"
      :value="shown"
      :disabled="!!disabled"
      @focus="($event.target as HTMLInputElement).select()"
      @input="typed = ($event.target as HTMLInputElement).value"
      @keydown="keys"
      @blur="(take(), settle())"
    />
  </div>
</template>

<style>
.slider {
  appearance: none;
  height: 24px;
  min-width: 40px;
  background:
    linear-gradient(var(--color-quiet), var(--color-quiet)) var(--neutral) center / 1px 9px no-repeat,
    linear-gradient(
        to right,
        var(--color-line) var(--from),
        var(--color-thread) var(--from),
        var(--color-thread) var(--to),
        var(--color-line) var(--to)
      )
      center / 100% 2px no-repeat;
}
.slider.coloured {
  background: var(--track) center / 100% 6px no-repeat;
}
.slider::-webkit-slider-thumb {
  appearance: none;
  width: 5px;
  height: 15px;
  border-radius: 1px;
  background: var(--color-thread);
}
.slider::-moz-range-thumb {
  width: 5px;
  height: 15px;
  border: 0;
  border-radius: 1px;
  background: var(--color-thread);
}
.slider:disabled {
  opacity: 0.5;
}
</style>
