<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import { computed } from 'vue'
import Float from '../controls/Float.vue'
import { useSheet } from '../stores/sheet'
import PlaceRows from './PlaceRows.vue'

/** An area that something names: one of the sheet's but `except`, something found, or none, in words of its own. */
const props = defineProps<{ title: string; now: string | null; none: string; except: string | null }>()
const emit = defineEmits<{ choose: [area: string | null]; found: [name: string] }>()
const sheet = useSheet()

const words = computed(() => {
  const area = sheet.area(props.now)
  return area ? area.name || 'an unnamed area' : props.none
})
</script>

<template>
  <p class="flex min-h-6 items-center gap-1">
    <span class="text-quiet">{{ title }}:</span>
    <Float button="plain" :label="`${title}: ${words}`" list="w-56"
      ><template #button
        ><strong class="font-medium">{{ words }}</strong></template
      >
      <MenuItem v-slot="{ active }">
        <button class="menu-row" :class="{ 'bg-inset': active }" @click="emit('choose', null)">
          {{ none }}
        </button>
      </MenuItem>
      <PlaceRows :except="except" @area="emit('choose', $event)" @found="emit('found', $event)" />
    </Float>
  </p>
</template>
