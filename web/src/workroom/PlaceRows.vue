<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import { computed } from 'vue'
import { FOUND, namesOf } from '../sheet/found'
import { useFound } from '../stores/found'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** Rows of a menu: the areas of the sheet but one, then what was found. */
defineProps<{ except: string | null }>()
const emit = defineEmits<{ area: [id: string]; found: [name: string] }>()
const sheet = useSheet()
const room = useRoom()
const found = useFound()
const names = computed(() => namesOf(found.faces, found.state.person, 0))
</script>

<template>
  <MenuItem v-for="area in sheet.areas.filter((a) => a.id !== except)" :key="area.id" v-slot="{ active }">
    <button
      class="menu-row"
      :class="{ 'bg-inset': active }"
      @click="emit('area', area.id)"
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
        <button class="menu-row w-auto!" :class="{ 'bg-inset': active }" @click="emit('found', name)">
          {{ FOUND[name]!.words }}
        </button>
      </MenuItem>
    </div>
  </template>
</template>
