<script setup lang="ts">
import { Redo2, Undo2 } from '@lucide/vue'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { RouterLink } from 'vue-router'
import { api, Problem } from '../api/client'
import { useFound } from '../stores/found'
import { useNotices } from '../stores/notices'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from '../edits/actions'
import AreasColumn from '../workroom/AreasColumn.vue'
import BeforeMenu from '../workroom/BeforeMenu.vue'
import ChecksMenu from '../workroom/ChecksMenu.vue'
import ExportSheet from '../workroom/ExportSheet.vue'
import Hand from '../workroom/Hand.vue'
import HistoryPanel from '../workroom/HistoryPanel.vue'
import KeysSheet from '../workroom/KeysSheet.vue'
import SheetPanel from '../workroom/SheetPanel.vue'
import Stage from '../stage/Stage.vue'

const props = defineProps<{ id: string }>()
const sheet = useSheet()
const room = useRoom()
const notices = useNotices()
const found = useFound()
const actions = useActions()
const stage = ref<InstanceType<typeof Stage> | null>(null)
const sitting = ref<{ id: string; name: string } | null>(null)
const trouble = ref('')
const exporting = ref(false)
const keysOpen = ref(false)
const ZOOMS = [50, 100, 200]
const NUDGE = 60

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
    await sheet.open(props.id)
    if (sheet.portrait?.state === 'ready') found.open(props.id)
    if (sheet.portrait?.state !== 'ready') trouble.value = 'This portrait is not prepared yet.'
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

/** Before and after parted by a line across, then down, then not. */
function split() {
  room.compare = room.compare === 'across' ? 'down' : room.compare === 'down' ? 'no' : 'across'
}
function pair() {
  room.compare = room.compare === 'pair' ? 'no' : 'pair'
}
function unfold(column: 'sheet' | 'areas') {
  room.unfolded = room.unfolded === column ? null : column
}
function letGo() {
  if (stage.value?.cancelStroke()) return
  if (room.pointing || room.reach || room.picking || room.drawing) {
    room.pointing = room.reach = room.picking = room.drawing = null
    return
  }
  if (room.selected.length) room.selected = []
  else if (sheet.trial.length) sheet.attempt([])
  else if (room.painting) room.painting = false
  else if (room.openArea) actions.openArea(null)
  else if (room.openTouch) actions.openTouch(null)
  else if (room.look !== 'plain') room.look = 'plain'
  else if (room.history) room.history = false
}
function next(by: number) {
  const list = sheet.steps
  if (!list.length) return
  const now = list.findIndex((s) => s.touch.id === room.openTouch)
  const to = now < 0 ? (by > 0 ? 0 : list.length - 1) : Math.min(list.length - 1, Math.max(0, now + by))
  actions.openTouch(list[to]!.touch.id)
}
function softer(by: number) {
  room.brush.softness = Math.min(1, Math.max(0, Number((room.brush.softness + by).toFixed(2))))
}

const inField = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.matches('input:not([type=range]), select, textarea') || target.isContentEditable)

function keydown(event: KeyboardEvent) {
  if (exporting.value || keysOpen.value || document.querySelector('[role=dialog]')) return
  const command = event.ctrlKey || event.metaKey
  const open = sheet.touch(room.openTouch)?.touch
  const area = sheet.area(room.openArea)
  if (command && !event.altKey) {
    const key = event.key.toLowerCase()
    if (inField(event.target) && key !== 'z') return
    if (key === 'z') (event.shiftKey ? sheet.redo : sheet.undo)()
    else if (key === 'y') sheet.redo()
    else if (key === 'd' && open) actions.duplicateTouch(open)
    else return
    return event.preventDefault()
  }
  if (inField(event.target)) return
  const onStage = (event.target as HTMLElement | null)?.tagName === 'BODY'
  const does: Record<string, () => void> = {
    q: () => (room.before = 'all'),
    Q: () => (room.before = room.openTouch ? 'touch' : 'all'),
    f: () => stage.value?.fit(),
    '5': () => stage.value?.zoomTo(50),
    '1': () => stage.value?.zoomTo(100),
    '2': () => stage.value?.zoomTo(200),
    '+': () => stage.value?.step(1.25),
    '=': () => stage.value?.step(1.25),
    '-': () => stage.value?.step(0.8),
    '/': () => document.querySelector<HTMLElement>('[data-start]')?.focus(),
    '?': () => (keysOpen.value = true),
    j: () => next(1),
    k: () => next(-1),
    o: () =>
      open && actions.setTouch(open, 'on', !open.on, `${open.on ? 'off' : 'on'}: ${actions.say(open)}`),
    x: split,
    a: pair,
    h: () => stage.value?.next('face'),
    y: () => stage.value?.next('eye'),
    m: () => (room.history = !room.history),
    u: () => (room.look = room.look === 'unevenness' ? 'plain' : 'unevenness'),
    l: () => (room.look = 'brighter'),
    d: () => (room.look = 'darker'),
    c: () => (room.look = room.look === 'clipping' ? 'plain' : 'clipping'),
    p: () => actions.point(),
    b: () => actions.takeBrush(),
    t: () => (room.takeAway = !room.takeAway),
    w: () => (room.wholeThings = !room.wholeThings),
    e: () => room.painting && (room.brush.keep_edges = !room.brush.keep_edges),
    s: () => (room.overlay = room.overlay === 'stitches' ? 'off' : 'stitches'),
    g: () => (room.overlay = room.overlay === 'mask' ? 'stitches' : 'mask'),
    v: () =>
      (room.overlay =
        room.overlay === 'inside' ? 'outside' : room.overlay === 'outside' ? 'stitches' : 'inside'),
    i: () => area && actions.setArea(area, 'invert', !area.invert, `inverted ${area.name}`),
    '[': () => stage.value?.changeSize(1 / 1.12),
    ']': () => stage.value?.changeSize(1.12),
    '{': () => softer(-0.1),
    '}': () => softer(0.1),
    Escape: letGo,
  }
  if (event.key === 'Enter' && stage.value?.closeOutline()) return event.preventDefault()
  if (event.key === ' ' && onStage) {
    stage.value?.holdSpace(true)
  } else if (event.key === 'r' && !event.repeat) {
    stage.value?.holdSize(true)
  } else if ((event.key === 'Delete' || event.key === 'Backspace') && open && onStage) {
    actions.deleteTouch(open)
  } else if (onStage && event.key.startsWith('Arrow')) {
    const by = {
      ArrowLeft: [NUDGE, 0],
      ArrowRight: [-NUDGE, 0],
      ArrowUp: [0, NUDGE],
      ArrowDown: [0, -NUDGE],
    }[event.key]!
    stage.value?.pan(by[0]!, by[1]!)
  } else if (
    !event.altKey &&
    does[event.key] &&
    !(event.repeat && 'qQldcpbtesgiowvxahymu?'.includes(event.key))
  ) {
    does[event.key]!()
  } else return
  event.preventDefault()
}
/** Alt and an arrow move the open touch, also from a menu's button, which would unfold its menu. */
function early(event: KeyboardEvent) {
  const open = sheet.touch(room.openTouch)?.touch
  if (!open || !event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return
  event.preventDefault()
  event.stopPropagation()
  actions.moveTouch(open, event.key === 'ArrowUp' ? -1 : 1)
}
function keyup(event: KeyboardEvent) {
  if (event.key.toLowerCase() === 'q') room.before = 'no'
  if (event.key === 'l' || event.key === 'd') notHard()
  if (event.key === ' ') stage.value?.holdSpace(false)
  if (event.key === 'r') stage.value?.holdSize(false)
}
/** The end of looking hard at shadows or highlights. */
function notHard() {
  if (room.look === 'brighter' || room.look === 'darker') room.look = 'plain'
}
function blurred() {
  room.before = 'no'
  stage.value?.holdSpace(false)
  stage.value?.holdSize(false)
}
function leaving(event: BeforeUnloadEvent) {
  if (sheet.queue.length) event.preventDefault()
}
onMounted(() => {
  window.addEventListener('keydown', early, true)
  window.addEventListener('keydown', keydown)
  window.addEventListener('keyup', keyup)
  window.addEventListener('blur', blurred)
  window.addEventListener('beforeunload', leaving)
})
onBeforeUnmount(() => {
  found.close()
  window.removeEventListener('keydown', early, true)
  window.removeEventListener('keydown', keydown)
  window.removeEventListener('keyup', keyup)
  window.removeEventListener('blur', blurred)
  window.removeEventListener('beforeunload', leaving)
})
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
        <RouterLink v-if="sitting" :to="`/sittings/${sitting.id}`" class="hover:underline">{{
          sitting.name
        }}</RouterLink>
        <template v-if="sitting"> · </template>
        <h1 class="inline font-semibold text-ink">{{ sheet.portrait?.name }}</h1>
      </nav>
      <div class="grow"></div>
      <div class="flex items-center">
        <div class="group-buttons rounded-r-none" role="group" aria-label="Before and after">
          <button
            title="Q, held"
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
            title="X: before and after parted by a line, across, then down"
            :aria-pressed="room.compare === 'across' || room.compare === 'down'"
            @click="split"
          >
            split
          </button>
          <button
            class="max-[1000px]:hidden"
            title="A: before and after side by side"
            :aria-pressed="room.compare === 'pair'"
            @click="pair"
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
          title="windows on this portrait look at the same place: open it twice, one fit, one at 100 %"
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
          :title="sheet.undoWords === null ? 'Nothing to undo' : `Undo: ${sheet.undoWords}`"
          @click="sheet.undo()"
        >
          <Undo2 :size="15" class="inline" /><span class="ml-1 max-[1440px]:sr-only">undo</span>
        </button>
        <button
          :disabled="sheet.redoWords === null"
          :class="sheet.redoWords === null ? 'text-quiet/70' : ''"
          :title="sheet.redoWords === null ? 'Nothing to redo' : `Redo: ${sheet.redoWords}`"
          @click="sheet.redo()"
        >
          <Redo2 :size="15" class="inline" /><span class="ml-1 max-[1440px]:sr-only">redo</span>
        </button>
      </div>
      <button class="button" title="M" :aria-pressed="room.history" @click="room.history = !room.history">
        history
      </button>
      <button class="button" aria-label="Keys" title="?" @click="keysOpen = true">?</button>
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
        <Hand v-if="ready" />
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
    <KeysSheet :open="keysOpen" @close="keysOpen = false" />
    <ExportSheet :open="exporting" @close="exporting = false" />
  </div>
</template>
