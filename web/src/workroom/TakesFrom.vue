<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import { computed } from 'vue'
import Float from '../controls/Float.vue'
import { useActions } from '../edits/actions'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import PlaceRows from './PlaceRows.vue'

/** Where patches look for what they take: round about, in an area of the sheet, or in something found. */
defineProps<{ except: string | null }>()
const room = useRoom()
const sheet = useSheet()
const actions = useActions()

const ROUND_ABOUT = 'what is round it'
const words = computed(() => {
  const area = sheet.area(room.nextPatch.within)
  return area ? area.name || 'an unnamed area' : ROUND_ABOUT
})
</script>

<template>
  <p class="flex min-h-6 items-center gap-1">
    <span class="text-quiet">takes from</span>
    <Float button="plain" :label="`takes from: ${words}`" list="w-56"
      ><template #button
        ><strong class="font-medium">{{ words }}</strong></template
      >
      <MenuItem v-slot="{ active }">
        <button class="menu-row" :class="{ 'bg-inset': active }" @click="room.nextPatch.within = null">
          {{ ROUND_ABOUT }}
        </button>
      </MenuItem>
      <PlaceRows
        :except="except"
        @area="room.nextPatch.within = $event"
        @found="room.nextPatch.within = actions.keepFound($event)"
      />
    </Float>
  </p>
</template>
