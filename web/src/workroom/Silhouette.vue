<script setup lang="ts">
import { until } from '@vueuse/core'
import { onMounted, ref, watch } from 'vue'
import type { Area } from '../sheet/types'
import { useBent } from '../stores/bent'
import { useFound } from '../stores/found'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { type Cut, silhouette, smallPicture } from './silhouettes'

/** `around`: a box (x, y, w, h in long sides) to which a small area is brought near. */
const props = defineProps<{ area: Area; size: number; around?: number[] }>()
const sheet = useSheet()
const bent = useBent()
const room = useRoom()
const found = useFound()
const canvas = ref<HTMLCanvasElement | null>(null)
const REST = 500
let timer: ReturnType<typeof setTimeout> | undefined
let shown: Cut | null = null

onMounted(async () => {
  // The picture goes before its signs.
  await until(() => room.pictured).toBe(true)
  await draw()
})
// The recipe as it is kept, not as it is being tried.
watch(
  () => [
    sheet.revision,
    bent.count,
    found.came,
    JSON.stringify(sheet.doc.areas.find((a) => a.id === props.area.id) ?? null).length,
  ],
  () => {
    clearTimeout(timer)
    timer = setTimeout(() => void draw(), REST)
  },
)

async function draw() {
  const portrait = sheet.portrait
  const context = canvas.value?.getContext('2d')
  if (!portrait?.facts || !context || !canvas.value) return
  const side = canvas.value.width
  const { placing } = bent
  const { size: finished, unit } = placing
  const [width, height] = [finished.w, finished.h]
  const near = props.around ? placing.around(props.around) : [0, 0, width / unit, height / unit]
  const share = Math.min(1, (side * 1.3) / (Math.max(near[2]!, near[3]!) * unit))
  const whole = { w: Math.max(1, Math.round(width * share)), h: Math.max(1, Math.round(height * share)) }
  const [left, top] = [0, 1].map((i) => Math.max(0, Math.round(near[i]! * unit * share))) as [number, number]
  const w = Math.max(1, Math.min(whole.w - left, Math.round(near[2]! * unit * share)))
  const h = Math.max(1, Math.min(whole.h - top, Math.round(near[3]! * unit * share)))
  const frame = { width: whole.w, height: whole.h, x: left, y: top, w, h }
  // What was found is no area of the sheet yet.
  const kept = !!sheet.area(props.area.id)
  try {
    const of = { portrait: portrait.id, revision: sheet.revision, trial: sheet.ahead }
    const [image, mask] = await Promise.all([
      smallPicture(portrait.id),
      silhouette(of, props.area, kept, frame),
    ])
    if (shown?.picture === mask.picture && shown.top === mask.top) return
    shown = mask
    const scale = side / Math.min(w, h)
    const [x, y] = [(side - w * scale) / 2, Math.min(0, (side - h * scale) / 3)]
    context.globalCompositeOperation = 'source-over'
    context.filter = 'grayscale(1) contrast(0.45) brightness(1.45)'
    // The small picture is the original: it is laid as the finished one is cut out of it.
    const [cx, cy, bw, bh] = placing.box
    const long = (Math.max(whole.w, whole.h) * unit) / Math.max(finished.w, finished.h)
    const k = (long / Math.max(image.naturalWidth, image.naturalHeight)) * scale
    context.save()
    context.beginPath()
    context.rect(x, y, w * scale, h * scale)
    context.clip()
    context.translate(x + ((bw / 2) * long - left) * scale, y + ((bh / 2) * long - top) * scale)
    context.rotate(((90 * placing.geometry.turns + placing.geometry.straighten) * Math.PI) / 180)
    context.translate(-cx * long * scale, -cy * long * scale)
    context.drawImage(image, 0, 0, image.naturalWidth * k, image.naturalHeight * k)
    context.restore()
    context.filter = 'none'
    const cut = new OffscreenCanvas(side, side)
    const pen = cut.getContext('2d')!
    pen.drawImage(mask.picture, 0, mask.top, w, h, x, y, w * scale, h * scale)
    const pixels = pen.getImageData(0, 0, side, side)
    for (let i = 0; i < pixels.data.length; i += 4) {
      pixels.data[i + 3] = pixels.data[i]!
      pixels.data.set([0x3a, 0x3f, 0x74], i)
    }
    pen.putImageData(pixels, 0, 0)
    context.drawImage(cut, 0, 0)
  } catch (error) {
    // The area's name still stands under it.
    sheet.trouble(error)
  }
}
</script>

<template>
  <canvas
    ref="canvas"
    :width="size * 2"
    :height="size * 2"
    class="rounded-full bg-line"
    :style="{ width: `${size}px`, height: `${size}px` }"
    aria-hidden="true"
  ></canvas>
</template>
