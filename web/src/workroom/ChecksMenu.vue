<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import { computed, onMounted } from 'vue'
import { api } from '../api/client'
import FloatPanel from '../controls/FloatPanel.vue'
import NumberField from '../controls/NumberField.vue'
import PrintSize from '../controls/PrintSize.vue'
import { useNotices } from '../stores/notices'
import { type Look, useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { LOOKS } from '../stores/looks'
import { usePresses } from '../stores/presses'

/** Ways of looking that never enter the result. */
const room = useRoom()
const sheet = useSheet()
const notices = useNotices()
const presses = usePresses()
// A layer is shown from beside its size in the open touch.
const names = (Object.keys(LOOKS) as Look[]).filter((look) => look !== 'layer')
const on = computed(() => room.look !== 'plain')
const unit = computed(() => Math.max(sheet.portrait?.facts?.width ?? 1, sheet.portrait?.facts?.height ?? 1))
/** The print, asked for once and kept. */
const print = useLocalStorage('needlepoint-print', { size: 30, distance: 40 }, { mergeDefaults: true })

function toggle(look: Look) {
  room.look = room.look === look ? 'plain' : look
}
function proof(into: 'srgb' | 'display-p3') {
  room.check.into = into
  room.check.press = null
}
onMounted(() => presses.list ?? presses.fetch().catch(notices.complain))
/** The detail of a print that is seen from some distance. */
async function forPrint() {
  try {
    const { data } = await api.GET('/api/detail', { params: { query: print.value } })
    room.check.pixels = Math.min(unit.value, data!.pixels)
    room.look = 'final'
  } catch (error) {
    notices.complain(error)
  }
}
function forWeb(pixels: number) {
  room.check.pixels = pixels
  room.look = 'final'
}
</script>

<template>
  <FloatPanel
    :button="`button min-h-7 ${on ? 'button-main' : ''}`"
    panel="w-[400px] p-2"
    tip="ways of looking that never enter the result"
    ><template #button>{{ on ? LOOKS[room.look]!.name : 'checks' }}</template>
    <button
      v-for="name in names"
      :key="name"
      class="menu-row flex! gap-2"
      :class="room.look === name ? 'bg-inset font-semibold' : 'hover:bg-inset'"
      :aria-pressed="room.look === name"
      :data-look="name"
      @click="toggle(name)"
    >
      <span class="w-28 shrink-0">{{ LOOKS[name]!.name }}</span>
      <span class="font-normal text-quiet">{{ LOOKS[name]!.does }}</span>
    </button>
    <div class="my-1.5 border-t border-dotted border-rule"></div>
    <NumberField
      v-if="room.look === 'shading' || room.look === 'texture'"
      :model-value="Number((room.check.size * 100).toFixed(1))"
      label="parted at"
      :low="0.2"
      :high="8"
      :soft="3"
      :step="0.1"
      unit="%"
      @attempt="room.check.size = $event / 100"
      @change="room.check.size = $event / 100"
    />
    <div v-if="room.look === 'proof'" class="group-buttons" role="group" aria-label="Output profile">
      <button :aria-pressed="!room.check.press && room.check.into === 'srgb'" @click="proof('srgb')">
        sRGB
      </button>
      <button
        :aria-pressed="!room.check.press && room.check.into === 'display-p3'"
        @click="proof('display-p3')"
      >
        Display P3
      </button>
    </div>
    <label v-if="room.look === 'proof' && presses.list?.length" class="mt-1.5 flex items-center gap-2">
      on paper
      <select v-model="room.check.press" class="field min-w-0 grow">
        <option :value="null">no</option>
        <option v-for="one in presses.list" :key="one.id" :value="one.id">{{ one.name }}</option>
      </select>
    </label>
    <div v-if="room.look === 'final'" class="space-y-1.5">
      <p>
        {{ room.check.pixels }} px of {{ unit }} on the long side will be seen: anything finer than
        {{ (unit / room.check.pixels).toFixed(1) }} px of the original will not.
      </p>
      <div class="group-buttons" role="group" aria-label="For the web">
        <button
          v-for="px in [1080, 1600, 2400]"
          :key="px"
          :aria-pressed="room.check.pixels === px"
          @click="forWeb(px)"
        >
          {{ px }} px
        </button>
      </div>
      <div class="flex items-center gap-1.5">
        print
        <PrintSize v-model="print" /> <button class="button px-2" @click="forPrint">show</button>
      </div>
    </div>
    <label class="mt-1 flex min-h-7 items-center gap-2 px-2">
      <input v-model="room.histogram" type="checkbox" class="size-4 accent-thread" /> histogram
    </label>
    <label class="flex min-h-7 items-center gap-2 px-2">
      <input v-model="room.gauges" type="checkbox" class="size-4 accent-thread" /> natural measures of what is
      open
    </label>
  </FloatPanel>
</template>
