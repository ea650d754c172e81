<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import { RouterLink } from 'vue-router'
import { picture, Problem } from '../api/client'
import { geometrySentence, Placing, UPRIGHT } from '../sheet/turning'
import { useNotices } from '../stores/notices'
import { useSheet } from '../stores/sheet'
import { percent, sentence } from '../sheet/words'
import { blendWords, limitWords } from '../sheet/mixing'
import type { Touch } from '../sheet/types'
import Silhouette from '../workroom/Silhouette.vue'

/** The sheet to read, print or send: before, after, and every sentence with where it works. */
const props = defineProps<{ id: string }>()
const sheet = useSheet()
const notices = useNotices()
const SIDE = 900
const before = ref('')
const after = ref('')
const trouble = ref('')
const geometry = computed(() => {
  const { width = 1, height = 1 } = sheet.portrait?.facts ?? {}
  return geometrySentence(sheet.doc.geometry ?? UPRIGHT, width, height)
})

onMounted(async () => {
  try {
    await sheet.open(props.id)
    const { width, height } = sheet.portrait!.facts!
    const { w: wide, h: high } = new Placing(sheet.doc.geometry ?? UPRIGHT, width, height).size
    const share = Math.min(1, SIDE / Math.max(wide, high))
    const [w, h] = [Math.round(wide * share), Math.round(high * share)]
    const view = async (show: 'original' | 'result') => {
      const answer = await picture(`/api/portraits/${props.id}/view`, {
        revision: sheet.revision,
        frame: { width: w, height: h, x: 0, y: 0, w, h },
        show,
      })
      return URL.createObjectURL(answer.blob)
    }
    before.value = await view('original')
    after.value = await view('result')
  } catch (error) {
    if (error instanceof Problem && error.status === 404)
      trouble.value = 'This portrait is not here, or no longer.'
    else notices.complain(error)
  }
})
onBeforeUnmount(() => [before.value, after.value].forEach((url) => url && URL.revokeObjectURL(url)))

const say = (touch: Touch) => sentence(touch, sheet.kinds, sheet.areas)
const more = (touch: Touch) =>
  [
    touch.on ? '' : 'switched off',
    touch.strength < 1 ? `at ${percent(touch.strength)} strength` : '',
    touch.limit ? `only in ${limitWords(touch.limit)}` : '',
    touch.kind !== 'set' && touch.blend !== 'normal' ? `mixed ${blendWords(touch.blend)}` : '',
  ]
    .filter(Boolean)
    .join(', ')
const printIt = () => window.print()
const today = new Date().toLocaleDateString([], { day: 'numeric', month: 'long', year: 'numeric' })
const used = computed(() => sheet.areas.filter((a) => sheet.usersOf(a.id).length))
</script>

<template>
  <main v-if="trouble" class="flex h-full flex-col items-center justify-center gap-3">
    <p class="font-read text-xl">{{ trouble }}</p>
    <RouterLink to="/" class="underline">Go back</RouterLink>
  </main>
  <main
    v-else
    class="mx-auto h-full max-w-[860px] overflow-y-auto bg-white px-10 py-8 print:h-auto print:max-w-none print:p-0"
  >
    <nav class="mb-5 flex items-center gap-3 print:hidden">
      <RouterLink :to="`/portraits/${id}`" class="underline">Back to the workroom</RouterLink>
      <span class="grow"></span>
      <button class="button button-main" :disabled="!after" @click="printIt">Print, or save as PDF</button>
    </nav>
    <h1 class="font-read text-2xl font-semibold">{{ sheet.portrait?.name }}</h1>
    <p class="mb-4 text-quiet">What was done, as of {{ today }} · edit {{ sheet.revision }}</p>
    <div class="mb-6 grid grid-cols-2 gap-4">
      <figure>
        <img v-if="before" :src="before" alt="Before" class="w-full" />
        <p v-else class="text-quiet">Fetching the picture…</p>
        <figcaption class="mt-1 text-quiet">before</figcaption>
      </figure>
      <figure>
        <img v-if="after" :src="after" alt="After" class="w-full" />
        <figcaption class="mt-1 text-quiet">after</figcaption>
      </figure>
    </div>
    <p v-if="!sheet.steps.length && !geometry && after" class="font-read text-lg">Nothing is done yet.</p>
    <ol class="space-y-3" data-sentences>
      <li
        v-for="(step, i) in sheet.steps"
        :key="step.touch.id"
        class="flex break-inside-avoid gap-3"
        :style="{ marginLeft: `${step.depth * 24}px` }"
      >
        <span class="w-6 shrink-0 pt-0.5 text-right text-quiet">{{ i + 1 }}</span>
        <Silhouette
          v-if="sheet.area(step.touch.area)"
          :area="sheet.area(step.touch.area)!"
          :size="44"
          class="shrink-0"
        />
        <span v-else class="w-11 shrink-0"></span>
        <div>
          <p class="font-read text-[17px]" :class="step.touch.on ? '' : 'text-quiet'">
            {{ say(step.touch) }}
          </p>
          <p v-if="more(step.touch)" class="text-quiet">{{ more(step.touch) }}</p>
          <p v-if="step.touch.note" class="whitespace-pre-line text-quiet italic">{{ step.touch.note }}</p>
        </div>
      </li>
    </ol>
    <p v-if="geometry" class="mt-3 pl-9 font-read text-[17px]" data-geometry>{{ geometry }}.</p>
    <p v-if="used.length" class="mt-6 border-t border-dotted border-rule pt-2 text-quiet">
      Where: {{ used.map((a) => a.name || 'an unnamed area').join(' · ') }}
    </p>
  </main>
</template>
