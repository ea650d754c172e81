<script setup lang="ts">
import { computed } from 'vue'
import { useActions } from '../edits/actions'
import { DOES } from '../sheet/shaping'
import type { ShapeStroke, Touch } from '../sheet/types'
import { useBent } from '../stores/bent'
import { useFound } from '../stores/found'
import { useRoom } from '../stores/room'

/** The strokes of a shape: what the next one does, and how far they have come. */
const props = defineProps<{ touch: Touch }>()
const room = useRoom()
const bent = useBent()
const found = useFound()
const actions = useActions()

const strokes = computed(() => props.touch.settings.strokes as ShapeStroke[])
const shaping = computed(() => room.painting && actions.shapeTouch() !== null)
const face = computed(() => found.faces.find((f) => f.axis.length))
function shape() {
  if (!shaping.value) room.painting = false
  room.chain = false
  actions.takeBrush()
}
function choose(does: ShapeStroke['does']) {
  room.nextShape.does = does
  if (!shaping.value) shape()
}
</script>

<template>
  <div class="mb-2 space-y-1.5" data-shapes>
    <div class="group-buttons flex-wrap" role="group" aria-label="What the next stroke does">
      <button
        v-for="(words, does) in DOES"
        :key="does"
        :aria-pressed="room.nextShape.does === does"
        @click="choose(does)"
      >
        {{ words.short }}
      </button>
    </div>
    <div class="flex flex-wrap items-center gap-2">
      <button
        class="button min-h-[26px] px-2"
        :class="shaping ? 'button-main' : ''"
        :aria-pressed="shaping"
        data-tip="B"
        @click="shape"
      >
        {{ shaping ? 'shaping' : 'shape with the brush' }}
      </button>
      <label
        class="flex min-h-6 items-center gap-1.5"
        :class="face ? '' : 'text-quiet'"
        :data-tip="face ? 'each stroke on the other side of the face as well' : 'No face was found here'"
      >
        <input
          v-model="room.nextShape.mirrored"
          type="checkbox"
          class="size-4 accent-thread"
          :disabled="!face"
        />
        both sides
      </label>
    </div>
    <p v-if="!strokes.length" class="text-quiet">
      Nothing shaped yet. Stroke over what should move; everything else stays.
    </p>
    <p v-else class="text-quiet">
      {{ strokes.length }} stroke{{ strokes.length === 1 ? '' : 's' }}
      <button class="plain underline decoration-dotted" @click="actions.setSettings(touch, { strokes: [] })">
        take all back
      </button>
    </p>
    <p v-if="bent.ended.includes(touch.id)" class="text-care" role="status" data-ended>
      A stroke has come to its end: farther, and the picture would fold.
    </p>
    <p v-if="bent.share !== null" class="text-quiet" data-moved>
      The face’s own proportions moved by {{ (100 * bent.share).toFixed(1) }} % of its height.
    </p>
  </div>
</template>
