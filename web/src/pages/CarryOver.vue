<script setup lang="ts">
import { useEventListener, useTimeoutPoll } from '@vueuse/core'
import { computed, nextTick, onMounted, ref, shallowRef } from 'vue'
import { RouterLink } from 'vue-router'
import { api, type Carried, Problem, type Schema } from '../api/client'
import PageHead from '../controls/PageHead.vue'
import { useNotices } from '../stores/notices'

/** What became of a preset on each portrait it was carried over to, walked through by one key each. */
const props = defineProps<{ id: string }>()
type Verdict = Schema['VerdictIn']['verdict']
const POLL = 700
const SAYS: { verdict: Verdict; words: string; key: string; tip: string }[] = [
  { verdict: 'fits', words: 'It fits', key: 'f', tip: 'F · and on to the next' },
  { verdict: 'needs work', words: 'Needs work', key: 'w', tip: 'W · marked, and on to the next' },
  { verdict: 'undone', words: 'Undo here', key: 'u', tip: 'U · what was carried over goes; the rest stays' },
]
const notices = useNotices()
const page = shallowRef<Schema['CarryOverPage'] | null>(null)
const sitting = ref('')
const missing = ref('')
const at = ref<number | null>(null)
const list = ref<HTMLElement | null>(null)

const rows = computed(() => page.value?.portraits ?? [])
const ended = (row: Carried) => row.state === 'done' || row.state === 'failed'
const left = computed(() => rows.value.filter((row) => !ended(row)).length)
const going = computed(() => page.value?.state === 'going' && left.value > 0)
const now = computed(() => rows.value.find((row) => row.id === at.value))
const judged = computed(() => rows.value.filter((row) => row.verdict).length)
const said = computed(() => {
  const { state, count = 0, done = 0, failed = 0 } = page.value ?? {}
  const words = [`${done} of ${count} done`]
  if (failed) words.push(`${failed} failed`)
  if (left.value && state !== 'going') words.push(state === 'paused' ? 'paused' : `${left.value} left out`)
  return words.join(' · ')
})
/** What is to be said of a portrait, in its row. */
function state(row: Carried): string {
  if (row.verdict) return row.verdict
  if (row.state === 'failed') return 'failed'
  if (row.state !== 'done') return page.value?.state === 'cancelled' ? 'left out' : 'waiting'
  if (row.lacking.length) return 'something is not there'
  return row.by_hand.length ? 'needs a look' : 'found itself'
}

const { pause, resume } = useTimeoutPoll(load, POLL, { immediate: false })
onMounted(async () => {
  await load()
  if (page.value) {
    const { data } = await api.GET('/api/sittings', {})
    sitting.value = data?.find((s) => s.id === page.value!.sitting)?.name ?? ''
  }
})
async function load() {
  try {
    const params = { path: { carry_over_id: props.id } }
    page.value = (await api.GET('/api/carry-overs/{carry_over_id}', { params })).data!
    at.value ??= rows.value[0]?.id ?? null
    if (going.value) resume()
    else pause()
  } catch (error) {
    pause()
    if (error instanceof Problem && error.status === 404) missing.value = 'This is not here, or no longer.'
    else notices.complain(error)
  }
}
async function steer(state: Schema['StateIn']['state']) {
  try {
    await api.PATCH('/api/carry-overs/{carry_over_id}', {
      params: { path: { carry_over_id: props.id } },
      body: { state },
    })
    await load()
  } catch (error) {
    notices.complain(error)
  }
}
/** Said at once and sent in order: whoever walks quickly is not held up. */
let sending: Promise<void> = Promise.resolve()
function judge(verdict: Verdict) {
  const row = now.value
  if (!row || row.state !== 'done') return
  step(1)
  sending = sending.then(async () => {
    try {
      const { data } = await api.POST('/api/carried/{carried_id}/verdict', {
        params: { path: { carried_id: row.id } },
        body: { verdict },
      })
      page.value = { ...page.value!, portraits: rows.value.map((r) => (r.id === row.id ? data! : r)) }
    } catch (error) {
      notices.complain(error)
      go(row)
    }
  })
}
function step(by: number) {
  const from = rows.value.findIndex((row) => row.id === at.value)
  go(rows.value[Math.min(rows.value.length - 1, Math.max(0, from + by))])
}
function go(row: Carried | undefined) {
  if (!row) return
  at.value = row.id
  void nextTick(() => list.value?.querySelector('[aria-current=true]')?.scrollIntoView({ block: 'nearest' }))
}
/** What comes next is fetched already. */
const following = computed(() => {
  const from = rows.value.findIndex((row) => row.id === at.value)
  return rows.value.slice(from + 1, from + 3).filter((row) => row.state === 'done')
})
useEventListener('keydown', (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return
  const says = SAYS.find((s) => s.key === event.key.toLowerCase())
  if (says) judge(says.verdict)
  else if (event.key === 'ArrowDown' || event.key === 'ArrowRight') step(1)
  else if (event.key === 'ArrowUp' || event.key === 'ArrowLeft') step(-1)
  else return
  event.preventDefault()
})
</script>

<template>
  <div class="flex h-full flex-col">
    <PageHead
      :trail="[
        { text: 'Sittings', to: '/' },
        { text: sitting || 'the sitting', to: page ? `/sittings/${page.sitting}` : '/' },
        { text: page?.name ?? '' },
      ]"
    />
    <p v-if="missing" class="p-8 font-read text-xl">{{ missing }}</p>
    <main v-else-if="page" class="flex min-h-0 grow" :data-carried="going ? 'going' : 'ended'">
      <section
        class="flex w-[300px] shrink-0 flex-col border-r border-line"
        aria-label="Portraits it was carried over to"
      >
        <div class="p-3">
          <h1 class="font-read text-xl">{{ page.name }}</h1>
          <p class="text-quiet" role="status">{{ said }}</p>
          <progress
            v-if="left"
            class="thin mt-1 w-full"
            :value="page.count - left"
            :max="page.count"
            aria-label="carried over"
          />
          <p v-if="left && page.state !== 'cancelled'" class="mt-2 flex gap-2">
            <button v-if="page.state === 'going'" class="button" @click="steer('paused')">Pause</button>
            <button v-else class="button" @click="steer('going')">Go on</button>
            <button class="button" @click="steer('cancelled')">Leave out the rest</button>
          </p>
        </div>
        <ol ref="list" class="min-h-0 grow overflow-y-auto px-2 pb-3">
          <li v-for="row in rows" :key="row.id" class="[content-visibility:auto]">
            <button
              class="flex min-h-9 w-full items-center gap-2 rounded-sm px-2 py-1 text-left hover:bg-inset"
              :class="{ 'bg-inset outline-2 -outline-offset-2 outline-thread outline-dashed': row.id === at }"
              :aria-current="row.id === at"
              :data-row="row.name"
              :data-state="state(row)"
              @click="go(row)"
            >
              <span class="min-w-0 grow truncate font-read text-[16px]">{{ row.name }}</span>
              <span :class="row.state === 'failed' ? 'text-care' : 'text-quiet'">{{ state(row) }}</span>
            </button>
          </li>
        </ol>
      </section>
      <section v-if="now" class="flex min-w-0 grow flex-col" aria-label="What became of it">
        <div class="flex min-h-0 grow gap-px bg-room">
          <p
            v-if="now.state !== 'done'"
            class="m-auto bg-paper p-4"
            :role="now.problem ? 'alert' : undefined"
          >
            {{ now.problem || (page.state === 'cancelled' ? 'It was left out.' : 'It is not there yet.') }}
          </p>
          <template v-else>
            <figure
              v-for="which in ['before', 'after'] as const"
              :key="which"
              class="relative flex min-w-0 flex-1 items-center justify-center p-2"
            >
              <img
                :src="`/api/carried/${now.id}/${which}`"
                :alt="`${now.name}, ${which}`"
                class="max-h-full max-w-full object-contain"
              />
              <figcaption class="absolute bottom-3 left-3 rounded-sm bg-paper px-2">
                {{ which === 'after' && now.verdict === 'undone' ? 'after, undone here' : which }}
              </figcaption>
            </figure>
          </template>
        </div>
        <div class="border-t border-line bg-paper p-3" aria-live="polite">
          <p v-if="now.lacking.length" class="mb-2" data-lacking>
            Not found here, so nothing happens there: <b>{{ now.lacking.join(', ') }}</b>. Open the portrait
            and paint it, or leave it.
          </p>
          <p v-if="now.by_hand.length" class="mb-2" data-by-hand>
            Placed by hand where it comes from, so it needs a look: <b>{{ now.by_hand.join(', ') }}</b>.
          </p>
          <div class="flex items-center gap-2">
            <button
              v-for="one in SAYS"
              :key="one.verdict"
              class="button"
              :class="{ 'button-main': now.verdict === one.verdict }"
              :aria-pressed="now.verdict === one.verdict"
              :disabled="now.state !== 'done'"
              :data-tip="one.tip"
              @click="judge(one.verdict)"
            >
              {{ one.words }}
            </button>
            <span class="ml-2 text-quiet">{{ judged }} of {{ rows.length }} looked at · ↑ ↓ to walk</span>
            <RouterLink class="way ml-auto" :to="`/portraits/${now.portrait}`"
              >Open {{ now.name }}</RouterLink
            >
          </div>
        </div>
        <span class="hidden">
          <template v-for="row in following" :key="row.id">
            <img
              v-for="which in ['before', 'after']"
              :key="which"
              :src="`/api/carried/${row.id}/${which}`"
              alt=""
            />
          </template>
        </span>
      </section>
    </main>
    <p v-else class="p-8 text-quiet">Fetching…</p>
  </div>
</template>
