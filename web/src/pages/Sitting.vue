<script setup lang="ts">
import { Trash2 } from '@lucide/vue'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { api, type Portrait, Problem, upload } from '../api/client'
import Ask from '../controls/Ask.vue'
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
const sending = ref<Sending[]>([])
const over = ref(false)
const chooser = ref<HTMLInputElement | null>(null)
const asking = ref<{ what: 'rename' | 'delete sitting' | 'delete'; portrait?: Portrait } | null>(null)
const waiting: { file: File; entry: Sending }[] = []
let active = 0
let next = 1
let timer: ReturnType<typeof setTimeout> | undefined

const busy = computed(
  () => portraits.value?.some((p) => p.state === 'waiting' || p.state === 'preparing') ?? false,
)

onMounted(load)
onBeforeUnmount(() => clearTimeout(timer))
watch(busy, (now) => now && poll())

async function load() {
  try {
    const { data } = await api.GET('/api/sittings/{sitting_id}', {
      params: { path: { sitting_id: props.id } },
    })
    name.value = data!.name
    portraits.value = data!.portraits
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
        <p v-if="portraits === null" class="text-quiet">Fetching the portraits…</p>
        <p v-else-if="!portraits.length && !sending.length" class="py-8 text-center font-read text-xl">
          No picture in this sitting yet.
        </p>
        <ul v-else class="grid grid-cols-4 gap-5">
          <li
            v-for="p in portraits"
            :key="p.id"
            class="flex flex-col overflow-hidden rounded-md border border-line"
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
                :src="`/api/portraits/${p.id}/thumbnail`"
                alt=""
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
            <div class="flex grow items-start gap-2 p-3">
              <div class="min-w-0 grow">
                <p class="truncate font-read text-lg">{{ p.name }}</p>
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
