<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import Float from '../controls/Float.vue'
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
const names = computed(() => namesOf(found.faces, found.state.person, 0))
const offered = computed(() => sheet.sources.filter((s) => s.offer))
</script>

<template>
  <Float
    as="span"
    class="inline-block"
    button="where cursor-pointer text-left"
    :label="`Where: ${whereWords(touch.area, sheet.areas)}`"
    list="w-60"
    ><template #button>{{ whereWords(touch.area, sheet.areas) }}</template>
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
    <MenuItem v-for="source in offered" :key="source.source" v-slot="{ active }">
      <button
        class="menu-row"
        :class="{ 'bg-inset': active }"
        @click="actions.makeFrom(source.source, touch)"
      >
        {{ source.offer }}
      </button>
    </MenuItem>
  </Float>
</template>
