<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, shallowRef, watch } from 'vue'
import { api } from '../api/client'
import { histogramPath } from '../sheet/histogram'
import { Latest } from '../api/latest'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** Tones before and after, of the whole picture or of the open area. */
const sheet = useSheet()
const room = useRoom()
const before = shallowRef<number[]>([])
const after = shallowRef<number[]>([])
const REST = 250
let timer: ReturnType<typeof setTimeout> | undefined
const asking = new Latest(() => {})
const area = computed(() => sheet.area(room.openArea))

function ask() {
  clearTimeout(timer)
  timer = setTimeout(() => {
    asking.run(async () => {
      const one = (original: boolean) =>
        api.POST('/api/portraits/{portrait_id}/tones', {
          params: { path: { portrait_id: sheet.portrait!.id } },
          body: { revision: sheet.revision, trial: sheet.ahead, original, within: area.value?.id ?? null },
        })
      const [was, now] = await Promise.all([one(true), one(false)])
      before.value = was.data!.lightness
      after.value = now.data!.lightness
    })
  }, REST)
}
onMounted(ask)
watch([() => sheet.doc, () => sheet.revision, () => sheet.trial, () => room.openArea], ask)
onBeforeUnmount(() => clearTimeout(timer))
</script>

<template>
  <figure
    class="pointer-events-none absolute bottom-3 left-4 w-56 rounded-sm bg-paper/95 p-2"
    data-histogram
    :aria-label="`Histogram of ${area?.name ?? 'the whole picture'}, before and after`"
  >
    <svg viewBox="0 0 100 40" preserveAspectRatio="none" class="block h-16 w-full">
      <path :d="histogramPath(after, 100, 40)" class="fill-thread/45" />
      <path
        :d="histogramPath(before, 100, 40)"
        class="fill-none stroke-ink"
        stroke-width="1"
        vector-effect="non-scaling-stroke"
        stroke-dasharray="3 2"
      />
    </svg>
    <figcaption class="mt-1 text-[12px] text-quiet">
      {{ area?.name ?? 'the whole picture' }}: dashed before, filled after
    </figcaption>
  </figure>
</template>
