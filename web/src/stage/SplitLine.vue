<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoom } from '../stores/room'

/** The line between before and after, dragged over the picture. */
const room = useRoom()
const STEP = 0.02
const held = ref(false)
const across = computed(() => room.compare === 'across')
const clamp = (v: number) => Math.min(1, Math.max(0, v))

function down(event: PointerEvent) {
  if (event.button !== 0) return
  event.stopPropagation()
  event.preventDefault()
  held.value = true
  const line = event.currentTarget as HTMLElement
  line.setPointerCapture(event.pointerId)
  line.focus()
}
function move(event: PointerEvent) {
  if (!held.value) return
  event.stopPropagation()
  const box = (event.currentTarget as HTMLElement).parentElement!.getBoundingClientRect()
  room.splitAt = clamp(
    across.value ? (event.clientX - box.left) / box.width : (event.clientY - box.top) / box.height,
  )
}
function up(event: PointerEvent) {
  if (held.value) event.stopPropagation()
  held.value = false
}
function keys(event: KeyboardEvent) {
  const by = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1 }[event.key]
  if (!by) return
  event.preventDefault()
  event.stopPropagation()
  room.splitAt = clamp(room.splitAt + by * STEP * (event.shiftKey ? 5 : 1))
}
</script>

<template>
  <div
    class="absolute flex items-center justify-center"
    :class="across ? 'inset-y-0 -ml-3 w-6 cursor-ew-resize' : 'inset-x-0 -mt-3 h-6 cursor-ns-resize'"
    :style="across ? { left: `${100 * room.splitAt}%` } : { top: `${100 * room.splitAt}%` }"
    role="slider"
    tabindex="0"
    aria-label="The line between before and after. Drag it, or move it with the arrows."
    :aria-valuenow="Math.round(100 * room.splitAt)"
    data-split
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="up"
    @keydown="keys"
  >
    <span
      class="absolute bg-white outline outline-black/50"
      :class="across ? 'inset-y-0 w-px' : 'inset-x-0 h-px'"
    ></span>
    <span
      class="relative rounded-sm border border-rule bg-paper"
      :class="across ? 'h-8 w-3' : 'h-3 w-8'"
    ></span>
  </div>
</template>
