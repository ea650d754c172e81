<script setup lang="ts">
import { computed } from 'vue'
import { useSheet } from '../stores/sheet'

/** A face of the open portrait, small and round; `box` is x, y, w, h in long sides. */
const props = defineProps<{ box: number[]; size: number }>()
const sheet = useSheet()

/** How much more than the face's box is seen. */
const AROUND = 1.35
const style = computed(() => {
  const { width, height } = sheet.portrait?.facts ?? { width: 1, height: 1 }
  const unit = Math.max(width, height)
  const [x, y, w, h] = props.box as [number, number, number, number]
  const side = AROUND * Math.max(w, h)
  const scale = props.size / side
  return {
    width: `${props.size}px`,
    height: `${props.size}px`,
    backgroundImage: `url(/api/portraits/${sheet.portrait?.id}/thumbnail)`,
    backgroundSize: `${(width / unit) * scale}px ${(height / unit) * scale}px`,
    // The thumbnail is the original's.
    transform: `rotate(${90 * (sheet.doc.geometry?.turns ?? 0)}deg)`,
    backgroundPosition: `${-(x + w / 2 - side / 2) * scale}px ${-(y + h / 2 - side / 2) * scale}px`,
  }
})
</script>

<template>
  <span class="block rounded-full bg-line bg-no-repeat" :style="style" aria-hidden="true"></span>
</template>
