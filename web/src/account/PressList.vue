<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { api, pressFrom } from '../api/client'
import { useNotices } from '../stores/notices'
import { usePresses } from '../stores/presses'

/** Presses by their ICC profiles: for files in four inks, and for the soft proof. */
const notices = useNotices()
const presses = usePresses()
const chooser = ref<HTMLInputElement | null>(null)
const busy = ref(false)

onMounted(() => presses.fetch().catch(notices.complain))
async function does(what: () => Promise<unknown>) {
  busy.value = true
  try {
    await what()
    await presses.fetch()
  } catch (error) {
    notices.complain(error)
  }
  busy.value = false
}
function take() {
  const file = chooser.value?.files?.[0]
  if (file) void does(() => pressFrom(file))
  chooser.value!.value = ''
}
const drop = (id: number) =>
  does(() => api.DELETE('/api/presses/{press_id}', { params: { path: { press_id: id } } }))
</script>

<template>
  <section>
    <h2 class="mb-1 font-read text-xl">Presses</h2>
    <p class="mb-3 text-quiet">
      By the ICC profile that a printer gives you (CMYK), files are made in its four inks and seen beforehand
      as they will look on its paper.
    </p>
    <p v-if="presses.list && !presses.list.length" class="mb-3">None yet.</p>
    <ul class="mb-3">
      <li
        v-for="one in presses.list ?? []"
        :key="one.id"
        class="flex min-h-9 items-center gap-3 border-b border-line"
        :data-press="one.name"
      >
        <span class="grow truncate">{{ one.name }}</span>
        <button class="plain text-quiet" :aria-label="`Delete ${one.name}`" @click="drop(one.id)">
          delete
        </button>
      </li>
    </ul>
    <button class="button" :disabled="busy" @click="chooser?.click()">
      {{ busy ? 'One moment…' : 'Bring a profile in' }}
    </button>
    <input
      ref="chooser"
      type="file"
      accept=".icc,.icm"
      class="hidden"
      aria-label="Choose an ICC profile"
      @change="take"
    />
  </section>
</template>
