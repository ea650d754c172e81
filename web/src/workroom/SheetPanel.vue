<script setup lang="ts">
import { computed, ref } from 'vue'
import { STAGES } from '../sheet/order'
import { geometrySentence, UPRIGHT } from '../sheet/turning'
import type { Touch } from '../sheet/types'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useTurning } from '../stores/turning'
import { useActions } from '../edits/actions'
import CarryTo from '../controls/CarryTo.vue'
import FirstSteps from './FirstSteps.vue'
import SavePreset from './SavePreset.vue'
import StartTouch from './StartTouch.vue'
import TouchRow from './TouchRow.vue'
import { useSorting } from './useSorting'

const sheet = useSheet()
const turning = useTurning()
const actions = useActions()
function stageOf(touch: Touch) {
  const kind = sheet.kinds.find((k) => k.kind === touch.kind)
  return kind ? STAGES[kind.stage] : 'Together'
}
const picked = computed(() => actions.picked())
const carrying = ref(false)
const naming = ref(false)
const room = useRoom()
const hidden = (path: (string | number)[]) =>
  path.slice(0, -1).some((step) => room.folded.includes(String(step)))
/** Every touch with its number, and the heading above it where the stage of the work changes. */
const rows = computed(() => numbered.value.filter((row) => !hidden(row.path)))
const numbered = computed(() =>
  sheet.steps.map((step, i) => {
    const before = sheet.steps[i - 1]
    const heading = step.depth === 0 && (!before || stageOf(before.touch) !== stageOf(step.touch))
    return { ...step, number: i + 1, heading: heading ? stageOf(step.touch) : '' }
  }),
)
/** How the picture is turned and cut out, at the very end of the work. */
const geometry = computed(() => {
  const { width = 1, height = 1 } = sheet.portrait?.facts ?? {}
  return geometrySentence(sheet.doc.geometry ?? UPRIGHT, width, height)
})
const top = computed(() => sheet.shown.touches)
const list = ref<HTMLElement | null>(null)
useSorting(list, rows)
</script>

<template>
  <section class="flex h-full flex-col bg-paper" aria-label="The sheet">
    <div class="p-3 pb-1"><StartTouch /></div>
    <div class="min-h-0 grow overflow-y-auto px-2.5 [scrollbar-gutter:stable] [scrollbar-width:thin]">
      <FirstSteps v-if="!rows.length" />
      <ol ref="list" :class="rows.length ? 'min-h-full pb-40' : ''">
        <template v-for="row in rows" :key="row.touch.id">
          <li v-if="row.heading" class="px-1 pt-3 pb-1 text-[12px] font-medium text-quiet" aria-hidden="true">
            {{ row.heading }}
          </li>
          <TouchRow
            :touch="row.touch"
            :number="row.number"
            :depth="row.depth"
            :data-depth="row.depth"
            :first="top[0]?.id === row.touch.id"
            :last="top[top.length - 1]?.id === row.touch.id"
          />
        </template>
        <li v-if="geometry" class="px-1 pt-3 text-[12px] font-medium text-quiet" aria-hidden="true">Last</li>
        <li v-if="geometry" class="flex items-baseline gap-2 px-1 pt-1" data-geometry>
          <p class="grow font-read text-[17px]">{{ geometry }}.</p>
          <button class="plain" @click="turning.open()">change</button>
        </li>
      </ol>
    </div>
    <div
      v-if="picked.length"
      class="flex flex-wrap items-center gap-1 border-t border-line bg-inset px-3 py-2"
      role="group"
      :aria-label="`${picked.length} touches picked`"
      data-picked-bar
    >
      <span class="mr-1">{{ picked.length }} picked:</span>
      <button class="plain" @click="actions.keepTogether(picked)">keep together</button>
      <button class="plain" @click="naming = true">save as a preset…</button>
      <button class="plain" @click="carrying = true">carry over to…</button>
      <button class="plain" @click="actions.switchAll(picked, !picked.every((t) => t.on))">
        {{ picked.every((t) => t.on) ? 'off' : 'on' }}
      </button>
      <button class="plain" @click="actions.deleteAll(picked)">delete</button>
      <button class="plain ml-auto text-quiet" data-tip="Esc" @click="room.selected = []">let go</button>
    </div>
    <SavePreset :open="naming" :touches="picked" @close="naming = false" />
    <CarryTo
      v-if="sheet.portrait"
      :open="carrying"
      :sitting="sheet.portrait.sitting"
      :from="{
        portrait: sheet.portrait.id,
        revision: sheet.revision,
        touches: picked.map((t) => t.id),
      }"
      :waiting="sheet.saving === 'saved' ? '' : 'Wait until the sheet is saved.'"
      @close="carrying = false"
    />
  </section>
</template>
