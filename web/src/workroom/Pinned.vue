<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import { computed } from 'vue'
import type { Setting } from '../api/client'
import Float from '../controls/Float.vue'
import { useActions } from '../edits/actions'
import { FOUND, namesOf } from '../sheet/found'
import type { Touch } from '../sheet/types'
import { useFound } from '../stores/found'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** An area that a setting names: one of the sheet's, or something found. */
const props = defineProps<{ touch: Touch; setting: Setting }>()
const sheet = useSheet()
const room = useRoom()
const found = useFound()
const actions = useActions()

const NOTHING = 'nothing'
const now = computed(() => props.touch.settings[props.setting.name] as string | null)
const words = computed(() => (now.value ? (sheet.area(now.value)?.name ?? NOTHING) : NOTHING))
const names = computed(() => namesOf(found.faces, found.state.person, 0))
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
      <MenuItem
        v-for="area in sheet.areas.filter((a) => a.id !== touch.area)"
        :key="area.id"
        v-slot="{ active }"
      >
        <button
          class="menu-row"
          :class="{ 'bg-inset': active }"
          @click="choose(area.id)"
          @pointerenter="room.hoverArea = area.id"
          @pointerleave="room.hoverArea = null"
        >
          {{ area.name || 'an unnamed area' }}
        </button>
      </MenuItem>
      <div v-if="names.length" class="flex flex-wrap border-t border-dotted border-rule">
        <MenuItem v-for="name in names" :key="name" v-slot="{ active }">
          <button
            class="menu-row w-auto!"
            :class="{ 'bg-inset': active }"
            @click="actions.nameFound(touch, setting.name, name)"
          >
            {{ FOUND[name]!.words }}
          </button>
        </MenuItem>
      </div>
    </Float>
  </p>
</template>
