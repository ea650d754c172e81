<script setup lang="ts">
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from './actions'
import AreaChain from './AreaChain.vue'
import Silhouette from './Silhouette.vue'

const sheet = useSheet()
const room = useRoom()
const actions = useActions()
</script>

<template>
  <aside
    class="flex h-full shrink-0 flex-col overflow-y-auto border-l border-line bg-paper"
    :class="room.chain ? 'w-[268px]' : 'w-[104px]'"
    aria-label="Areas"
  >
    <AreaChain v-if="room.chain && sheet.area(room.openArea)" :area="sheet.area(room.openArea)!" />
    <div v-else class="flex flex-col items-center gap-3 px-2 py-3">
      <h2 class="self-start pl-2 font-medium text-quiet">Areas</h2>
      <button
        v-for="area in sheet.areas"
        :key="area.id"
        class="flex w-full flex-col items-center gap-1 rounded-md py-1"
        :class="area.id === room.openArea ? 'font-semibold' : ''"
        :data-area="area.name"
        @pointerenter="room.hoverArea = area.id"
        @pointerleave="room.hoverArea = null"
        @click="((room.hoverArea = null), actions.openArea(area.id))"
      >
        <span
          class="rounded-full p-1"
          :class="area.id === room.openArea ? 'outline-2 outline-thread outline-dashed' : ''"
        >
          <Silhouette :area="area" :size="52" />
        </span>
        <span class="w-full px-1 text-center leading-tight break-words">{{ area.name || 'unnamed' }}</span>
      </button>
      <p v-if="!sheet.areas.length" class="px-1 text-center text-quiet">
        No area yet. A touch works on the whole picture until it has one.
      </p>
      <button class="plain" @click="actions.paintNew()">+ new area</button>
    </div>
  </aside>
</template>
