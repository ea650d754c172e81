<script setup lang="ts">
import { ChevronDown, ChevronRight } from '@lucide/vue'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import OnOff from '../controls/OnOff.vue'
import { useActions } from '../edits/actions'
import type { Touch } from '../sheet/types'
import { useRoom } from '../stores/room'
import TouchControls from './TouchControls.vue'
import TouchSentence from './TouchSentence.vue'

const props = defineProps<{ touch: Touch; number: number; depth: number; first: boolean; last: boolean }>()
const room = useRoom()
const actions = useActions()
const selected = computed(() => room.selected.includes(props.touch.id))
const folded = computed(() => room.folded.includes(props.touch.id))
const flip = (list: string[]) =>
  list.includes(props.touch.id) ? list.filter((id) => id !== props.touch.id) : [...list, props.touch.id]
/** A click opens the touch; with Ctrl or Shift it is picked, for something to be done with several. */
function press(event: MouseEvent) {
  if (event.ctrlKey || event.metaKey || event.shiftKey) room.selected = flip(room.selected)
  else toggle()
}

const open = computed(() => room.openTouch === props.touch.id)
const words = computed(() => actions.say(props.touch))
/** From which zoom on the touch is seen, where the view shows less than there is. */
const seenFrom = computed(() => {
  const share = room.unseen[props.touch.id]
  return share === undefined ? '' : `${Math.ceil(100 * share)} %`
})

function toggle() {
  actions.openTouch(open.value ? null : props.touch.id)
}

const DWELL = 250
let dwelling: ReturnType<typeof setTimeout> | undefined
/** Show where a touch works while the pointer rests on its sentence; an open one is judged without stitches. */
function showWhere() {
  clearTimeout(dwelling)
  dwelling = setTimeout(() => {
    if (!open.value && props.touch.area) room.hoverArea = props.touch.area
  }, DWELL)
}
function hideWhere() {
  clearTimeout(dwelling)
  if (room.hoverArea === props.touch.area) room.hoverArea = null
}
onBeforeUnmount(hideWhere)
watch(open, hideWhere)

const row = ref<HTMLLIElement | null>(null)
watch(
  [open, () => !!props.touch.limit],
  () => open.value && row.value?.scrollIntoView({ block: 'nearest' }),
  { flush: 'post' },
)
</script>

<template>
  <li
    ref="row"
    class="relative rounded-md py-1.5 pr-2.5 pl-2"
    :class="
      open
        ? 'bg-white/70 outline-2 outline-thread outline-dashed'
        : selected
          ? 'bg-inset outline-1 outline-thread'
          : ''
    "
    :style="{ marginLeft: `${depth * 14}px` }"
    :data-touch="touch.id"
    :data-open="open"
  >
    <div
      class="flex items-start gap-2"
      :class="touch.on ? '' : 'text-quiet'"
      @pointerenter="showWhere"
      @pointerleave="hideWhere"
    >
      <button
        class="min-h-6 w-6 shrink-0 cursor-grab pt-0.5 text-left text-quiet"
        :aria-label="`Touch ${number}: ${words}`"
        :aria-expanded="open"
        :data-picked="selected"
        data-tip="Ctrl+click picks several"
        @click="press"
      >
        {{ number }}
      </button>
      <button
        v-if="touch.kind === 'set'"
        class="plain -mx-1"
        :aria-expanded="!folded"
        :aria-label="folded ? 'Unfold the set' : 'Fold the set'"
        @click="room.folded = flip(room.folded)"
      >
        <ChevronRight v-if="folded" :size="14" /><ChevronDown v-else :size="14" />
      </button>
      <p class="min-h-6 grow font-read text-[16px] leading-[1.3]" @click.self="toggle">
        <TouchSentence :touch="touch" @press="press" @toggle="toggle" />
      </p>
      <span
        v-if="seenFrom"
        class="shrink-0 pt-0.5 text-quiet"
        data-tip="What this touch does is finer than a pixel of this view"
        data-unseen
        >seen from {{ seenFrom }}</span
      >
      <button
        v-if="touch.needs_look"
        class="plain shrink-0 pt-0.5 text-care"
        data-tip="Its strokes were placed on another portrait. If they fit here, click"
        @click="actions.setTouch(touch, 'needs_look', false, `it fits: ${words}`)"
      >
        needs a look
      </button>
      <OnOff
        :model-value="touch.on"
        :label="`Touch ${number} on`"
        @update:model-value="actions.setTouch(touch, 'on', $event, `${$event ? 'on' : 'off'}: ${words}`)"
      />
    </div>

    <p v-if="touch.note" class="pl-8 whitespace-pre-line text-quiet italic" data-note>{{ touch.note }}</p>
    <TouchControls v-if="open" v-bind="{ touch, number, depth, first, last }" />
  </li>
</template>
