<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Size, View } from './geometry'
import type { Layer } from './views'

/** The whole picture, small, with what is in view marked on it; a press or a drag goes there. */
const props = defineProps<{ layer: Layer | null; view: View; stage: Size; picture: Size }>()
const emit = defineEmits<{ go: [x: number, y: number] }>()
const LONG = 116
const canvas = ref<HTMLCanvasElement | null>(null)
const scale = computed(() => LONG / Math.max(props.picture.w, props.picture.h))
const size = computed(() => ({ w: props.picture.w * scale.value, h: props.picture.h * scale.value }))
const box = computed(() => {
  const [w, h] = [props.stage.w / props.view.zoom, props.stage.h / props.view.zoom]
  const clamp = (v: number, high: number) => Math.min(high, Math.max(0, v))
  const [x0, x1] = [
    clamp(props.view.x - w / 2, props.picture.w),
    clamp(props.view.x + w / 2, props.picture.w),
  ]
  const [y0, y1] = [
    clamp(props.view.y - h / 2, props.picture.h),
    clamp(props.view.y + h / 2, props.picture.h),
  ]
  return {
    x: x0 * scale.value,
    y: y0 * scale.value,
    width: (x1 - x0) * scale.value,
    height: (y1 - y0) * scale.value,
  }
})
watch(
  [() => props.layer, canvas],
  () => {
    const context = canvas.value?.getContext('2d')
    if (!context || !props.layer) return
    context.imageSmoothingQuality = 'high'
    context.drawImage(props.layer.bitmap, 0, 0, context.canvas.width, context.canvas.height)
  },
  { flush: 'post' },
)
let held = false
function go(event: PointerEvent) {
  const at = (event.currentTarget as HTMLElement).getBoundingClientRect()
  emit('go', (event.clientX - at.left) / scale.value, (event.clientY - at.top) / scale.value)
}
function down(event: PointerEvent) {
  if (event.button !== 0) return
  held = true
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  go(event)
}
</script>

<template>
  <div
    class="absolute right-3 bottom-3 cursor-pointer border border-paper/80 bg-room"
    :style="{ width: `${size.w}px`, height: `${size.h}px` }"
    role="img"
    aria-label="The whole picture, with what is in view. Press to go there."
    data-map
    @pointerdown.stop.prevent="down"
    @pointermove.stop="held && go($event)"
    @pointerup.stop="held = false"
    @pointercancel="held = false"
  >
    <canvas
      ref="canvas"
      :width="Math.round(size.w * 2)"
      :height="Math.round(size.h * 2)"
      class="h-full w-full"
    ></canvas>
    <svg class="absolute inset-0 h-full w-full overflow-visible">
      <rect v-bind="box" class="fill-none" stroke="#000" stroke-opacity="0.5" stroke-width="3" />
      <rect v-bind="box" class="fill-none" stroke="#fff" stroke-width="1.4" stroke-dasharray="5 3" />
    </svg>
  </div>
</template>
