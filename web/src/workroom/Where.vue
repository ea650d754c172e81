<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import type { Touch } from '../sheet/types'
import { WHOLE, whereWords } from '../sheet/words'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from './actions'

defineProps<{ touch: Touch }>()
const sheet = useSheet()
const room = useRoom()
const actions = useActions()
const BY: [string, string][] = [
  ['outline', 'Draw an outline'],
  ['pool', 'An ellipse'],
  ['fade', 'A fade'],
  ['colour', 'Some colours'],
  ['tones', 'Some tones'],
  ['alike', 'What is alike'],
]
</script>

<template>
  <Menu as="span" class="relative inline-block">
    <MenuButton
      class="where cursor-pointer text-left"
      :aria-label="`Where: ${whereWords(touch.area, sheet.areas)}`"
    >
      {{ whereWords(touch.area, sheet.areas) }}
    </MenuButton>
    <MenuItems
      class="absolute top-full left-0 z-30 mt-1 w-60 rounded-md border border-rule bg-paper p-1 font-sans text-[13px] font-normal"
    >
      <MenuItem v-if="touch.area" v-slot="{ active }">
        <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.openArea(touch.area)">
          Open this area
        </button>
      </MenuItem>
      <MenuItem v-if="touch.area" v-slot="{ active }">
        <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.place(touch, null)">
          {{ WHOLE }}
        </button>
      </MenuItem>
      <MenuItem
        v-for="area in sheet.areas.filter((a) => a.id !== touch.area)"
        :key="area.id"
        v-slot="{ active }"
      >
        <button
          class="menu-row"
          :class="{ 'bg-inset': active }"
          @click="actions.place(touch, area.id)"
          @pointerenter="room.hoverArea = area.id"
          @pointerleave="room.hoverArea = null"
        >
          {{ area.name || 'an unnamed area' }}
        </button>
      </MenuItem>
      <div class="my-1 border-t border-dotted border-rule" role="separator"></div>
      <MenuItem v-slot="{ active }">
        <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.paintNew(touch)">
          Paint a new area
        </button>
      </MenuItem>
      <MenuItem v-slot="{ active }">
        <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.paintAway(touch)">
          Everything, then paint away
        </button>
      </MenuItem>
      <MenuItem v-for="[source, words] in BY" :key="source" v-slot="{ active }">
        <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.makeFrom(source, touch)">
          {{ words }}
        </button>
      </MenuItem>
    </MenuItems>
  </Menu>
</template>

<style>
.menu-row {
  display: block;
  width: 100%;
  min-height: 28px;
  border-radius: 3px;
  padding: 3px 8px;
  text-align: left;
}
.menu-row:disabled {
  color: var(--color-quiet);
}
</style>
