<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { api, type Schema } from '../api/client'
import { useNotices } from '../stores/notices'
import AskedFor from './AskedFor.vue'

/** Compare chosen portraits by the light on the face, and bring them to that of one of them. */
const props = defineProps<{ open: boolean; sitting: string; chosen: { id: string; name: string }[] }>()
const emit = defineEmits<{ close: []; done: [] }>()
type Drift = Schema['DriftOut']
const notices = useNotices()
const like = ref('')
const drifts = shallowRef<Drift[] | null>(null)
const to = ref<string[]>([])
const trouble = ref('')
const busy = ref(false)
const params = computed(() => ({ path: { sitting_id: props.sitting } }))
const others = computed(() => props.chosen.filter((p) => p.id !== like.value).map((p) => p.id))
const lacks = computed(() => (to.value.length ? '' : 'Choose a portrait that is to be corrected'))

watch(
  () => props.open,
  (open) => {
    if (!open) return
    like.value = props.chosen[0]?.id ?? ''
    void compare()
  },
)
async function compare() {
  drifts.value = null
  to.value = []
  trouble.value = ''
  const asked = like.value
  try {
    const { data } = await api.POST('/api/sittings/{sitting_id}/drifts', {
      params: params.value,
      body: { like: asked, to: others.value },
    })
    if (asked !== like.value) return
    drifts.value = data!
    // Another person's skin is another colour in the same light: that is for the photographer to say.
    to.value = data!.filter((d) => d.seen && d.same).map((d) => d.portrait)
  } catch (error) {
    trouble.value = (error as Error).message
  }
}
async function correct() {
  busy.value = true
  try {
    await api.POST('/api/sittings/{sitting_id}/same-light', {
      params: params.value,
      body: { like: like.value, to: to.value },
    })
    const many = to.value.length
    notices.say(
      `${many} ${many === 1 ? 'portrait has' : 'portraits have'} the same light now; each can be undone.`,
    )
    emit('done')
    emit('close')
  } catch (error) {
    notices.complain(error)
  }
  busy.value = false
}
function signed(value: number, digits: number, unit: string) {
  const text = Math.abs(value).toFixed(digits)
  return Number(text) === 0 ? `0${unit}` : `${value < 0 ? '−' : '+'}${text}${unit}`
}
</script>

<template>
  <AskedFor
    :open="open"
    :title="`The same light on ${chosen.length} portraits`"
    :action="`Correct ${to.length}`"
    :lacks="lacks"
    :busy="busy"
    :width="720"
    @close="emit('close')"
    @done="correct"
  >
    <p class="mb-3 text-quiet">
      Measured on the skin of the face, after what balances the whole picture already. The correction is made
      of ordinary touches, the first on each sheet.
    </p>
    <label class="mb-3 flex items-center gap-3">
      to be like
      <select v-model="like" class="field grow" @change="compare">
        <option v-for="one in chosen" :key="one.id" :value="one.id">{{ one.name }}</option>
      </select>
    </label>
    <p v-if="trouble" class="mb-3 text-care" role="alert">{{ trouble }}</p>
    <p v-else-if="drifts === null" class="mb-3 text-quiet">Being compared…</p>
    <div v-else class="mb-4 min-h-0 overflow-y-auto">
      <table class="w-full">
        <thead class="text-left text-quiet">
          <tr>
            <th class="w-8"><span class="sr-only">to be corrected</span></th>
            <th class="py-1 font-normal">portrait</th>
            <th class="pl-4 text-right font-normal" data-tip="light to be added">light</th>
            <th class="pl-4 text-right font-normal" data-tip="how much warmer it is to be, in mired">
              warmth
            </th>
            <th class="pl-4 text-right font-normal" data-tip="towards magenta">tint</th>
            <th
              class="pl-4 text-right font-normal"
              data-tip="degrees by which its skin is lighter than there, now"
            >
              ITA
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in drifts" :key="one.portrait" class="border-t border-line" :data-drift="one.name">
            <td>
              <input
                v-model="to"
                type="checkbox"
                :value="one.portrait"
                class="size-4 accent-thread"
                :disabled="!one.seen"
                :aria-label="`Correct ${one.name}`"
              />
            </td>
            <td class="py-1">
              <span class="flex items-center gap-2">
                <img
                  :src="`/api/portraits/${one.portrait}/thumbnail`"
                  alt=""
                  class="size-9 bg-room object-cover"
                />
                <span class="min-w-0">
                  <span class="block truncate font-read text-[16px]">{{ one.name }}</span>
                  <span v-if="one.problem" class="text-care">{{ one.problem }}</span>
                  <span v-else-if="!one.seen" class="text-quiet">alike already</span>
                  <span v-else-if="!one.same" class="text-quiet">
                    not known to be the same sitter: skin differs by itself
                  </span>
                </span>
              </span>
            </td>
            <template v-if="!one.problem">
              <td class="pl-4 text-right whitespace-nowrap tabular-nums">
                {{ signed(one.ev, 2, ' EV') }}
              </td>
              <td class="pl-4 text-right whitespace-nowrap tabular-nums">
                {{ signed(one.warmth, 0, '') }}
              </td>
              <td class="pl-4 text-right whitespace-nowrap tabular-nums">
                {{ signed(one.tint, 1, '') }}
              </td>
              <td class="pl-4 text-right whitespace-nowrap tabular-nums">
                {{ signed(one.ita, 0, '°') }}
              </td>
            </template>
            <td v-else colspan="4" />
          </tr>
        </tbody>
      </table>
    </div>
  </AskedFor>
</template>
