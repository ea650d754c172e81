<script setup lang="ts">
import { computed } from 'vue'
import { FOUND, foundArea, named, namesOf, whoseWords } from '../sheet/found'
import { percent } from '../sheet/words'
import { put } from '../edits/operations'
import { useFound } from '../stores/found'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from '../edits/actions'
import AreaChain from './AreaChain.vue'
import People from './People.vue'
import Silhouette from './Silhouette.vue'

const sheet = useSheet()
const room = useRoom()
const found = useFound()
const actions = useActions()

const ready = computed(() =>
  namesOf(found.faces, found.state.person, found.of).map((name) => ({
    name,
    area: foundArea(name, found.of, sheet.doc.people),
  })),
)

/** What may as well be something else, of those who are shown. */
const unsure = computed(
  () => new Set(found.faces.filter((f) => !found.of || f.number === found.of).flatMap((f) => f.unsure)),
)

/** Small parts are shown near, by the box of their face, or of the only one they belong to. */
const NEAR = ['eye-whites', 'irises', 'pupils', 'lips', 'teeth', 'brows']
function around(name: string): number[] | undefined {
  const face = found.faces.find((f) => f.number === (found.of || 1))
  return face && NEAR.includes(name) && (found.of || found.faces.length === 1) ? face.box : undefined
}

function nameThem(name: string) {
  const people = named(sheet.doc.people, found.of, name)
  sheet.change([put(['people'], people)], name.trim() ? `named ${name.trim()}` : 'took a name away')
}

/** When a silhouette was clicked: the column turns into the area's chain, and a second click would hit what is there. */
let clicked = -Infinity
const TWICE = 500
function take(name: string) {
  clicked = performance.now()
  room.hoverFound = null
  actions.makeFound(name, found.of)
}
function open(area: string) {
  clicked = performance.now()
  room.hoverArea = null
  actions.openWithUse(area)
}
function twice(event: MouseEvent) {
  if (event.detail !== 2 || performance.now() - clicked > TWICE) return
  event.stopPropagation()
  event.preventDefault()
  room.closer += 1
}
</script>

<template>
  <aside
    class="flex h-full shrink-0 flex-col overflow-y-auto border-l border-line bg-paper [scrollbar-width:thin]"
    :class="room.chain ? 'w-[268px]' : 'w-[104px]'"
    aria-label="Areas"
    @click.capture="twice"
  >
    <AreaChain v-if="room.chain && sheet.area(room.openArea)" :area="sheet.area(room.openArea)!" />
    <div v-else class="flex flex-col items-center gap-3 px-2 py-3">
      <h2 class="self-start pl-2 font-medium text-quiet">Areas</h2>
      <button
        v-for="area in sheet.areas"
        :key="area.id"
        class="flex w-full flex-col items-center gap-1 rounded-md py-1"
        :class="area.id === room.openArea ? 'font-semibold' : ''"
        :data-area="area.name"
        data-tip="Twice: closer"
        @pointerenter="room.hoverArea = area.id"
        @pointerleave="room.hoverArea = null"
        @click="open(area.id)"
      >
        <span
          class="rounded-full p-1"
          :class="area.id === room.openArea ? 'outline-2 outline-thread outline-dashed' : ''"
        >
          <Silhouette :area="area" :size="52" />
        </span>
        <span class="w-full px-1 text-center leading-tight break-words">{{ area.name || 'unnamed' }}</span>
        <span v-if="area.needs_look" class="text-care">needs a look</span>
      </button>
      <p v-if="!sheet.areas.length" class="px-1 text-center text-quiet">
        No area yet. A touch works on the whole picture until it has one.
      </p>
      <button class="plain" @click="actions.paintNew()">+ new area</button>

      <h2 class="w-full border-t border-dotted border-rule pt-3 pl-2 font-medium text-quiet">Found</h2>
      <template v-if="found.searching">
        <p class="px-1 text-center text-quiet" role="status">
          {{ ready.length ? 'Looking on…' : 'Looking for faces…' }}
          {{ found.state.progress ? percent(found.state.progress) : '' }}
        </p>
        <progress class="thin w-16" :value="found.state.progress" max="1" aria-label="Search"></progress>
      </template>
      <template v-else-if="found.state.search === 'failed'">
        <p class="px-1 text-center text-quiet">The search did not work out. Your sheet is kept.</p>
        <button class="plain" @click="found.again()">search again</button>
      </template>
      <p v-else-if="!ready.length" class="px-1 text-center text-quiet">
        Nobody found on this picture. All other ways of isolating work.
      </p>
      <p v-else-if="!found.faces.length" class="px-1 text-center text-quiet">No face found.</p>
      <template v-if="found.faces.length > 1">
        <People v-model="found.of" :size="34" />
        <input
          v-if="found.of"
          :key="found.of"
          class="field w-full text-center"
          :value="sheet.doc.people?.[found.of - 1] ?? ''"
          placeholder="name"
          maxlength="60"
          :aria-label="`Name of ${whoseWords(sheet.doc.people, found.of)}`"
          @change="nameThem(($event.target as HTMLInputElement).value)"
          @keydown.enter="($event.target as HTMLInputElement).blur()"
        />
      </template>
      <button
        v-for="one in ready"
        :key="one.area.id"
        class="flex w-full flex-col items-center gap-0.5 rounded-md"
        :data-found="one.name"
        data-tip="Twice: closer"
        @pointerenter="room.hoverFound = one.area"
        @pointerleave="room.hoverFound = null"
        @click="take(one.name)"
      >
        <Silhouette :area="one.area" :size="44" :around="around(one.name)" />
        <span class="leading-tight">{{ FOUND[one.name]!.words }}</span>
        <span
          v-if="unsure.has(one.name)"
          class="text-care"
          data-tip="Much of it may be something else: look at it"
        >
          not sure
        </span>
      </button>
    </div>
  </aside>
</template>
