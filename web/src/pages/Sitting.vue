<script setup lang="ts">
import { Trash2 } from '@lucide/vue'
import { useEventListener } from '@vueuse/core'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { api, type Batch, type CarryOver, type Portrait, Problem, upload } from '../api/client'
import Ask from '../controls/Ask.vue'
import CarryTo from '../controls/CarryTo.vue'
import HandOver from '../controls/HandOver.vue'
import PageHead from '../controls/PageHead.vue'
import { useNotices } from '../stores/notices'

const props = defineProps<{ id: string }>()
const router = useRouter()
const notices = useNotices()

interface Sending {
  key: number
  name: string
  share: number
  problem: string
}

const POLL = 700
const AT_ONCE = 2
const name = ref('')
const missing = ref('')
const portraits = ref<Portrait[] | null>(null)
const overs = ref<CarryOver[]>([])
const batches = ref<Batch[]>([])
const chosen = ref<string[]>([])
const carrying = ref(false)
const handing = ref(false)
type Flag = '' | 'keep' | 'maybe' | 'leave out'
const FLAGS: { flag: Flag; words: string; key: string }[] = [
  { flag: 'keep', words: 'keep', key: 'k' },
  { flag: 'maybe', words: 'maybe', key: 'm' },
  { flag: 'leave out', words: 'leave out', key: 'x' },
]
/** Which portraits are listed, and in which order. */
const only = ref<'all' | 'touched' | 'untouched' | 'unflagged' | Flag>('all')
const order = ref<'added' | 'name' | 'taken'>('added')
const shown = computed(() => {
  const fits = (p: Portrait) => {
    if (only.value === 'all') return true
    if (only.value === 'touched') return p.steps > 0
    if (only.value === 'untouched') return p.steps === 0
    return p.flag === (only.value === 'unflagged' ? '' : only.value)
  }
  const taken = (p: Portrait) => p.facts?.camera.taken ?? p.created
  const by: Record<typeof order.value, (a: Portrait, b: Portrait) => number> = {
    added: () => 0,
    name: (a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }),
    taken: (a, b) => taken(a).localeCompare(taken(b)),
  }
  return (portraits.value ?? []).filter(fits).sort(by[order.value])
})
/** Flag the chosen portraits; with the flag that all of them have, take it away. */
async function flag(wanted: Flag) {
  const mine = ready.value.filter((p) => chosen.value.includes(p.id))
  const now = mine.length && mine.every((p) => p.flag === wanted) ? '' : wanted
  try {
    for (const { id } of mine)
      await api.PATCH('/api/portraits/{portrait_id}', {
        params: { path: { portrait_id: id } },
        body: { flag: now },
      })
    await load()
  } catch (error) {
    notices.complain(error)
  }
}
useEventListener('keydown', (event) => {
  const typing =
    event.target instanceof HTMLElement &&
    !!event.target.closest('input:not([type=checkbox]), select, [role=dialog]')
  if (typing || event.ctrlKey || event.metaKey || event.altKey || !chosen.value.length) return
  const one = FLAGS.find((f) => f.key === event.key)
  if (one) void flag(one.flag)
  else if (event.key === 'Escape') chosen.value = []
})
/** Whose picture before is shown, while it is held. */
const held = ref('')
/** Where a row of chosen portraits begins. */
let first = 0
const sending = ref<Sending[]>([])
const over = ref(false)
const chooser = ref<HTMLInputElement | null>(null)
const asking = ref<{ what: 'rename' | 'delete sitting' | 'delete'; portrait?: Portrait } | null>(null)
const waiting: { file: File; entry: Sending }[] = []
let active = 0
let next = 1
let timer: ReturnType<typeof setTimeout> | undefined

const busy = computed(
  () =>
    portraits.value?.some(
      (p) =>
        p.state === 'waiting' || p.state === 'preparing' || (p.state === 'ready' && p.shown !== p.revision),
    ) ?? false,
)
const ready = computed(() => shown.value.filter((p) => p.state === 'ready'))
/** Choose one, or with Shift all from the last that was chosen. */
function choose(portrait: Portrait, event: MouseEvent) {
  const here = ready.value.indexOf(portrait)
  if (event.shiftKey) {
    const row = ready.value.slice(Math.min(first, here), Math.max(first, here) + 1).map((p) => p.id)
    chosen.value = [...new Set([...chosen.value, ...row])]
  } else {
    first = here
    chosen.value = chosen.value.includes(portrait.id)
      ? chosen.value.filter((id) => id !== portrait.id)
      : [...chosen.value, portrait.id]
  }
}

onMounted(async () => {
  await load()
  if (missing.value) return
  const params = { path: { sitting_id: props.id } }
  overs.value = (await api.GET('/api/sittings/{sitting_id}/carry-overs', { params })).data!
  batches.value = (await api.GET('/api/sittings/{sitting_id}/batches', { params })).data!
})
onBeforeUnmount(() => clearTimeout(timer))
watch(busy, (now) => now && poll())

async function load() {
  try {
    const { data } = await api.GET('/api/sittings/{sitting_id}', {
      params: { path: { sitting_id: props.id } },
    })
    name.value = data!.name
    portraits.value = data!.portraits
    chosen.value = chosen.value.filter((id) => data!.portraits.some((p) => p.id === id))
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
  for (const file of files ?? []) {
    const entry: Sending = { key: next++, name: file.name, share: 0, problem: '' }
    sending.value.push(entry)
    waiting.push({ file, entry: sending.value[sending.value.length - 1]! })
  }
  while (active < AT_ONCE && waiting.length) void send()
}
async function send() {
  const job = waiting.shift()
  if (!job) return
  active += 1
  try {
    await upload(props.id, job.file, (share) => (job.entry.share = share))
    sending.value = sending.value.filter((s) => s.key !== job.entry.key)
    await load()
  } catch (error) {
    job.entry.problem = (error as Error).message
  } finally {
    active -= 1
    void send()
  }
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
    await load()
  } catch (error) {
    notices.complain(error)
  }
}
async function again(portrait: Portrait) {
  try {
    await api.POST('/api/portraits/{portrait_id}/preparation', {
      params: { path: { portrait_id: portrait.id } },
    })
    await load()
  } catch (error) {
    notices.complain(error)
  }
}
function facts(portrait: Portrait): string {
  const f = portrait.facts
  if (!f) return portrait.file_name
  return `${f.width} × ${f.height} px · ${f.bits} bit ${f.format}${f.channels === 1 ? ', grey' : ''}`
}
/** How much the file holds for shadows and highlights to be brought back. */
function holds(portrait: Portrait): string {
  const f = portrait.facts
  if (!f) return ''
  if (f.headroom > 0) return `${f.headroom.toFixed(1)} EV above white to bring back`
  return f.bits > 8
    ? 'shadows hold much, highlights end at white'
    : 'little to recover: 8 bits, white is the end'
}
function camera(portrait: Portrait): string {
  const c = portrait.facts?.camera ?? {}
  return ['camera', 'lens', 'exposure', 'aperture', 'sensitivity'].flatMap((k) => c[k] ?? []).join(' · ')
}
</script>

<template>
  <div
    class="flex min-h-full flex-col"
    @dragover.prevent="over = true"
    @dragleave.self="over = false"
    @drop.prevent="drop"
  >
    <PageHead :trail="[{ text: 'Sittings', to: '/' }, { text: name }]" />
    <main class="mx-auto w-full max-w-[1080px] p-8">
      <p v-if="missing" class="font-read text-xl">{{ missing }}</p>
      <template v-else>
        <div class="mb-6 flex items-center gap-3">
          <h1 class="grow font-read text-2xl">{{ name }}</h1>
          <button class="button" @click="asking = { what: 'rename' }">Rename</button>
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
        <ul v-if="sending.length" class="mb-6 space-y-2" aria-label="Uploads">
          <li
            v-for="s in sending"
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
          <button class="plain" @click="chosen = ready.map((p) => p.id)">all {{ ready.length }}</button>
          <button class="plain ml-auto text-quiet" @click="chosen = []">let go</button>
        </div>
        <div v-if="portraits?.length" class="mb-4 flex items-center gap-3">
          <label class="flex items-center gap-2">
            showing
            <select v-model="only" class="field">
              <option value="all">all</option>
              <option value="touched">with touches</option>
              <option value="untouched">with nothing done yet</option>
              <option v-for="one in FLAGS" :key="one.flag" :value="one.flag">flagged {{ one.words }}</option>
              <option value="unflagged">not flagged</option>
            </select>
          </label>
          <label class="flex items-center gap-2">
            by
            <select v-model="order" class="field">
              <option value="added">as they came</option>
              <option value="name">name</option>
              <option value="taken">time of capture</option>
            </select>
          </label>
          <span class="text-quiet" data-count>{{ shown.length }} of {{ portraits.length }}</span>
        </div>
        <p v-if="portraits === null" class="text-quiet">Fetching the portraits…</p>
        <p v-else-if="!portraits.length && !sending.length" class="py-8 text-center font-read text-xl">
          No picture in this sitting yet.
        </p>
        <p v-else-if="!shown.length && portraits.length" class="py-8 text-center">
          No portrait is like that. <button class="way underline" @click="only = 'all'">Show all</button>
        </p>
        <ul v-else class="grid grid-cols-4 gap-5">
          <li
            v-for="p in shown"
            :key="p.id"
            class="relative flex flex-col overflow-hidden rounded-md border [contain-intrinsic-height:22rem] [content-visibility:auto]"
            :class="
              chosen.includes(p.id) ? 'border-thread outline-2 outline-dashed outline-thread' : 'border-line'
            "
            :data-steps="p.steps"
            :data-portrait="p.name"
            :data-state="p.state"
          >
            <component
              :is="p.state === 'ready' ? RouterLink : 'div'"
              :to="`/portraits/${p.id}`"
              class="flex h-60 items-center justify-center bg-room"
              :aria-label="p.state === 'ready' ? `Open ${p.name}` : undefined"
            >
              <img
                v-if="p.state === 'ready'"
                :src="
                  p.steps && held !== p.id
                    ? `/api/portraits/${p.id}/retouched?revision=${p.shown}`
                    : `/api/portraits/${p.id}/thumbnail`
                "
                alt=""
                loading="lazy"
                class="max-h-full max-w-full object-contain"
              />
              <span v-else-if="p.state === 'failed'" class="bg-paper p-3 text-center" role="alert">{{
                p.problem
              }}</span>
              <span v-else class="w-3/4 rounded-sm bg-paper p-3 text-center">
                {{
                  p.state === 'waiting'
                    ? 'waiting to be prepared'
                    : `being prepared, ${Math.round(100 * p.progress)} %`
                }}
                <progress
                  class="thin mt-2 w-full"
                  :value="p.progress"
                  max="1"
                  :aria-label="`${p.name}, prepared`"
                />
              </span>
            </component>
            <label v-if="p.state === 'ready'" class="absolute top-2 left-2 flex size-7 rounded-sm bg-paper">
              <input
                type="checkbox"
                class="m-auto size-4 accent-thread"
                :checked="chosen.includes(p.id)"
                :aria-label="`Choose ${p.name}`"
                data-tip="Shift chooses all from the last one to here"
                @click="choose(p, $event)"
              />
            </label>
            <button
              v-if="p.steps"
              class="button absolute top-2 right-2 min-h-7 px-2"
              :aria-label="`Hold to see ${p.name} before`"
              @pointerdown="held = p.id"
              @pointerup="held = ''"
              @pointerleave="held = ''"
              @keydown.space.prevent="held = p.id"
              @keyup.space.prevent="held = ''"
            >
              {{ held === p.id ? 'before' : 'hold for before' }}
            </button>
            <div class="flex grow items-start gap-2 p-3">
              <div class="min-w-0 grow">
                <p class="flex items-baseline gap-2">
                  <span class="min-w-0 truncate font-read text-lg">{{ p.name }}</span>
                  <span v-if="p.flag" class="shrink-0 rounded-sm border border-rule px-1" data-flag>{{
                    p.flag
                  }}</span>
                </p>
                <p v-if="p.state === 'ready'" :class="p.steps ? '' : 'text-quiet'" data-done>
                  {{
                    p.shown !== p.revision
                      ? 'its picture is being made'
                      : p.steps
                        ? `${p.steps} ${p.steps === 1 ? 'touch' : 'touches'}`
                        : 'nothing done yet'
                  }}
                </p>
                <p class="text-quiet">{{ facts(p) }}</p>
                <p v-if="p.facts" class="text-quiet" data-holds>{{ holds(p) }}</p>
                <p v-if="p.facts" class="truncate text-quiet" :data-tip="p.facts.profile">
                  {{ p.facts.profile }}
                </p>
                <p v-if="camera(p)" class="truncate text-quiet" :data-tip="camera(p)">{{ camera(p) }}</p>
                <button v-if="p.state === 'failed' && p.facts" class="plain underline" @click="again(p)">
                  Try again
                </button>
              </div>
              <button
                class="plain"
                :aria-label="`Delete ${p.name}`"
                @click="asking = { what: 'delete', portrait: p }"
              >
                <Trash2 :size="15" />
              </button>
            </div>
          </li>
        </ul>
      </template>
    </main>
    <HandOver :open="handing" :sitting="id" :chosen="chosen" @close="handing = false" />
    <CarryTo :open="carrying" :sitting="id" :chosen="chosen" @close="carrying = false" />
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
