<script setup lang="ts">
import { computed, ref } from 'vue'
import { cssGradient, type Stop, withStop } from '../sheet/colours'
import ColourField from './ColourField.vue'
import NumberField from './NumberField.vue'
import { useDrag } from './useDrag'

export interface Wash {
  of: 'picture' | 'colour' | 'gradient'
  stops: Stop[]
  shape: 'linear' | 'radial'
  backwards: boolean
}
const props = defineProps<{
  modelValue: Wash
  words: Record<string, string>
  tints: [string, string][]
  entry: number
}>()
const emit = defineEmits<{
  attempt: [changes: Partial<Wash>]
  change: [changes: Partial<Wash>]
  entry: [index: number]
}>()

const MOST = 8
const strip = ref<HTMLDivElement | null>(null)
const stops = computed(() => props.modelValue.stops)
const chosen = computed(() => Math.min(props.entry, stops.value.length - 1))
const held = ref<Stop[] | null>(null)
const shown = computed(() => held.value ?? stops.value)

const put = (index: number, changes: Partial<Stop>) =>
  stops.value.map((stop, i) => (i === index ? { ...stop, ...changes } : stop))

function lay(of: Wash['of']) {
  const ends =
    stops.value.length > 1
      ? stops.value
      : [
          { ...stops.value[0]!, at: 0 },
          { at: 1, colour: '#808080' },
        ]
  emit('change', of === 'gradient' ? { of, stops: ends } : { of })
}
const drag = useDrag<number>(
  strip,
  (index, x) => {
    held.value = put(index, { at: Number(Math.min(1, Math.max(0, x)).toFixed(3)) })
    emit('attempt', { stops: held.value })
  },
  (_, moved) => {
    const final = held.value
    held.value = null
    if (moved && final) emit('change', { stops: final })
  },
)
function grab(event: PointerEvent, index: number) {
  emit('entry', index)
  drag.down(event, index)
}
function add(event: PointerEvent) {
  if (event.button !== 0 || stops.value.length >= MOST) return
  emit('change', { stops: withStop(stops.value, drag.place(event)[0]) })
  emit('entry', stops.value.length)
}
function remove() {
  if (stops.value.length < 3) return
  emit('change', { stops: stops.value.filter((_, i) => i !== chosen.value) })
  emit('entry', 0)
}
</script>

<template>
  <div class="space-y-2">
    <div class="group-buttons" role="group" aria-label="What is laid">
      <button
        v-for="(text, way) in words"
        :key="way"
        :aria-pressed="modelValue.of === way"
        @click="lay(way as Wash['of'])"
      >
        {{ text }}
      </button>
    </div>
    <template v-if="modelValue.of === 'gradient'">
      <div
        ref="strip"
        class="relative h-6 touch-none border border-rule"
        :style="{ background: cssGradient(shown, false) }"
        data-strip
        :data-tip="stops.length >= MOST ? 'Eight colours are the most' : 'Click adds a colour'"
        @pointerdown="add"
        @pointermove="drag.move"
        @pointerup="drag.up"
        @pointercancel="drag.up"
      >
        <button
          v-for="(stop, i) in shown"
          :key="i"
          class="absolute -top-1 h-8 w-6 -translate-x-1/2"
          :style="{ left: `${100 * stop.at}%` }"
          :aria-label="`Colour ${i + 1}, at ${Math.round(100 * stop.at)} %`"
          :aria-pressed="i === chosen"
          @pointerdown.stop="grab($event, i)"
          @click.stop="emit('entry', i)"
          @keydown.delete.stop="remove"
        >
          <span
            class="mx-auto block h-8 w-2.5 rounded-sm border-2"
            :class="i === chosen ? 'border-thread' : 'border-white'"
            :style="{ background: stop.colour }"
          ></span>
        </button>
      </div>
      <NumberField
        :model-value="Math.round(100 * (shown[chosen]?.at ?? 0))"
        label="stands at"
        :low="0"
        :high="100"
        :step="1"
        unit="%"
        @attempt="emit('attempt', { stops: put(chosen, { at: $event / 100 }) })"
        @change="emit('change', { stops: put(chosen, { at: $event / 100 }) })"
      />
    </template>
    <ColourField
      v-if="modelValue.of !== 'picture'"
      :model-value="stops[modelValue.of === 'gradient' ? chosen : 0]!.colour"
      label="Colour, as #rrggbb"
      :tints="tints"
      @change="emit('change', { stops: put(modelValue.of === 'gradient' ? chosen : 0, { colour: $event }) })"
    />
    <div v-if="modelValue.of === 'gradient'" class="flex items-center gap-3">
      <div class="group-buttons" role="group" aria-label="Shape of the gradient">
        <button
          v-for="shape in ['linear', 'radial'] as const"
          :key="shape"
          :aria-pressed="modelValue.shape === shape"
          @click="emit('change', { shape })"
        >
          {{ shape }}
        </button>
      </div>
      <button
        class="button min-h-[30px]"
        :aria-pressed="modelValue.backwards"
        :class="modelValue.backwards ? 'button-main' : ''"
        @click="emit('change', { backwards: !modelValue.backwards })"
      >
        backwards
      </button>
      <button
        class="plain ml-auto"
        :disabled="stops.length < 3"
        :data-tip="stops.length < 3 ? 'A gradient needs two colours' : ''"
        @click="remove"
      >
        remove
      </button>
    </div>
    <p v-if="modelValue.of === 'gradient'" class="text-quiet">
      Its two ends stand on the picture: drag them there.
    </p>
    <p v-if="modelValue.of === 'picture'" class="text-quiet">
      The picture over itself: choose below how it is mixed, and how strongly.
    </p>
  </div>
</template>
