<script setup lang="ts">
import { useTimeoutPoll } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'
import { api, Problem, type Schema } from '../api/client'
import Ask from '../controls/Ask.vue'
import PageHead from '../controls/PageHead.vue'
import { useNotices } from '../stores/notices'

/** Files of a sitting on their way: how far all and each are, and all that are finished as one ZIP. */
const props = defineProps<{ id: string }>()
const POLL = 700
const notices = useNotices()
const router = useRouter()
const page = shallowRef<Schema['BatchPage'] | null>(null)
const sitting = ref('')
const missing = ref('')
const asking = ref(false)

type File = Schema['BatchFileOut']
const working = (file: File) => file.state === 'waiting' || file.state === 'running'
const files = computed(() => page.value?.files ?? [])
const left = computed(() => files.value.filter(working).length)
const going = computed(() => page.value?.state === 'going' && left.value > 0)
const broken = computed(() => files.value.some((f) => f.state === 'failed' || f.state === 'cancelled'))
const share = computed(() => {
  const done = (f: File) => (f.state === 'ready' ? 1 : f.state === 'running' ? f.progress : 0)
  return files.value.reduce((sum, f) => sum + done(f), 0) / Math.max(1, files.value.length)
})
const megabytes = (bytes: number) => `${(bytes / 2 ** 20).toFixed(1)} MB`
const said = computed(() => {
  const { count = 0, ready = 0, failed = 0, bytes = 0, state } = page.value ?? {}
  const words = [`${ready} of ${count} finished`, megabytes(bytes)]
  if (failed) words.push(`${failed} failed`)
  if (left.value && state === 'paused') words.push('paused')
  return words.join(' · ')
})
function told(file: File): string {
  if (file.state === 'running') return `${Math.round(100 * file.progress)} %`
  if (file.state === 'ready') return megabytes(file.bytes)
  return { waiting: 'waiting', cancelled: 'left out', failed: file.problem }[file.state] ?? ''
}

const { pause, resume } = useTimeoutPoll(load, POLL, { immediate: false })
const params = computed(() => ({ path: { batch_id: props.id } }))
onMounted(async () => {
  await load()
  if (!page.value) return
  const { data } = await api.GET('/api/sittings', {})
  sitting.value = data?.find((s) => s.id === page.value!.sitting)?.name ?? ''
})
async function load() {
  try {
    page.value = (await api.GET('/api/batches/{batch_id}', { params: params.value })).data!
    if (going.value || files.value.some((f) => f.state === 'running')) resume()
    else pause()
  } catch (error) {
    pause()
    if (error instanceof Problem && error.status === 404)
      missing.value = 'These files are not here, or no longer.'
    else notices.complain(error)
  }
}
async function steer(state: Schema['StateIn']['state']) {
  try {
    await api.PATCH('/api/batches/{batch_id}', { params: params.value, body: { state } })
    await load()
  } catch (error) {
    notices.complain(error)
  }
}
async function remove() {
  asking.value = false
  try {
    await api.DELETE('/api/batches/{batch_id}', { params: params.value })
    await router.push(`/sittings/${page.value!.sitting}`)
  } catch (error) {
    notices.complain(error)
  }
}
</script>

<template>
  <div class="flex min-h-full flex-col">
    <PageHead
      :trail="[
        { text: 'Sittings', to: '/' },
        { text: sitting || 'the sitting', to: page ? `/sittings/${page.sitting}` : '/' },
        { text: 'Files' },
      ]"
    />
    <main class="mx-auto w-full max-w-[880px] p-8" :data-batch="going ? 'going' : 'ended'">
      <p v-if="missing" class="font-read text-xl">{{ missing }}</p>
      <template v-else-if="page">
        <div class="mb-2 flex items-center gap-2">
          <h1 class="grow font-read text-2xl">Files of {{ sitting }}</h1>
          <button v-if="going" class="button" @click="steer('paused')">Pause</button>
          <button v-if="left" class="button" @click="steer('cancelled')">Leave out the rest</button>
          <button v-if="!going && (left || broken)" class="button" @click="steer('going')">Go on</button>
          <button class="button" @click="asking = true">Delete the files</button>
          <a
            class="button button-main"
            :class="{ 'pointer-events-none opacity-60': !page.ready }"
            :aria-disabled="!page.ready"
            :data-tip="page.ready ? '' : 'No file is finished yet'"
            :href="page.ready ? `/api/batches/${id}/zip` : undefined"
            download
          >
            Fetch as a ZIP
          </a>
        </div>
        <p role="status" class="mb-1 text-quiet">{{ said }}</p>
        <progress v-if="left" class="thin mb-4 w-full" :value="share" max="1" aria-label="all files, done" />
        <ul class="mt-4 border-t border-line">
          <li
            v-for="file in files"
            :key="file.id"
            class="flex min-h-9 items-center gap-3 border-b border-line px-1 [content-visibility:auto]"
            :data-file="file.path"
            :data-state="file.state"
          >
            <span class="min-w-0 grow truncate">{{ file.path }}</span>
            <progress
              v-if="file.state === 'running'"
              class="thin w-32"
              :value="file.progress"
              max="1"
              :aria-label="`${file.path}, done`"
            />
            <span
              :class="file.state === 'failed' ? 'text-care' : 'text-quiet'"
              :role="file.state === 'failed' ? 'alert' : undefined"
              >{{ told(file) }}</span
            >
            <a v-if="file.state === 'ready'" class="way" :href="`/api/exports/${file.id}/file`" download
              >fetch</a
            >
          </li>
        </ul>
      </template>
      <p v-else class="text-quiet">Fetching…</p>
    </main>
    <Ask
      :open="asking"
      title="Delete these files?"
      text="The portraits and their sheets stay; the files can be made again."
      action="Delete"
      @close="asking = false"
      @done="remove"
    />
  </div>
</template>
