<script setup lang="ts">
import { useLocalStorage, watchDebounced } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, FILE, Problem, type Schema } from '../api/client'
import { useNotices } from '../stores/notices'
import AskedFor from './AskedFor.vue'
import FileFields from './FileFields.vue'

/** Order files of chosen portraits: one order or several, each with its own kind of file and names. */
const props = defineProps<{ open: boolean; sitting: string; chosen: string[] }>()
const emit = defineEmits<{ close: [] }>()
type Order = Schema['BatchOrderIn']
const MOST = 8
const PAUSE = 250
const FIELDS = ['name', 'sitting', 'sitter', 'number', 'date', 'file', 'order']
const WHAT: { what: Order['what']; words: string; alone?: boolean }[] = [
  { what: 'picture', words: 'finished pictures' },
  { what: 'masks', words: 'masks: each area as a grey PNG of 16 bit' },
  { what: 'sheet', words: 'sheets, as JSON' },
  { what: 'contact sheet', words: 'a contact sheet, as PDF', alone: true },
  { what: 'work report', words: 'a report of what was done, as PDF', alone: true },
]
const notices = useNotices()
const router = useRouter()
/** As they were ordered last. */
const orders = useLocalStorage<Order[]>('needlepoint-orders', [
  {
    ...FILE,
    what: 'picture',
    columns: 4,
    name: 'web',
    by: 'long',
    amount: 2048,
    sharpen: 'screen',
    pattern: '{sitting}/web/{name}',
  },
])
const shown = ref(0)
const names = shallowRef<Schema['NamesOut'] | null>(null)
const wrong = ref('')
const busy = ref(false)
const order = computed({
  get: () => orders.value[shown.value]!,
  set: (value) => (orders.value[shown.value] = value),
})
/** Whether it is one file of all portraits, which names itself. */
const alone = computed(() => WHAT.find((one) => one.what === order.value.what)?.alone)
const many = computed(() => `${props.chosen.length} ${props.chosen.length === 1 ? 'portrait' : 'portraits'}`)
const params = computed(() => ({ path: { sitting_id: props.sitting } }))
const body = computed<Schema['BatchIn']>(() => ({ to: props.chosen, orders: orders.value }))

watch(
  () => props.open,
  (open) => {
    if (!open) return
    shown.value = 0
    void preview()
  },
)
watchDebounced(orders, () => props.open && preview(), { debounce: PAUSE, deep: true })

/** How the files will be called, or why it cannot be. */
async function preview() {
  const asked = JSON.stringify(body.value)
  try {
    const { data } = await api.POST('/api/sittings/{sitting_id}/names', {
      params: params.value,
      body: body.value,
    })
    if (JSON.stringify(body.value) !== asked) return
    names.value = data!
    wrong.value = ''
  } catch (error) {
    if (error instanceof Problem && error.status === 422) wrong.value = error.message
    else notices.complain(error)
  }
}
function add() {
  orders.value = [
    ...orders.value,
    {
      ...FILE,
      what: 'picture',
      columns: 4,
      name: 'print',
      form: 'tiff',
      bits: 16,
      pattern: '{sitting}/print/{name}',
    },
  ]
  shown.value = orders.value.length - 1
}
function drop() {
  orders.value = orders.value.filter((_, i) => i !== shown.value)
  shown.value = Math.max(0, shown.value - 1)
}
async function go() {
  busy.value = true
  try {
    const { data } = await api.POST('/api/sittings/{sitting_id}/batches', {
      params: params.value,
      body: body.value,
    })
    emit('close')
    await router.push(`/batches/${data!.id}`)
  } catch (error) {
    notices.complain(error)
  }
  busy.value = false
}
</script>

<template>
  <AskedFor
    :open="open"
    :title="`Hand ${many} over as files`"
    action="Make the files"
    :lacks="wrong"
    :busy="busy"
    :width="560"
    @close="emit('close')"
    @done="go"
  >
    <div class="mb-3 flex items-center gap-2">
      <div class="group-buttons" role="tablist" aria-label="Orders">
        <button
          v-for="(one, i) in orders"
          :key="i"
          role="tab"
          :aria-selected="i === shown"
          @click="shown = i"
        >
          {{ one.name || `order ${i + 1}` }}
        </button>
      </div>
      <button
        class="plain"
        :disabled="orders.length >= MOST"
        :data-tip="orders.length >= MOST ? 'Eight orders at once' : ''"
        @click="add"
      >
        + another order
      </button>
      <button v-if="orders.length > 1" class="plain ml-auto text-quiet" @click="drop">leave this out</button>
    </div>
    <label class="mb-2 flex items-center gap-3">
      <span class="w-20">called</span>
      <input v-model="order.name" class="field grow" maxlength="40" />
    </label>
    <label class="mb-2 flex items-center gap-3">
      <span class="w-20">what</span>
      <select v-model="order.what" class="field grow">
        <option v-for="one in WHAT" :key="one.what" :value="one.what">{{ one.words }}</option>
      </select>
    </label>
    <FileFields v-if="(order.what ?? 'picture') === 'picture'" v-model="order" />
    <label v-if="order.what === 'contact sheet'" class="flex items-center gap-3">
      <span class="w-20">columns</span>
      <input v-model.number="order.columns" type="number" min="2" max="8" class="field w-20" />
    </label>
    <label v-if="!alone" class="mt-2 flex items-center gap-3">
      <span class="w-20">names</span>
      <input v-model="order.pattern" class="field grow" maxlength="200" aria-label="pattern of the names" />
    </label>
    <p v-if="!alone" class="mt-1 ml-[92px] flex flex-wrap gap-1 text-quiet">
      <button
        v-for="name in FIELDS"
        :key="name"
        class="plain"
        :data-tip="`put {${name}} at the end; a slash makes a folder`"
        @click="order.pattern += `{${name}}`"
      >
        {{ `{${name}\}` }}
      </button>
    </p>
    <div class="mt-2 ml-[92px] min-h-20" aria-live="polite" data-names>
      <p v-if="wrong" class="text-care" role="alert">{{ wrong }}</p>
      <template v-else-if="names">
        <p v-for="name in names.names[shown]?.slice(0, 3)" :key="name" class="truncate text-quiet">
          {{ name }}
        </p>
        <p>{{ names.count }} files in all; the originals stay as they are.</p>
      </template>
    </div>
  </AskedFor>
</template>
