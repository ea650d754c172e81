<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { api, type Schema } from '../api/client'
import { Latest } from '../api/latest'
import { useFound } from '../stores/found'
import { useSheet } from '../stores/sheet'

/** The natural measures of a touch or an area, before and after; they inform and never block. */
const props = defineProps<{ touch?: string; area?: string }>()
const sheet = useSheet()
const found = useFound()
type Gauge = Schema['GaugeOut']
const gauges = shallowRef<Gauge[] | null>(null)
const problem = ref('')
const REST = 500
const asking = new Latest((error) => (problem.value = error instanceof Error ? error.message : String(error)))
let timer: ReturnType<typeof setTimeout> | undefined

function ask() {
  clearTimeout(timer)
  timer = setTimeout(() => {
    asking.run(async () => {
      const { data } = await api.POST('/api/portraits/{portrait_id}/measures', {
        params: { path: { portrait_id: sheet.portrait!.id } },
        body: {
          revision: sheet.revision,
          trial: sheet.waiting,
          touch: props.touch ?? null,
          area: props.area ?? null,
        },
      })
      gauges.value = data!
      problem.value = ''
    })
  }, REST)
}
onMounted(ask)
watch([() => sheet.doc, () => sheet.revision, () => found.state.search, () => [props.touch, props.area]], ask)
onBeforeUnmount(() => clearTimeout(timer))

const figure = (v: number, unit: string) =>
  `${v.toFixed(Math.abs(v) < 10 && unit !== '%' ? 1 : 0).replace('-', '−')}${unit && ` ${unit}`}`
/** Where values lie on the little scale: the natural range is its middle half. */
function share(gauge: Gauge, v: number) {
  const span = gauge.high - gauge.low || 1
  return Math.min(98, Math.max(2, 25 + (50 * (v - gauge.low)) / span))
}
</script>

<template>
  <section class="mt-2 border-t border-dotted border-rule pt-1.5" aria-label="Natural measures" data-gauges>
    <p v-if="problem" class="text-quiet">{{ problem }}</p>
    <p v-else-if="gauges === null" class="text-quiet">measuring…</p>
    <p v-else-if="!gauges.length" class="text-quiet">
      {{
        found.searching
          ? 'Faces are still being looked for.'
          : 'Nothing here to measure: no skin, eyes or teeth.'
      }}
    </p>
    <ul v-else class="space-y-1">
      <li v-for="gauge in gauges" :key="gauge.name" :data-gauge="gauge.name">
        <div class="flex items-center gap-2">
          <span class="w-[112px] shrink-0 truncate" :data-tip="gauge.name">{{ gauge.name }}</span>
          <span class="relative h-3.5 grow" aria-hidden="true">
            <span class="absolute inset-x-0 top-1/2 h-px bg-line"></span>
            <span class="absolute top-1/2 left-1/4 h-1 w-1/2 -translate-y-1/2 bg-line"></span>
            <span
              v-if="gauge.before !== null"
              class="absolute top-1 h-1.5 w-1.5 -translate-x-1/2 rounded-full border border-quiet bg-paper"
              :style="{ left: `${share(gauge, gauge.before)}%` }"
            ></span>
            <span
              class="absolute top-0 h-3.5 w-1 -translate-x-1/2"
              :class="gauge.sentence ? 'bg-care' : 'bg-thread'"
              :style="{ left: `${share(gauge, gauge.after)}%` }"
            ></span>
          </span>
          <span class="w-[88px] shrink-0 text-right whitespace-nowrap">
            <span v-if="gauge.before !== null" class="text-quiet">{{ figure(gauge.before, '') }} → </span
            >{{ figure(gauge.after, gauge.unit) }}
          </span>
        </div>
        <p v-if="gauge.sentence" class="text-care">{{ gauge.sentence }}</p>
      </li>
    </ul>
  </section>
</template>
