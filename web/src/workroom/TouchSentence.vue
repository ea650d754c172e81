<script setup lang="ts">
import { computed } from 'vue'
import { useActions } from '../edits/actions'
import type { Touch } from '../sheet/types'
import { pieces, setName, valueWords } from '../sheet/words'
import { useSheet } from '../stores/sheet'
import Where from './Where.vue'

/** A touch as a sentence: the place opens a menu, the values are dragged sideways or opened. */
const props = defineProps<{ touch: Touch }>()
defineEmits<{ press: [event: MouseEvent]; toggle: [] }>()
const sheet = useSheet()
const actions = useActions()

const kind = computed(() => sheet.kinds.find((k) => k.kind === props.touch.kind))
const sentencePieces = computed(() => (kind.value ? pieces(kind.value, props.touch.settings) : []))
const setting = (name: string) => kind.value!.settings.find((s) => s.name === name)!
const words = computed(() => actions.say(props.touch))

function stepped(name: string, from: number, steps: number) {
  const { step, low, high, scale } = setting(name)
  const raw = from + (steps * (step ?? 1)) / scale
  return Number(Math.min(high ?? raw, Math.max(low ?? raw, raw)).toFixed(4))
}
/** Arrows step the number in the sentence, with Shift by ten, as they do beside a slider. */
function nudge(event: KeyboardEvent, name: string) {
  const by = ['ArrowUp', 'ArrowRight'].includes(event.key) ? 1 : -1
  if (!event.key.startsWith('Arrow') || event.altKey || setting(name).control !== 'slider') return
  event.preventDefault()
  const to = stepped(name, Number(props.touch.settings[name]), by * (event.shiftKey ? 10 : 1))
  actions.setSettings(props.touch, { [name]: to })
}

const PIXELS_A_STEP = 4
let dragged: { x: number; from: number; to: number; name: string } | null = null
function grab(event: PointerEvent, name: string) {
  if (setting(name).control !== 'slider') return
  dragged = { x: event.clientX, from: Number(props.touch.settings[name]), to: NaN, name }
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
}
function drag(event: PointerEvent) {
  if (!dragged) return
  const steps = Math.round((event.clientX - dragged.x) / PIXELS_A_STEP)
  if (!steps && Number.isNaN(dragged.to)) return
  dragged.to = stepped(dragged.name, dragged.from, steps)
  actions.attemptSettings(props.touch, { [dragged.name]: dragged.to })
}
function drop() {
  const done = dragged
  dragged = null
  if (!done) return
  if (Number.isNaN(done.to)) actions.openTouch(props.touch.id)
  else actions.setSettings(props.touch, { [done.name]: done.to })
}
</script>

<template>
  <template v-if="touch.kind === 'set'">
    <button class="text-left" @click="$emit('press', $event)">
      {{ setName(touch, sheet.kinds, sheet.areas) }}
    </button>
    on
    <Where :touch="touch" />
  </template>
  <button v-else-if="touch.name" class="text-left" @click="$emit('toggle')">{{ touch.name }}</button>
  <template v-else-if="kind">
    <template v-for="(piece, i) in sentencePieces" :key="i">
      <span v-if="'text' in piece" @click="$emit('toggle')">{{ piece.text }}</span>
      <Where v-else-if="'where' in piece" :touch="touch" />
      <button
        v-else
        class="where touch-none"
        :class="setting(piece.setting).control === 'slider' ? 'cursor-ew-resize' : ''"
        :aria-label="`${setting(piece.setting).title}: ${valueWords(setting(piece.setting), touch.settings[piece.setting])}. Drag sideways, or open to type.`"
        @pointerdown="grab($event, piece.setting)"
        @pointermove="drag"
        @pointerup="drop"
        @keydown="nudge($event, piece.setting)"
        @keydown.enter="actions.openTouch(touch.id)"
        @click="setting(piece.setting).control === 'slider' || actions.openTouch(touch.id)"
      >
        {{ valueWords(setting(piece.setting), touch.settings[piece.setting]) }}
      </button>
    </template>
  </template>
  <button v-else class="text-left" @click="$emit('toggle')">{{ words }}</button>
</template>
