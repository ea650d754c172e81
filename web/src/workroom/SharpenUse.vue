<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import { ref } from 'vue'
import { api } from '../api/client'
import FloatPanel from '../controls/FloatPanel.vue'
import PrintSize from '../controls/PrintSize.vue'
import { useActions } from '../edits/actions'
import type { Touch } from '../sheet/types'
import { useNotices } from '../stores/notices'

/** Sharpening for a use: the final size or the print, the distance and the medium give radius and amount. */
const props = defineProps<{ touch: Touch }>()
const actions = useActions()
const notices = useNotices()
const print = useLocalStorage('needlepoint-print', { size: 30, distance: 40 }, { mergeDefaults: true })
const pixels = ref(1600)
type Medium = 'screen' | 'glossy paper' | 'matt paper'
const medium = ref<Medium>('screen')

async function use() {
  try {
    let seen = pixels.value
    if (medium.value !== 'screen') {
      const { data } = await api.GET('/api/detail', { params: { query: print.value } })
      seen = data!.pixels
    }
    const { data } = await api.GET('/api/sharpening', {
      params: { query: { pixels: Math.min(40000, Math.max(16, seen)), medium: medium.value } },
    })
    actions.setSettings(props.touch, data!)
  } catch (error) {
    notices.complain(error)
  }
}
</script>

<template>
  <FloatPanel placement="bottom-start" panel="w-72 space-y-2 p-3" label="Sharpen for a use"
    ><template #button>for a use…</template>
    <label class="flex items-center gap-2">
      <span class="w-[66px]">seen on</span>
      <select v-model="medium" class="field min-h-[26px] grow py-0">
        <option>screen</option>
        <option>glossy paper</option>
        <option>matt paper</option>
      </select>
    </label>
    <label v-if="medium === 'screen'" class="flex items-center gap-2">
      <span class="w-[66px]">long side</span>
      <input v-model.number="pixels" class="field w-20" inputmode="numeric" /> px
    </label>
    <div v-else class="flex items-center gap-1.5">
      <PrintSize v-model="print" />
    </div>
    <button class="button button-main" @click="use">take radius and amount</button>
  </FloatPanel>
</template>
