<script setup lang="ts">
import { RotateCcw, RotateCw } from '@lucide/vue'
import { computed } from 'vue'
import NumberField from '../controls/NumberField.vue'
import { MOST_STRAIGHTENED } from '../sheet/turning'
import { useTurning } from '../stores/turning'

const turning = useTurning()
const SHAPES: [string, number][] = [
  ['1 : 1', 1],
  ['4 : 5', 4 / 5],
  ['5 : 7', 5 / 7],
  ['3 : 4', 3 / 4],
  ['2 : 3', 2 / 3],
  ['9 : 16', 9 / 16],
]
/** The proportions of the picture itself, as it is turned. */
const own = computed(() => turning.whole.turned[0] / turning.whole.turned[1])
/** An entry says the shorter to the longer side; the frame stays upright or across, as it is. */
const across = computed(() => turning.rect.w > turning.rect.h)
const chosen = computed({
  get() {
    const shape = turning.shape
    if (shape === null) return 'any'
    if (Math.abs(shape - own.value) < 1e-6) return 'own'
    return SHAPES.find(([, s]) => Math.abs(s - Math.min(shape, 1 / shape)) < 1e-6)?.[0] ?? 'any'
  },
  set(name: string) {
    const shape = SHAPES.find(([n]) => n === name)?.[1]
    turning.keepShape(name === 'own' ? own.value : shape ? (across.value ? 1 / shape : shape) : null)
  },
})
function swap() {
  turning.keepShape(1 / (turning.shape ?? turning.rect.w / turning.rect.h))
}
</script>

<template>
  <section
    class="flex min-h-12 shrink-0 flex-wrap items-center gap-x-2 border-t border-line bg-inset px-3 py-1"
    aria-label="Turn and crop"
    data-turning
  >
    <div class="group-buttons" role="group" aria-label="Turn by a quarter">
      <button aria-label="Turn to the left" data-tip="a quarter to the left" @click="turning.turn(-1)">
        <RotateCcw :size="15" class="inline" />
      </button>
      <button aria-label="Turn to the right" data-tip="a quarter to the right" @click="turning.turn(1)">
        <RotateCw :size="15" class="inline" />
      </button>
    </div>
    <NumberField
      compact
      :model-value="turning.geometry.straighten"
      label="straighten"
      unit="°"
      :low="-MOST_STRAIGHTENED"
      :high="MOST_STRAIGHTENED"
      :step="0.1"
      @attempt="turning.straighten"
      @change="turning.straighten"
    />
    <button
      class="button min-h-[26px] px-2"
      :class="turning.level ? 'button-main' : ''"
      :aria-pressed="turning.level"
      data-tip="draw along what should be level or upright"
      @click="turning.level = !turning.level"
    >
      {{ turning.level ? 'draw the line' : 'by a line' }}
    </button>
    <label class="flex items-center" data-tip="width to height of what is cut out">
      <select v-model="chosen" class="field min-h-[26px] py-0" aria-label="Proportions">
        <option value="any">any proportions</option>
        <option value="own">the picture’s own</option>
        <option v-for="[name] in SHAPES" :key="name" :value="name">{{ name }}</option>
      </select>
    </label>
    <button class="plain" data-tip="width for height" @click="swap">swap</button>
    <button
      class="plain"
      :disabled="turning.isUpright"
      :data-tip="turning.isUpright ? 'It is whole and upright already' : 'whole and upright, as it came'"
      @click="turning.reset()"
    >
      start over
    </button>
    <span class="ml-auto text-quiet tabular-nums" data-pixels>
      {{ turning.pixels.w }} × {{ turning.pixels.h }} px
    </span>
    <button class="button min-h-[26px] px-2" data-tip="Esc" @click="turning.end()">Cancel</button>
    <button class="button button-main min-h-[26px] px-3" data-tip="Enter" @click="turning.done()">
      Done
    </button>
  </section>
</template>
