<script setup lang="ts">
import { ref, watch } from 'vue'
import { api, type Schema } from '../api/client'
import { useNotices } from '../stores/notices'
import AskedFor from './AskedFor.vue'

/** What the files of a sitting say of themselves. */
const props = defineProps<{ open: boolean; sitting: string; credits: Schema['CreditsIn'] }>()
const emit = defineEmits<{ close: []; done: [] }>()
const notices = useNotices()
const FIELDS: { name: keyof Schema['CreditsIn']; words: string; hint: string }[] = [
  { name: 'title', words: 'title', hint: '{sitting}: {name}' },
  { name: 'creator', words: 'photographer', hint: '' },
  { name: 'rights', words: 'rights', hint: '© and whose' },
  { name: 'email', words: 'e-mail', hint: '' },
  { name: 'web', words: 'web page', hint: '' },
]
const said = ref<Schema['CreditsIn']>({ ...props.credits })
const busy = ref(false)

watch(
  () => props.open,
  (open) => open && (said.value = { ...props.credits }),
)
async function keep() {
  busy.value = true
  try {
    await api.PATCH('/api/sittings/{sitting_id}', {
      params: { path: { sitting_id: props.sitting } },
      body: { credits: said.value },
    })
    emit('done')
    emit('close')
  } catch (error) {
    notices.complain(error)
  }
  busy.value = false
}
</script>

<template>
  <AskedFor
    :open="open"
    title="Names and rights"
    action="Keep"
    :busy="busy"
    :width="520"
    @close="emit('close')"
    @done="keep"
  >
    <p class="mb-3 text-quiet">
      Every file of this sitting that is made from now on says so, as EXIF and as XMP by IPTC Core. In the
      title,
      {{ '{name}' }} and {{ '{sitting}' }} stand for the portrait’s and the sitting’s.
    </p>
    <label v-for="one in FIELDS" :key="one.name" class="mb-2 flex items-center gap-3">
      <span class="w-28">{{ one.words }}</span>
      <input v-model="said[one.name]" class="field grow" maxlength="400" :placeholder="one.hint" />
    </label>
  </AskedFor>
</template>
