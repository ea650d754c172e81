<script setup lang="ts">
import { useDevicePixelRatio, useElementSize, watchDebounced } from '@vueuse/core'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef } from 'vue'
import { api, picture, type Portrait } from '../api/client'
import { useNotices } from '../stores/notices'
import { finishedOf, type Look, place, type Place } from './table'

/** One portrait on the light table, seen by the table's view. */
const props = defineProps<{ portrait: Portrait; look: Look; before: boolean; current: boolean }>()
const emit = defineEmits<{ away: [] }>()
const notices = useNotices()
const PAUSE = 120
const { pixelRatio } = useDevicePixelRatio()
const box = ref<HTMLElement | null>(null)
const { width, height } = useElementSize(box)
const face = shallowRef<{ axis: number[][]; box: number[] } | null>(null)
const found = ref(false)
/** What was drawn last, and where it lies, in long sides. */
const drawn = shallowRef<{ url: string; x: number; y: number; w: number; h: number } | null>(null)
const drawing = ref(false)
const size = computed(() => {
  const [wide, high] = finishedOf(props.portrait)
  const long = Math.max(wide, high)
  return { w: wide / long, h: high / long, long }
})
const seen = computed<Place>(() =>
  place(props.look, size.value, { w: width.value, h: height.value }, face.value),
)
const faceless = computed(() => props.look.at === 'faces' && found.value && !face.value?.axis.length)
const lies = computed(() => {
  const one = drawn.value
  if (!one) return {}
  const { x, y, scale } = seen.value
  return {
    left: `${width.value / 2 + (one.x - x) * scale}px`,
    top: `${height.value / 2 + (one.y - y) * scale}px`,
    width: `${one.w * scale}px`,
    height: `${one.h * scale}px`,
  }
})

onMounted(async () => {
  try {
    const params = { path: { portrait_id: props.portrait.id } }
    const { data } = await api.GET('/api/portraits/{portrait_id}/found', { params })
    // Of a turned or cropped picture it is not known here where its face lies.
    face.value = props.portrait.finished
      ? null
      : ([...data!.faces].sort((a, b) => b.box[3]! - a.box[3]!)[0] ?? null)
    found.value = true
  } catch (error) {
    notices.complain(error)
  }
})
let alive = true
onBeforeUnmount(() => {
  alive = false
  if (drawn.value) URL.revokeObjectURL(drawn.value.url)
})
let wanted = 0
/** The latest wins: while one is drawn, only the newest after it is asked for. */
async function draw() {
  wanted += 1
  if (drawing.value || !width.value) return
  drawing.value = true
  try {
    for (let mine = 0; mine !== wanted && alive;) {
      mine = wanted
      await one()
    }
  } catch (error) {
    notices.complain(error)
  }
  drawing.value = false
}
async function one() {
  const { x, y, scale } = seen.value
  const { w, h, long } = size.value
  // Never larger than the picture itself.
  const unit = Math.min(long, Math.round(scale * pixelRatio.value))
  const [full, tall] = [Math.max(1, Math.round(w * unit)), Math.max(1, Math.round(h * unit))]
  const [across, down] = [width.value / scale / 2, height.value / scale / 2]
  const left = Math.max(0, Math.floor((x - across) * unit))
  const top = Math.max(0, Math.floor((y - down) * unit))
  const right = Math.min(full, Math.ceil((x + across) * unit))
  const bottom = Math.min(tall, Math.ceil((y + down) * unit))
  if (right <= left || bottom <= top) return
  const frame = { width: full, height: tall, x: left, y: top, w: right - left, h: bottom - top }
  const { blob } = await picture(`/api/portraits/${props.portrait.id}/view`, {
    revision: props.portrait.revision,
    show: props.before ? 'original' : 'result',
    frame,
  })
  if (!alive) return
  if (drawn.value) URL.revokeObjectURL(drawn.value.url)
  drawn.value = {
    url: URL.createObjectURL(blob),
    x: left / unit,
    y: top / unit,
    w: frame.w / unit,
    h: frame.h / unit,
  }
}
watchDebounced([seen, () => props.before, () => props.portrait.revision], draw, { debounce: PAUSE })
</script>

<template>
  <figure class="flex min-h-0 min-w-0 flex-col" :data-portrait="portrait.name">
    <div ref="box" class="relative min-h-0 grow overflow-hidden" :data-drawn="!!drawn && !drawing">
      <img v-if="drawn" :src="drawn.url" alt="" draggable="false" class="absolute max-w-none" :style="lies" />
      <p v-else class="absolute inset-0 m-auto size-fit text-paper">is being drawn…</p>
      <div
        v-if="current"
        class="pointer-events-none absolute inset-0 outline-2 -outline-offset-2 outline-dashed outline-paper"
      />
    </div>
    <figcaption class="flex min-h-8 items-center gap-2 bg-paper px-2">
      <RouterLink :to="`/portraits/${portrait.id}`" class="way truncate font-read text-[16px]">
        {{ portrait.name }}
      </RouterLink>
      <span v-if="portrait.flag" class="shrink-0 rounded-sm border border-rule px-1" data-flag>
        {{ portrait.flag }}
      </span>
      <span v-if="faceless" class="truncate text-quiet">no face found: at fit</span>
      <button
        class="plain ml-auto text-quiet"
        :aria-label="`Take ${portrait.name} off the table`"
        @click="emit('away')"
      >
        take off
      </button>
    </figcaption>
  </figure>
</template>
