<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import Float from '../controls/Float.vue'
import { computed } from 'vue'
import type { Touch } from '../sheet/types'
import { WHOLE, whereWords } from '../sheet/words'
import { useSheet } from '../stores/sheet'
import { useActions } from '../edits/actions'
import PlaceRows from './PlaceRows.vue'

defineProps<{ touch: Touch }>()
const sheet = useSheet()
const actions = useActions()
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
    <PlaceRows
      :except="touch.area"
      @area="(id: string) => actions.place(touch, id)"
      @found="(name: string) => actions.makeFound(name, 0, touch)"
    />
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
