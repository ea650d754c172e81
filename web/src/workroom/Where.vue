<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { computed } from 'vue'
import { FOUND, namesOf } from '../sheet/found'
import type { Touch } from '../sheet/types'
import { WHOLE, whereWords } from '../sheet/words'
import { useFound } from '../stores/found'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from '../edits/actions'

defineProps<{ touch: Touch }>()
const sheet = useSheet()
const room = useRoom()
const actions = useActions()
const found = useFound()
const names = computed(() => namesOf(found.faces, !!found.state.person, 0))
const BY: [string, string][] = [
  ['outline', 'Draw an outline'],
  ['pool', 'An ellipse'],
  ['fade', 'A fade'],
  ['colour', 'Some colours'],
  ['tones', 'Some tones'],
  ['alike', 'What is alike'],
  ['thing', 'A thing in the picture'],
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
      <template v-if="names.length">
        <div class="my-1 border-t border-dotted border-rule" role="separator"></div>
        <div class="flex flex-wrap">
          <MenuItem v-for="name in names" :key="name" v-slot="{ active }">
            <button
              class="menu-row w-auto!"
              :class="{ 'bg-inset': active }"
              @click="actions.makeFound(name, 0, touch)"
            >
              {{ FOUND[name]!.words }}
            </button>
          </MenuItem>
        </div>
      </template>
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
