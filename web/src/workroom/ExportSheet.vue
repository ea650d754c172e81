<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { computed, onBeforeUnmount, reactive, ref, watch } from 'vue'
import { api, type Export, type Schema } from '../api/client'
import NumberField from '../controls/NumberField.vue'
import { useNotices } from '../stores/notices'
import { useSheet } from '../stores/sheet'

const props = defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: [] }>()
const sheet = useSheet()
const notices = useNotices()

type Order = Omit<Schema['OrderIn'], 'revision'>
const order = reactive<Order>({ form: 'jpeg', bits: 8, into: 'srgb', quality: 92 })
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
watch(
  () => order.form,
  (form) => form === 'jpeg' && (order.bits = 8),
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
      body: { ...order, revision: sheet.revision },
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
          At full size, {{ facts?.width }} × {{ facts?.height }} px, upright, with the camera data of the
          original.
        </p>
        <div class="space-y-3">
          <label class="flex items-center gap-3">
            <span class="w-20">file</span>
            <select v-model="order.form" class="field grow">
              <option value="jpeg">JPEG</option>
              <option value="png">PNG</option>
              <option value="tiff">TIFF</option>
            </select>
          </label>
          <label
            class="flex items-center gap-3"
            :data-tip="order.form === 'jpeg' ? 'A JPEG holds 8 bits' : ''"
          >
            <span class="w-20">depth</span>
            <select v-model="order.bits" class="field grow" :disabled="order.form === 'jpeg'">
              <option :value="8">8 bit</option>
              <option :value="16">16 bit</option>
            </select>
          </label>
          <label class="flex items-center gap-3">
            <span class="w-20">colours</span>
            <select v-model="order.into" class="field grow">
              <option value="srgb">sRGB</option>
              <option value="display-p3">Display P3</option>
              <option value="original">as the original ({{ facts?.profile }})</option>
            </select>
          </label>
          <NumberField
            v-if="order.form === 'jpeg'"
            :model-value="order.quality"
            label="quality"
            :low="1"
            :high="100"
            :step="1"
            :neutral="92"
            @attempt="order.quality = $event"
            @change="order.quality = $event"
          />
        </div>
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
