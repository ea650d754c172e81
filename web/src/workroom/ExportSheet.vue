<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { api, type Export, FILE, type FileIn } from '../api/client'
import FileFields from '../controls/FileFields.vue'
import { useNotices } from '../stores/notices'
import { useSheet } from '../stores/sheet'

const props = defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: [] }>()
const sheet = useSheet()
const notices = useNotices()

const order = ref<FileIn>({ ...FILE })
const list = ref<Export[]>([])
const POLL = 400
let timer: ReturnType<typeof setTimeout> | undefined

const facts = computed(() => sheet.portrait?.facts)
const working = (entry: Export) => entry.state === 'waiting' || entry.state === 'running'
const running = computed(() => list.value.some(working))

watch(
  () => props.open,
  (open) => (open ? load() : clearTimeout(timer)),
)
onBeforeUnmount(() => clearTimeout(timer))

async function load() {
  clearTimeout(timer)
  const params = { path: { portrait_id: sheet.portrait!.id } }
  try {
    list.value = (await api.GET('/api/portraits/{portrait_id}/exports', { params })).data!
  } catch (error) {
    notices.complain(error)
  }
  if (props.open && running.value) timer = setTimeout(() => void load(), POLL)
}
async function go() {
  const params = { path: { portrait_id: sheet.portrait!.id } }
  try {
    await api.POST('/api/portraits/{portrait_id}/exports', {
      params,
      body: { ...order.value, revision: sheet.revision },
    })
    await load()
  } catch (error) {
    notices.complain(error)
  }
}
async function cancel(id: string) {
  try {
    await api.DELETE('/api/exports/{export_id}', { params: { path: { export_id: id } } })
    await load()
  } catch (error) {
    notices.complain(error)
  }
}
function told(entry: Export): string {
  if (entry.state === 'waiting') return 'waiting for its turn'
  if (entry.state === 'running') return `${Math.round(100 * entry.progress)} %`
  if (entry.state === 'ready') return `${(entry.bytes / 2 ** 20).toFixed(1)} MB`
  return entry.state === 'cancelled' ? 'cancelled' : entry.problem
}
const day = (text: string) =>
  new Date(text).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
</script>

<template>
  <Dialog v-if="open" :open="true" class="relative z-40" @close="emit('close')">
    <div class="fixed inset-0 bg-black/40" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center p-4">
      <DialogPanel class="w-[520px] rounded-md bg-paper p-6">
        <DialogTitle class="mb-4 font-read text-xl">Export {{ sheet.portrait?.name }}</DialogTitle>
        <p class="mb-4 text-quiet">
          The portrait has {{ facts?.width }} × {{ facts?.height }} px. The file stands upright, with the
          camera data of the original.
        </p>
        <FileFields v-model="order" :profile="facts?.profile" />
        <div class="mt-5 flex justify-end gap-2">
          <button class="button" @click="emit('close')">Close</button>
          <button
            class="button button-main"
            :disabled="sheet.saving !== 'saved'"
            :data-tip="sheet.saving === 'saved' ? '' : 'Your last change is still being saved'"
            @click="go"
          >
            Make the file
          </button>
        </div>
        <ul v-if="list.length" class="mt-5 max-h-56 space-y-2 overflow-auto border-t border-line pt-3">
          <li
            v-for="entry in list"
            :key="entry.id"
            class="flex items-center gap-3"
            :data-export="entry.state"
          >
            <span class="text-quiet">{{ day(entry.created) }}</span>
            <span class="min-w-0 grow truncate">{{ entry.file_name }}</span>
            <progress
              v-if="working(entry)"
              class="thin w-24"
              :value="entry.progress"
              max="1"
              :aria-label="`${entry.file_name}, done`"
            />
            <span class="text-quiet" :role="entry.state === 'failed' ? 'alert' : undefined">{{
              told(entry)
            }}</span>
            <a
              v-if="entry.state === 'ready'"
              class="underline"
              :href="`/api/exports/${entry.id}/file`"
              download
            >
              download
            </a>
            <button
              v-if="entry.state !== 'cancelled'"
              class="plain underline"
              :aria-label="`${working(entry) ? 'cancel' : 'delete'} ${entry.file_name}`"
              @click="cancel(entry.id)"
            >
              {{ working(entry) ? 'cancel' : 'delete' }}
            </button>
          </li>
        </ul>
      </DialogPanel>
    </div>
  </Dialog>
</template>
