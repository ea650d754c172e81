<script setup lang="ts">
import { useDocumentVisibility, useEventListener } from '@vueuse/core'
import { Crop as CropIcon, Redo2, Undo2 } from '@lucide/vue'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { RouterLink } from 'vue-router'
import { api, Problem } from '../api/client'
import { useFound } from '../stores/found'
import { useNotices } from '../stores/notices'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useTurning } from '../stores/turning'
import { useActions } from '../edits/actions'
import AreasColumn from '../workroom/AreasColumn.vue'
import BeforeMenu from '../workroom/BeforeMenu.vue'
import ChecksMenu from '../workroom/ChecksMenu.vue'
import ExportSheet from '../workroom/ExportSheet.vue'
import TurningBar from '../workroom/TurningBar.vue'
import Hand from '../workroom/Hand.vue'
import HistoryPanel from '../workroom/HistoryPanel.vue'
import KeysSheet from '../workroom/KeysSheet.vue'
import { useKeys } from '../workroom/keys'
import SheetPanel from '../workroom/SheetPanel.vue'
import type { StageHands } from '../stage/hands'
import Stage from '../stage/Stage.vue'

const props = defineProps<{ id: string }>()
const sheet = useSheet()
const turning = useTurning()
const room = useRoom()
const notices = useNotices()
const found = useFound()
const actions = useActions()
const stage = ref<StageHands | null>(null)
const sitting = ref<{ id: string; name: string } | null>(null)
const trouble = ref('')
const exporting = ref(false)
const keysOpen = ref(false)
const ZOOMS = [50, 100, 200]

const ready = computed(() => sheet.portrait?.id === props.id && sheet.portrait.state === 'ready')
const saved = computed(() => {
  if (sheet.saving === 'unreachable') return 'not saved: no connection, trying again'
  if (sheet.saving === 'signed out') return 'not saved: signed out'
  return sheet.saving === 'saving' ? 'saving…' : `saved · edit ${sheet.revision}`
})

onMounted(load)
watch(() => props.id, load)
async function load() {
  room.reset()
  trouble.value = ''
  try {
    found.open(props.id)
    await sheet.open(props.id)
    if (sheet.portrait?.state !== 'ready') {
      found.close()
      trouble.value = 'This portrait is not prepared yet.'
    }
    const id = sheet.portrait!.sitting
    const { data } = await api.GET('/api/sittings/{sitting_id}', { params: { path: { sitting_id: id } } })
    sitting.value = { id, name: data!.name }
  } catch (error) {
    if (error instanceof Problem && error.status === 404)
      trouble.value = 'This portrait is not here, or no longer.'
    else notices.complain(error)
  }
}

// What was undone may have been open.
watch(
  () => sheet.doc,
  () => {
    if (room.openTouch && !sheet.touch(room.openTouch)) room.openTouch = null
    if (room.openArea && !sheet.area(room.openArea)) actions.openArea(null)
  },
)

const keys = useKeys(
  () => stage.value,
  () => (keysOpen.value = true),
)
function unfold(column: 'sheet' | 'areas') {
  room.unfolded = room.unfolded === column ? null : column
}
function keydown(event: KeyboardEvent) {
  if (!exporting.value && !keysOpen.value && !document.querySelector('[role=dialog]')) keys.down(event)
}
useEventListener('keydown', keys.early, { capture: true })
useEventListener('keydown', keydown)
useEventListener('keyup', keys.up)
useEventListener('blur', keys.lost)
onBeforeUnmount(() => found.close())

/**
 * What other windows do to this sheet is heard at once; where that cannot be had it is looked for now and then. Only
 * of a window that is seen: a browser has six lines to a house, and a hidden one would keep one of them.
 */
const LOOK_EVERY = 5000
const visibility = useDocumentVisibility()
watch(
  // The picture comes first.
  () => (ready.value && room.pictured && visibility.value === 'visible' ? props.id : null),
  (id, _, onCleanup) => {
    if (!id) return
    const line = new EventSource(`/api/portraits/${id}/following`)
    let looking: ReturnType<typeof setInterval> | undefined
    line.onmessage = (event: MessageEvent<string>) =>
      sheet.heard(JSON.parse(event.data) as { revision: number; words: string })
    line.onerror = () => {
      // It comes back by itself unless it was refused.
      if (line.readyState === EventSource.CLOSED)
        looking ??= setInterval(() => void sheet.catchUp(), LOOK_EVERY)
    }
    onCleanup(() => {
      line.close()
      clearInterval(looking)
    })
  },
  { immediate: true },
)
</script>

<template>
  <div class="flex h-full flex-col overflow-hidden">
    <header
      class="flex h-11 shrink-0 items-center gap-3 border-b border-line bg-paper px-4 max-[1080px]:gap-2 max-[1080px]:px-3"
      aria-label="Looking"
    >
      <RouterLink
        to="/"
        class="border-b-2 border-dashed border-thread font-read text-lg leading-6 font-semibold"
      >
        Needlepoint
      </RouterLink>
      <nav class="min-w-0 truncate text-quiet" aria-label="Where you are">
        <RouterLink v-if="sitting" :to="`/sittings/${sitting.id}`" class="way">{{ sitting.name }}</RouterLink>
        <template v-if="sitting"> · </template>
        <h1 class="inline font-semibold text-ink">{{ sheet.portrait?.name }}</h1>
      </nav>
      <div class="grow"></div>
      <div class="flex items-center">
        <div class="group-buttons rounded-r-none" role="group" aria-label="Before and after">
          <button
            :data-tip="keys.tip('before, as chosen')"
            :aria-pressed="room.before === 'all'"
            @pointerdown="room.before = 'all'"
            @pointerup="room.before = 'no'"
            @pointerleave="room.before = 'no'"
            @keydown.space.prevent="room.before = 'all'"
            @keyup.space="room.before = 'no'"
          >
            before
          </button>
          <button
            :data-tip="keys.tip('split')"
            :aria-pressed="room.compare === 'across' || room.compare === 'down'"
            @click="keys.split"
          >
            split
          </button>
          <button
            class="max-[1000px]:hidden"
            :data-tip="keys.tip('before and after side')"
            :aria-pressed="room.compare === 'pair'"
            @click="keys.pair"
          >
            pair
          </button>
        </div>
        <BeforeMenu />
      </div>
      <ChecksMenu />
      <div class="group-buttons" role="group" aria-label="Zoom">
        <button :aria-pressed="room.zoomLabel === 'fit'" @click="stage?.fit()">fit</button>
        <button
          v-for="z in ZOOMS"
          :key="z"
          :class="z === 100 ? '' : 'max-[1080px]:hidden'"
          :aria-pressed="room.zoomLabel === `${z} %`"
          @click="stage?.zoomTo(z)"
        >
          {{ z }}{{ z === 200 ? ' %' : '' }}
        </button>
        <button
          data-tip="windows on this portrait look at the same place: open it twice, one fit, one at 100 %"
          :aria-pressed="room.follow"
          class="max-[1240px]:hidden"
          @click="room.follow = !room.follow"
        >
          follow
        </button>
      </div>
      <div class="grow"></div>
      <div class="group-buttons min-[1081px]:hidden" role="group" aria-label="Folded columns">
        <button class="min-[901px]:hidden" :aria-pressed="room.unfolded === 'sheet'" @click="unfold('sheet')">
          sheet
        </button>
        <button :aria-pressed="room.unfolded === 'areas'" @click="unfold('areas')">areas</button>
      </div>
      <span
        class="whitespace-nowrap text-quiet"
        :class="sheet.saving === 'saved' ? 'max-[900px]:hidden' : ''"
        role="status"
        data-saved
        >{{ saved }}</span
      >
      <div class="group-buttons">
        <button
          :disabled="sheet.undoWords === null"
          :class="sheet.undoWords === null ? 'text-quiet/70' : ''"
          :data-tip="sheet.undoWords === null ? 'Nothing to undo' : `Undo: ${sheet.undoWords}`"
          @click="sheet.undo()"
        >
          <Undo2 :size="15" class="inline" /><span class="ml-1 max-[1440px]:sr-only">undo</span>
        </button>
        <button
          :disabled="sheet.redoWords === null"
          :class="sheet.redoWords === null ? 'text-quiet/70' : ''"
          :data-tip="sheet.redoWords === null ? 'Nothing to redo' : `Redo: ${sheet.redoWords}`"
          @click="sheet.redo()"
        >
          <Redo2 :size="15" class="inline" /><span class="ml-1 max-[1440px]:sr-only">redo</span>
        </button>
      </div>
      <button
        class="button"
        aria-label="Turn and crop"
        :disabled="!ready"
        :data-tip="keys.tip('turn, straighten')"
        :aria-pressed="!!turning.draft"
        @click="turning.draft ? turning.done() : turning.open()"
      >
        <CropIcon :size="15" class="inline" />
      </button>
      <button
        class="button"
        :data-tip="keys.tip('history')"
        :aria-pressed="room.history"
        @click="room.history = !room.history"
      >
        history
      </button>
      <button class="button" aria-label="Keys" :data-tip="keys.tip('these keys')" @click="keysOpen = true">
        ?
      </button>
      <button class="button button-main" :disabled="!ready" @click="exporting = true">Export…</button>
    </header>
    <main v-if="trouble" class="flex grow flex-col items-center justify-center gap-3">
      <p class="font-read text-xl">{{ trouble }}</p>
      <RouterLink :to="sitting ? `/sittings/${sitting.id}` : '/'" class="underline">Go back</RouterLink>
    </main>
    <main v-else class="relative flex min-h-0 grow">
      <SheetPanel
        v-if="ready"
        class="w-[348px] shrink-0 border-r border-line"
        :class="room.unfolded === 'sheet' ? 'folding-open left-0' : 'max-[900px]:hidden'"
      />
      <div class="flex min-w-0 grow flex-col bg-room">
        <Stage v-if="ready" ref="stage" class="min-h-0 grow" />
        <TurningBar v-if="ready && turning.draft" />
        <Hand v-else-if="ready" />
      </div>
      <HistoryPanel
        v-if="ready && room.history"
        class="max-[1080px]:absolute max-[1080px]:inset-y-0 max-[1080px]:right-0 max-[1080px]:z-30"
      />
      <AreasColumn
        v-else-if="ready"
        :class="room.unfolded === 'areas' ? 'folding-open right-0' : 'max-[1080px]:hidden'"
      />
    </main>
    <KeysSheet :sections="keys.sections" :open="keysOpen" @close="keysOpen = false" />
    <ExportSheet :open="exporting" @close="exporting = false" />
  </div>
</template>
