<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import { computed } from 'vue'
import type { Setting } from '../api/client'
import Float from '../controls/Float.vue'
import { useActions } from '../edits/actions'
import type { Touch } from '../sheet/types'
import { useSheet } from '../stores/sheet'
import PlaceRows from './PlaceRows.vue'

/** An area that a setting names: one of the sheet's, or something found. */
const props = defineProps<{ touch: Touch; setting: Setting }>()
const sheet = useSheet()
const actions = useActions()

const NOTHING = 'nothing'
const now = computed(() => props.touch.settings[props.setting.name] as string | null)
const words = computed(() => (now.value ? (sheet.area(now.value)?.name ?? NOTHING) : NOTHING))
const choose = (area: string | null) => actions.setSettings(props.touch, { [props.setting.name]: area })
</script>

<template>
  <p class="mb-1 flex min-h-6 items-center gap-1" :data-tip="setting.description || undefined">
    <span class="text-quiet">{{ setting.title }}:</span>
    <Float button="plain" :label="`${setting.title}: ${words}`" list="w-56"
      ><template #button
        ><strong class="font-medium">{{ words }}</strong></template
      >
      <MenuItem v-slot="{ active }">
        <button class="menu-row" :class="{ 'bg-inset': active }" @click="choose(null)">{{ NOTHING }}</button>
      </MenuItem>
      <PlaceRows
        :except="touch.area"
        @area="choose"
        @found="(name: string) => actions.nameFound(touch, setting.name, name)"
      />
    </Float>
  </p>
</template>
