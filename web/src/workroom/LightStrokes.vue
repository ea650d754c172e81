<script setup lang="ts">
import { computed } from 'vue'
import NumberField from '../controls/NumberField.vue'
import { useActions } from '../edits/actions'
import type { LightStroke, Touch } from '../sheet/types'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** The strokes of light that a touch owns: painting more of them, and weakening all of one size afterwards. */
const props = defineProps<{ touch: Touch }>()
const room = useRoom()
const sheet = useSheet()
const actions = useActions()

interface Weaker {
  size: number
  share: number
}
const unit = computed(() => Math.max(sheet.portrait?.facts?.width ?? 1, sheet.portrait?.facts?.height ?? 1))
const strokes = computed(() => props.touch.settings.strokes as LightStroke[])
const weaker = computed(() => props.touch.settings.weaker as Weaker[])
const sizes = computed(() => {
  const counts = new Map<number, { lighter: number; darker: number }>()
  for (const { size, darker } of strokes.value) {
    const count = counts.get(size) ?? { lighter: 0, darker: 0 }
    count[darker ? 'darker' : 'lighter'] += 1
    counts.set(size, count)
  }
  return [...counts].sort(([a], [b]) => b - a)
})
const shareOf = (size: number) => weaker.value.find((w) => w.size === size)?.share ?? 1
const withShare = (size: number, share: number) => ({
  weaker: [...weaker.value.filter((w) => w.size !== size), ...(share < 1 ? [{ size, share }] : [])],
})
const painting = computed(() => room.painting && actions.laysLight())
function paint() {
  // A brush that paints an area is put down first.
  if (!painting.value) room.painting = false
  room.chain = false
  actions.takeBrush()
}
</script>

<template>
  <div class="mb-2 space-y-1" data-light-strokes>
    <button
      class="button min-h-[26px] px-2"
      :class="painting ? 'button-main' : ''"
      :aria-pressed="painting"
      data-tip="B"
      @click="paint"
    >
      {{ painting ? 'painting with light' : 'paint with light' }}
    </button>
    <p v-if="!strokes.length" class="text-quiet">
      Nothing painted yet. A stroke makes lighter; T turns it round. What one pass makes builds up, and the
      other way takes it back.
    </p>
    <div v-for="[size, count] in sizes" :key="size">
      <NumberField
        wide
        :model-value="Math.round(shareOf(size) * 100)"
        :label="`of ${Math.round(size * unit)} px`"
        :data-tip="`${count.lighter} lighter, ${count.darker} darker; how far they count`"
        :low="0"
        :high="100"
        :step="1"
        :neutral="100"
        unit="%"
        @attempt="actions.attemptSettings(touch, withShare(size, $event / 100))"
        @change="actions.setSettings(touch, withShare(size, $event / 100))"
      />
    </div>
  </div>
</template>
