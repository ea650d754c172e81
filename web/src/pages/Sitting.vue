<script setup lang="ts">
import { RotateCcw, RotateCw } from '@lucide/vue'
import { useEventListener } from '@vueuse/core'
import { useWindowVirtualizer } from '@tanstack/vue-virtual'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { api, type Batch, type CarryOver, type Portrait, Problem, type Schema, upload } from '../api/client'
import Ask from '../controls/Ask.vue'
import CarryTo from '../controls/CarryTo.vue'
import CreditsDialog from '../controls/CreditsDialog.vue'
import HandOver from '../controls/HandOver.vue'
import PageHead from '../controls/PageHead.vue'
import SameLight from '../controls/SameLight.vue'
import PortraitCard from '../sitting/PortraitCard.vue'
import { useChoice } from '../sitting/useChoice'
import { type Listed, useListing } from '../sitting/useListing'
import { useNotices } from '../stores/notices'

const props = defineProps<{ id: string }>()
const router = useRouter()
const notices = useNotices()

interface Sending {
  key: number
  name: string
  share: number
  /** Whether it is on its way; the others wait for their turn. */
  begun: boolean
  problem: string
}

const POLL = 700
const AT_ONCE = 2
const [COLUMNS, ROW] = [4, 404]
/** Rows that are kept ready above and below what is seen. */
const SPARE = 3
const TABLE = { least: 2, most: 9 }
type Flag = '' | 'keep' | 'maybe' | 'leave out'
const FLAGS: { flag: Flag; words: string; key: string }[] = [
  { flag: 'keep', words: 'keep', key: 'k' },
  { flag: 'maybe', words: 'maybe', key: 'm' },
  { flag: 'leave out', words: 'leave out', key: 'x' },
]

const head = ref<Schema['SittingPage'] | null>(null)
const missing = ref('')
const overs = ref<CarryOver[]>([])
const batches = ref<Batch[]>([])
const carrying = ref(false)
const handing = ref(false)
const crediting = ref(false)
/** The chosen portraits with their names, while their light is compared. */
const lit = ref<{ id: string; name: string }[]>([])
const wanted = ref<Listed>({ only: 'all', sitter: null, order: 'added' })
const { count, cards, need, again, anew, index } = useListing(props.id, wanted)
const list = ref<HTMLElement | null>(null)
const top = ref(0)
const { chosen, frame, choose, all, down } = useChoice(
  cards,
  index,
  { columns: COLUMNS, row: ROW },
  () => list.value,
)

const virtual = useWindowVirtualizer(
  computed(() => ({
    count: Math.ceil((count.value ?? 0) / COLUMNS),
    estimateSize: () => ROW,
    overscan: SPARE,
    scrollMargin: top.value,
  })),
)
const rows = computed(() => virtual.value.getVirtualItems())
watch(rows, (now) => {
  if (now.length) void need(now[0]!.index * COLUMNS, (now.at(-1)!.index + 1) * COLUMNS - 1)
})
/** Where the list begins on the page; what stands above it comes and goes. */
function measure() {
  if (list.value) top.value = list.value.getBoundingClientRect().top + window.scrollY
}
const name = computed(() => head.value?.name ?? '')
const sitters = computed(() => head.value?.sitters ?? [])
const names = computed(() => new Map(sitters.value.map((one) => [one.id, one.name])))
function whose(portrait: Portrait): string {
  return portrait.sitters.flatMap((id) => names.value.get(id) || []).join(', ')
}

/** Flag the chosen portraits; with the flag that all of them have, take it away. */
async function flag(one: Flag) {
  const known = cards.value.filter((p) => p && chosen.value.includes(p.id))
  const has = known.length === chosen.value.length && known.every((p) => p!.flag === one)
  try {
    await api.POST('/api/sittings/{sitting_id}/flags', {
      params: { path: { sitting_id: props.id } },
      body: { to: chosen.value, flag: has ? '' : one },
    })
    await load()
  } catch (error) {
    notices.complain(error)
  }
}
/** Turn the chosen portraits by quarters to the right, each as an edit of its sheet. */
async function turn(by: 1 | 3) {
  try {
    await api.POST('/api/sittings/{sitting_id}/turns', {
      params: { path: { sitting_id: props.id } },
      body: { to: chosen.value, by },
    })
    await load()
  } catch (error) {
    notices.complain(error)
  }
}
async function light() {
  try {
    // Some of them may not be listed now.
    const params = { path: { sitting_id: props.id } }
    const { data } = await api.GET('/api/sittings/{sitting_id}/index', { params })
    const names = new Map(data!.map((one) => [one.id, one.name]))
    lit.value = chosen.value.map((id) => ({ id, name: names.get(id) ?? '' }))
  } catch (error) {
    notices.complain(error)
  }
}
/** Move the focus between cards by the arrow keys; with Shift, choose on the way. */
async function step(event: KeyboardEvent) {
  const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -COLUMNS, ArrowDown: COLUMNS }[event.key]
  const at = (event.target as HTMLElement).closest<HTMLElement>('[data-index]')
  if (by === undefined || !at) return
  const next = Number(at.dataset.index) + by
  if (next < 0 || next >= (count.value ?? 0)) return
  event.preventDefault()
  virtual.value.scrollToIndex(Math.floor(next / COLUMNS))
  await need(next, next)
  await nextTick()
  const card = cards.value[next]
  if (event.shiftKey)
    chosen.value = [
      ...new Set([
        ...chosen.value,
        ...[cards.value[Number(at.dataset.index)], card].flatMap((p) => p?.id ?? []),
      ]),
    ]
  list.value?.querySelector<HTMLElement>(`[data-index="${next}"] input`)?.focus()
}
useEventListener('keydown', (event) => {
  const on = event.target instanceof HTMLElement ? event.target : null
  if (on?.closest('input:not([type=checkbox]), select, [role=dialog]') || event.altKey) return
  if ((event.ctrlKey || event.metaKey) && event.key === 'a') {
    event.preventDefault()
    return void all()
  }
  if (event.ctrlKey || event.metaKey || !chosen.value.length) return
  const one = FLAGS.find((f) => f.key === event.key)
  if (one) void flag(one.flag)
  else if (event.key === 'Escape') chosen.value = []
})
const sending = ref<Sending[]>([])
/** What is being added: of how many pictures, how many are here. */
const adding = ref({ of: 0, here: 0 })
const coming = computed(() => sending.value.filter((s) => !s.problem))
const shownUploads = computed(() => sending.value.filter((s) => s.problem || s.begun))
/** How far they are: taken in, then prepared, each half of the way. */
const addedShare = computed(() => {
  const { of, here } = adding.value
  const sent = here + coming.value.reduce((sum, s) => sum + s.share, 0)
  return of ? (sent + Math.max(0, here - (head.value?.unready ?? 0))) / (2 * of) : 0
})
const isAdding = computed(() => adding.value.of > 0 && (coming.value.length > 0 || !!head.value?.unready))
const addingWords = computed(() => {
  const { of, here } = adding.value
  const unready = Math.min(here, head.value?.unready ?? 0)
  const some = of === 1 ? 'picture' : 'pictures'
  const first = here < of ? `Adding ${of} ${some}: ${here} here` : `${of} ${some} added`
  return unready ? `${first}, ${unready} being prepared` : first
})
const over = ref(false)
const chooser = ref<HTMLInputElement | null>(null)
const asking = ref<{ what: 'rename' | 'delete sitting' | 'delete'; portrait?: Portrait } | null>(null)
const waiting: { file: File; entry: Sending }[] = []
let active = 0
let next = 1
let timer: ReturnType<typeof setTimeout> | undefined

const busy = computed(
  () =>
    !!head.value?.unready ||
    rows.value.some((row) =>
      cards.value
        .slice(row.index * COLUMNS, (row.index + 1) * COLUMNS)
        .some((p) => p?.state === 'ready' && p.shown !== p.revision),
    ),
)

onMounted(async () => {
  await load()
  if (missing.value) return
  const params = { path: { sitting_id: props.id } }
  overs.value = (await api.GET('/api/sittings/{sitting_id}/carry-overs', { params })).data!
  batches.value = (await api.GET('/api/sittings/{sitting_id}/batches', { params })).data!
})
onBeforeUnmount(() => clearTimeout(timer))
watch(busy, (now) => now && poll())
watch(wanted, () => void anew(), { deep: true })
watch([overs, batches, sending, isAdding, () => chosen.value.length, count], () => void nextTick(measure), {
  deep: true,
})

async function load() {
  try {
    const params = { path: { sitting_id: props.id } }
    const [{ data }] = await Promise.all([api.GET('/api/sittings/{sitting_id}', { params }), again()])
    head.value = data!
  } catch (error) {
    if (error instanceof Problem && error.status === 404)
      missing.value = 'This sitting is not here, or no longer.'
    else notices.complain(error)
  }
}
function poll() {
  clearTimeout(timer)
  timer = setTimeout(() => void load().then(() => busy.value && poll()), POLL)
}
function take(files: FileList | null | undefined) {
  if (!isAdding.value) adding.value = { of: 0, here: 0 }
  adding.value.of += files?.length ?? 0
  for (const file of files ?? []) {
    const entry: Sending = { key: next++, name: file.name, share: 0, begun: false, problem: '' }
    sending.value.push(entry)
    waiting.push({ file, entry: sending.value[sending.value.length - 1]! })
  }
  while (active < AT_ONCE && waiting.length) void send()
}
async function send() {
  const job = waiting.shift()
  if (!job) return
  active += 1
  job.entry.begun = true
  try {
    const portrait = await upload(props.id, job.file, (share) => (job.entry.share = share))
    sending.value = sending.value.filter((s) => s.key !== job.entry.key)
    adding.value.here += 1
    await load()
    if (adding.value.here === 1) await bring(portrait.id)
  } catch (error) {
    job.entry.problem = (error as Error).message
    adding.value.of -= 1
  } finally {
    active -= 1
    void send()
  }
}
/** Bring a card that was just added into view, if it is listed. */
async function bring(portrait: string) {
  const last = (count.value ?? 0) - 1
  if (last < 0) return
  if (wanted.value.order === 'added') await need(last, last)
  const at = cards.value.findIndex((p) => p?.id === portrait)
  await nextTick()
  if (at >= 0) virtual.value.scrollToIndex(Math.floor(at / COLUMNS), { align: 'center' })
}
function drop(event: DragEvent) {
  over.value = false
  take(event.dataTransfer?.files)
}
async function answer(value: string) {
  const now = asking.value
  asking.value = null
  try {
    if (now?.what === 'rename')
      await api.PATCH('/api/sittings/{sitting_id}', {
        params: { path: { sitting_id: props.id } },
        body: { name: value },
      })
    if (now?.what === 'delete' && now.portrait)
      await api.DELETE('/api/portraits/{portrait_id}', { params: { path: { portrait_id: now.portrait.id } } })
    if (now?.what === 'delete sitting') {
      await api.DELETE('/api/sittings/{sitting_id}', { params: { path: { sitting_id: props.id } } })
      await router.push('/')
      return
    }
    if (now?.portrait) chosen.value = chosen.value.filter((id) => id !== now.portrait!.id)
    await load()
  } catch (error) {
    notices.complain(error)
  }
}
async function prepare(portrait: Portrait) {
  try {
    await api.POST('/api/portraits/{portrait_id}/preparation', {
      params: { path: { portrait_id: portrait.id } },
    })
    await load()
  } catch (error) {
    notices.complain(error)
  }
}
</script>

<template>
  <div
    class="flex min-h-full flex-col"
    @dragover.prevent="over = true"
    @dragleave.self="over = false"
    @drop.prevent="drop"
    @pointerdown="down"
  >
    <PageHead :trail="[{ text: 'Sittings', to: '/' }, { text: name }]" />
    <main class="mx-auto w-full max-w-[1080px] p-8">
      <p v-if="missing" class="font-read text-xl">{{ missing }}</p>
      <template v-else>
        <div class="mb-6 flex items-center gap-3">
          <h1 class="grow font-read text-2xl">{{ name }}</h1>
          <button class="button" @click="asking = { what: 'rename' }">Rename</button>
          <button class="button" data-tip="what its files say of themselves" @click="crediting = true">
            Names and rights
          </button>
          <button class="button" @click="asking = { what: 'delete sitting' }">Delete sitting</button>
          <button class="button button-main" @click="chooser?.click()">Add pictures</button>
          <input
            ref="chooser"
            type="file"
            multiple
            accept=".jpg,.jpeg,.png,.tif,.tiff,.heic,.heif,.avif,.webp,.dng,.arw,.cr2,.cr3,.nef,.orf,.pef,.raf,.rw2,.srw,image/*"
            class="hidden"
            aria-label="Choose picture files"
            @change="(take(chooser?.files), (chooser!.value = ''))"
          />
        </div>
        <div
          class="mb-6 rounded-md border border-dashed p-5 text-center"
          :class="over ? 'border-thread bg-inset' : 'border-rule text-quiet'"
          data-drop
        >
          {{
            over
              ? 'Let go to add them'
              : 'Drop pictures anywhere on this page: raw files, JPEG, PNG, TIFF, HEIC, AVIF or WebP'
          }}
        </div>
        <div
          v-if="isAdding"
          class="sticky top-0 z-20 mb-4 flex items-center gap-3 rounded-md border border-line bg-inset px-3 py-2"
          role="status"
          data-adding
        >
          <span class="w-80">{{ addingWords }}</span>
          <progress class="thin grow" :value="addedShare" max="1" aria-label="How far the pictures are" />
        </div>
        <ul v-if="shownUploads.length" class="mb-6 space-y-2" aria-label="Uploads">
          <li
            v-for="s in shownUploads"
            :key="s.key"
            class="flex items-center gap-3 rounded-md border border-line p-2"
          >
            <span class="w-64 truncate">{{ s.name }}</span>
            <template v-if="!s.problem">
              <progress class="thin grow" :value="s.share" max="1" :aria-label="`${s.name}, uploaded`" />
              <span class="w-40 text-right text-quiet">
                {{ s.share < 1 ? `uploading ${Math.round(100 * s.share)} %` : 'being looked at' }}
              </span>
            </template>
            <template v-else>
              <span class="grow" role="alert">{{ s.problem }}</span>
              <button class="plain" @click="sending = sending.filter((x) => x.key !== s.key)">close</button>
            </template>
          </li>
        </ul>
        <p v-if="overs.length || batches.length" class="mb-4 flex flex-wrap items-baseline gap-x-4">
          <span v-if="overs.length" class="text-quiet">Carried over:</span>
          <RouterLink
            v-for="one in overs.slice(0, 4)"
            :key="one.id"
            :to="`/carry-overs/${one.id}`"
            class="way"
          >
            {{ one.name }}, {{ one.done }} of {{ one.count }}
          </RouterLink>
          <span v-if="batches.length" class="text-quiet">Files:</span>
          <RouterLink v-for="one in batches.slice(0, 4)" :key="one.id" :to="`/batches/${one.id}`" class="way">
            {{ one.ready }} of {{ one.count }}
          </RouterLink>
        </p>
        <div
          v-if="chosen.length"
          class="sticky top-0 z-10 mb-4 flex items-center gap-2 rounded-md border border-line bg-inset px-3 py-2"
          role="group"
          :aria-label="`${chosen.length} portraits chosen`"
        >
          <span class="mr-1">{{ chosen.length }} chosen:</span>
          <button class="button" @click="carrying = true">Carry a preset over…</button>
          <button class="button" @click="handing = true">Hand over as files…</button>
          <button
            class="button"
            :disabled="chosen.length < TABLE.least || chosen.length > TABLE.most"
            :data-tip="
              chosen.length < TABLE.least || chosen.length > TABLE.most
                ? 'Choose two to nine portraits'
                : 'side by side, with one view'
            "
            @click="router.push({ path: `/sittings/${id}/table`, query: { of: chosen.join(',') } })"
          >
            Light table
          </button>
          <button
            class="button"
            :disabled="chosen.length < 2"
            :data-tip="chosen.length < 2 ? 'Choose two portraits or more' : 'by the light on the face'"
            @click="light"
          >
            Same light…
          </button>
          <span class="group-buttons" role="group" aria-label="Turn by a quarter">
            <button aria-label="Turn to the left" data-tip="a quarter to the left" @click="turn(3)">
              <RotateCcw :size="15" class="inline" />
            </button>
            <button aria-label="Turn to the right" data-tip="a quarter to the right" @click="turn(1)">
              <RotateCw :size="15" class="inline" />
            </button>
          </span>
          <span class="group-buttons" role="group" aria-label="Flag">
            <button
              v-for="one in FLAGS"
              :key="one.flag"
              :data-tip="`${one.key.toUpperCase()} · again takes it away`"
              @click="flag(one.flag)"
            >
              {{ one.words }}
            </button>
          </span>
          <button class="plain" data-tip="Ctrl+A" @click="all">all</button>
          <button class="plain ml-auto text-quiet" @click="chosen = []">let go</button>
        </div>
        <div v-if="head?.count" class="mb-4 flex items-center gap-3">
          <label class="flex items-center gap-2">
            showing
            <select v-model="wanted.only" class="field">
              <option value="all">all</option>
              <option value="touched">with touches</option>
              <option value="untouched">with nothing done yet</option>
              <option v-for="one in FLAGS" :key="one.flag" :value="one.flag">flagged {{ one.words }}</option>
              <option value="unflagged">not flagged</option>
            </select>
          </label>
          <label v-if="sitters.length" class="flex items-center gap-2">
            of
            <select v-model="wanted.sitter" class="field max-w-48">
              <option :value="null">everybody</option>
              <option v-for="one in sitters" :key="one.id" :value="one.id">
                {{ one.name || 'somebody without a name' }} ({{ one.count }})
              </option>
            </select>
          </label>
          <label class="flex items-center gap-2">
            by
            <select v-model="wanted.order" class="field">
              <option value="added">as they came</option>
              <option value="name">name</option>
              <option value="taken">time of capture</option>
            </select>
          </label>
          <span class="text-quiet" data-count>{{ count ?? '…' }} of {{ head.count }}</span>
          <RouterLink :to="`/sittings/${id}/who`" class="way ml-auto underline">Who is who</RouterLink>
        </div>
        <p v-if="count === null || !head" class="text-quiet">Fetching the portraits…</p>
        <p v-else-if="!head.count && !sending.length" class="py-8 text-center font-read text-xl">
          No picture in this sitting yet.
        </p>
        <p v-else-if="!count && head.count" class="py-8 text-center">
          No portrait is like that.
          <button class="way underline" @click="wanted = { ...wanted, only: 'all', sitter: null }">
            Show all
          </button>
        </p>
        <div
          ref="list"
          class="relative"
          :style="{ height: `${virtual.getTotalSize()}px` }"
          role="list"
          aria-label="Portraits"
          @keydown="step"
        >
          <div
            v-for="row in rows"
            :key="row.index"
            role="presentation"
            class="absolute inset-x-0 top-0 grid grid-cols-4 gap-5 pb-5"
            :style="{ height: `${ROW}px`, transform: `translateY(${row.start - top}px)` }"
          >
            <div
              v-for="at in Math.min(COLUMNS, (count ?? 0) - row.index * COLUMNS)"
              :key="cards[row.index * COLUMNS + at - 1]?.id ?? at"
              role="listitem"
              class="min-w-0"
              :data-index="row.index * COLUMNS + at - 1"
            >
              <PortraitCard
                v-if="cards[row.index * COLUMNS + at - 1]"
                :portrait="cards[row.index * COLUMNS + at - 1]!"
                :chosen="chosen.includes(cards[row.index * COLUMNS + at - 1]!.id)"
                :whose="whose(cards[row.index * COLUMNS + at - 1]!)"
                @choose="choose(cards[row.index * COLUMNS + at - 1]!.id, $event)"
                @again="prepare(cards[row.index * COLUMNS + at - 1]!)"
                @remove="asking = { what: 'delete', portrait: cards[row.index * COLUMNS + at - 1]! }"
              />
              <div v-else class="h-full rounded-md border border-line bg-inset" aria-hidden="true" />
            </div>
          </div>
          <div
            v-if="frame"
            class="pointer-events-none absolute z-10 border border-dashed border-thread bg-thread/10"
            :style="{
              left: `${frame.x}px`,
              top: `${frame.y}px`,
              width: `${frame.w}px`,
              height: `${frame.h}px`,
            }"
          />
        </div>
      </template>
    </main>
    <CreditsDialog
      v-if="head"
      :open="crediting"
      :sitting="id"
      :credits="head.credits"
      @close="crediting = false"
      @done="load"
    />
    <SameLight :open="lit.length > 0" :sitting="id" :chosen="lit" @close="lit = []" @done="load" />
    <HandOver :open="handing" :sitting="id" :chosen="chosen" @close="handing = false" />
    <CarryTo
      :open="carrying"
      :sitting="id"
      :chosen="chosen"
      :sitter="wanted.sitter"
      @close="carrying = false"
    />
    <Ask
      :open="asking !== null"
      :title="
        asking?.what === 'rename'
          ? 'Rename the sitting'
          : `Delete ${asking?.what === 'delete' ? asking.portrait?.name : name}?`
      "
      :text="
        asking?.what === 'rename'
          ? ''
          : asking?.what === 'delete'
            ? 'Its original file, its sheet and its exports go with it. This cannot be undone.'
            : 'All its portraits go with it: originals, sheets and exports. This cannot be undone.'
      "
      :field="asking?.what === 'rename' ? 'Its name' : ''"
      :value="name"
      :action="asking?.what === 'rename' ? 'Rename' : 'Delete'"
      @close="asking = null"
      @done="answer"
    />
  </div>
</template>
