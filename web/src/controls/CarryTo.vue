<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, type Schema } from '../api/client'
import { useNotices } from '../stores/notices'
import { usePresets } from '../stores/presets'
import AskedFor from './AskedFor.vue'

/** Carry touches of a portrait (`from`), or else a preset, over to portraits of a sitting. */
const props = defineProps<{
  open: boolean
  sitting: string
  from?: { portrait: string; revision: number; touches: string[] }
  /** Portraits that are chosen already; none: they are chosen here. */
  chosen?: string[]
  /** The sitter whom it is meant for, if those who are chosen are one's. */
  sitter?: number | null
  /** Why it cannot be done yet. */
  waiting?: string
}>()
const emit = defineEmits<{ close: [] }>()
const notices = useNotices()
const presets = usePresets()
const router = useRouter()
const others = shallowRef<Schema['NamedOut'][] | null>(null)
const sitters = shallowRef<Schema['SitterOut'][]>([])
const to = ref<string[]>([])
/** The sitter on whose portraits it is laid, on that face alone where others are there as well. */
const whom = ref<number | null>(null)
const preset = ref<number | null>(null)
const busy = ref(false)
const what = computed(() => {
  const many = props.from?.touches.length ?? 0
  return many ? `Carry ${many} ${many === 1 ? 'touch' : 'touches'} over to` : 'Carry a preset over'
})
const title = computed(() => {
  const many = props.chosen?.length
  return many ? `${what.value} to ${many} ${many === 1 ? 'portrait' : 'portraits'}` : what.value
})
const lacks = computed(() => {
  if (props.waiting) return props.waiting
  if (!props.from && preset.value === null) return 'Choose a preset'
  return to.value.length ? '' : 'Choose a portrait'
})

watch(
  () => props.open,
  async (open) => {
    if (!open) return
    to.value = props.chosen ?? []
    whom.value = props.sitter ?? null
    preset.value = null
    others.value = null
    if (!props.from) void presets.fetch()
    if (props.chosen) return
    try {
      const params = { path: { sitting_id: props.sitting } }
      sitters.value = (await api.GET('/api/sittings/{sitting_id}', { params })).data!.sitters.filter(
        (one) => one.name,
      )
      others.value = await there()
    } catch (error) {
      notices.complain(error)
    }
  },
)
/** The other portraits of the sitting, or of a sitter. */
async function there(sitter?: number) {
  const { data } = await api.GET('/api/sittings/{sitting_id}/index', {
    params: { path: { sitting_id: props.sitting }, query: { order: 'name', sitter } },
  })
  return data!.filter((p) => p.id !== props.from?.portrait)
}
async function allOf(sitter: number) {
  try {
    to.value = (await there(sitter)).map((p) => p.id)
    whom.value = sitter
  } catch (error) {
    notices.complain(error)
  }
}
function everybody() {
  to.value = to.value.length === others.value!.length ? [] : others.value!.map((p) => p.id)
  whom.value = null
}

async function carry() {
  busy.value = true
  const body: Schema['CarryIn'] = {
    to: to.value,
    touches: [],
    revision: 0,
    sitter: whom.value,
    ...props.from,
  }
  if (!props.from) body.preset = preset.value
  try {
    const { data } = await api.POST('/api/sittings/{sitting_id}/carry-overs', {
      params: { path: { sitting_id: props.sitting } },
      body,
    })
    emit('close')
    await router.push(`/carry-overs/${data!.id}`)
  } catch (error) {
    notices.complain(error)
  }
  busy.value = false
}
</script>

<template>
  <AskedFor
    :open="open"
    :title="title"
    action="Carry over"
    :lacks="lacks"
    :busy="busy"
    @close="emit('close')"
    @done="carry"
  >
    <p class="mb-3 text-quiet">
      Areas that find themselves do so again there, and sizes follow the face; what was placed by hand is
      marked for a look. Each portrait gets one edit, and you walk through them afterwards.
    </p>
    <div v-if="!from" class="mb-4 min-h-0 overflow-y-auto" role="radiogroup" aria-label="Presets">
      <p v-if="presets.list === null" class="text-quiet">Fetching your presets…</p>
      <p v-else-if="!presets.list.length">
        There is no preset yet. In a portrait, pick touches by Ctrl and a click, and save them as one.
      </p>
      <label
        v-for="one in presets.list ?? []"
        :key="one.id"
        class="flex min-h-12 items-center gap-3 rounded-sm p-1 hover:bg-inset"
      >
        <input v-model="preset" type="radio" :value="one.id" class="size-4 accent-thread" />
        <img
          v-if="one.pictured"
          :src="`/api/presets/${one.id}/after`"
          alt=""
          class="size-10 bg-room object-cover"
        />
        <span class="min-w-0">
          <span class="block font-read text-[16px]">{{ one.name }}</span>
          <span class="block truncate text-quiet">{{ one.notes }}</span>
        </span>
      </label>
    </div>
    <template v-if="!chosen">
      <p v-if="others === null" class="mb-3 text-quiet">Fetching the portraits…</p>
      <p v-else-if="!others.length" class="mb-3">There is no other portrait in this sitting.</p>
      <p v-if="others?.length && sitters.length" class="mb-2 flex flex-wrap gap-1">
        <button
          v-for="one in sitters"
          :key="one.id"
          type="button"
          class="button min-h-7 px-2"
          :aria-pressed="whom === one.id"
          data-tip="on this one’s face alone where others are there as well"
          @click="allOf(one.id)"
        >
          all of {{ one.name }}
        </button>
      </p>
      <div v-if="others?.length" class="mb-4 min-h-0 overflow-y-auto">
        <label class="flex min-h-7 items-center gap-2 font-semibold">
          <input
            type="checkbox"
            class="size-4 accent-thread"
            :checked="to.length === others.length"
            @change="everybody"
          />
          all of them
        </label>
        <label
          v-for="portrait in others"
          :key="portrait.id"
          class="flex min-h-7 items-center gap-2 [content-visibility:auto]"
        >
          <input v-model="to" type="checkbox" :value="portrait.id" class="size-4 accent-thread" />
          {{ portrait.name }}
        </label>
      </div>
    </template>
  </AskedFor>
</template>
