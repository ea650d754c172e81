<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import Float from '../controls/Float.vue'
import { ChevronDown } from '@lucide/vue'
import { computed } from 'vue'
import { type BeforeOf, useRoom } from '../stores/room'
import { useHistory } from '../stores/history'
import { useSheet } from '../stores/sheet'
import { beforeWords } from '../stores/looks'

/** What *before* is: the original, the sheet without something, a mark, or another take. */
const room = useRoom()
const sheet = useSheet()
const history = useHistory()

const path = computed(() => sheet.touch(room.openTouch)?.path)
const choices = computed(() => {
  const list: { of: BeforeOf; off: string }[] = [
    { of: { kind: 'original' }, off: '' },
    { of: { kind: 'touch' }, off: path.value ? '' : 'No touch is open' },
    { of: { kind: 'set' }, off: (path.value?.length ?? 0) > 2 ? '' : 'The open touch is in no set' },
  ]
  for (const mark of history.marks)
    list.push({ of: { kind: 'edit', edit: mark.edit, words: `the mark “${mark.name}”` }, off: '' })
  for (const take of history.takes)
    if (take.id !== history.take)
      list.push({ of: { kind: 'edit', edit: take.head, words: `the take “${take.name}”` }, off: '' })
  return list
})
const same = (a: BeforeOf) => JSON.stringify(a) === JSON.stringify(room.beforeOf)
</script>

<template>
  <Float
    class="flex"
    button="button min-h-7 rounded-l-none border-l-0 px-1.5"
    :label="`What before is: ${beforeWords(room.beforeOf)}`"
    :tip="`Before is: ${beforeWords(room.beforeOf)}`"
    list="w-64"
    @press="history.load()"
    ><template #button><ChevronDown :size="14" /></template>
    <p class="px-2 py-1 text-quiet">Before is</p>
    <MenuItem v-for="(choice, i) in choices" :key="i" v-slot="{ active }" :disabled="!!choice.off">
      <button
        class="menu-row"
        :class="{ 'bg-inset': active, 'font-semibold': same(choice.of) }"
        :disabled="!!choice.off"
        :data-tip="choice.off"
        @click="room.beforeOf = choice.of"
      >
        {{ beforeWords(choice.of) }}
      </button>
    </MenuItem>
    <p v-if="choices.length === 3" class="px-2 py-1 text-quiet">
      Marks and takes are made in the history; they can be compared with here.
    </p>
  </Float>
</template>
