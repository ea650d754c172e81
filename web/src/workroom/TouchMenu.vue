<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import { Ellipsis } from '@lucide/vue'
import { computed, ref } from 'vue'
import Ask from '../controls/Ask.vue'
import Float from '../controls/Float.vue'
import { useActions } from '../edits/actions'
import type { Touch } from '../sheet/types'

/** Whatever else can be done with a touch. */
const props = defineProps<{ touch: Touch; number: number; depth: number; first: boolean; last: boolean }>()
const actions = useActions()
const naming = ref(false)
const noting = ref(false)
const words = computed(() => actions.say(props.touch))
</script>

<template>
  <Float class="ml-auto" :label="`More for touch ${number}`" placement="bottom-end"
    ><template #button><Ellipsis :size="16" /></template>
    <MenuItem v-slot="{ active }">
      <button class="menu-row" :class="{ 'bg-inset': active }" @click="naming = true">Rename…</button>
    </MenuItem>
    <MenuItem v-slot="{ active }">
      <button class="menu-row" :class="{ 'bg-inset': active }" @click="noting = true">
        {{ touch.note ? 'Change its note…' : 'Add a note…' }}
      </button>
    </MenuItem>
    <MenuItem v-if="depth > 0" v-slot="{ active }">
      <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.moveOut(touch)">
        Move out of the set
      </button>
    </MenuItem>
    <template v-for="by in [-1, 1]" :key="by">
      <MenuItem v-if="actions.setBeside(touch, by)" v-slot="{ active }">
        <button
          class="menu-row"
          :class="{ 'bg-inset': active }"
          @click="actions.moveInto(touch, actions.setBeside(touch, by)!, by)"
        >
          Move into the set {{ by < 0 ? 'before' : 'after' }} it
        </button>
      </MenuItem>
    </template>
    <MenuItem v-if="touch.kind === 'set'" v-slot="{ active }">
      <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.takeApart(touch)">
        Take the set apart
      </button>
    </MenuItem>
    <MenuItem v-if="touch.name" v-slot="{ active }">
      <button
        class="menu-row"
        :class="{ 'bg-inset': active }"
        @click="actions.setTouch(touch, 'name', '', 'named by its sentence again')"
      >
        Name it by its sentence
      </button>
    </MenuItem>
    <MenuItem v-slot="{ active }">
      <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.duplicateTouch(touch)">
        Duplicate
      </button>
    </MenuItem>
    <MenuItem v-slot="{ active }" :disabled="first">
      <button
        class="menu-row"
        :disabled="first"
        :data-tip="first ? 'It is the first already' : ''"
        :class="{ 'bg-inset': active }"
        @click="actions.moveTouch(touch, -1)"
      >
        Move earlier
      </button>
    </MenuItem>
    <MenuItem v-slot="{ active }" :disabled="last">
      <button
        class="menu-row"
        :disabled="last"
        :data-tip="last ? 'It is the last already' : ''"
        :class="{ 'bg-inset': active }"
        @click="actions.moveTouch(touch, 1)"
      >
        Move later
      </button>
    </MenuItem>
    <MenuItem v-slot="{ active }">
      <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.deleteTouch(touch)">
        Delete
      </button>
    </MenuItem>
  </Float>
  <Ask
    :open="naming"
    title="Name this touch"
    field="Its name"
    :value="touch.name || words"
    action="Rename"
    @close="naming = false"
    @done="((naming = false), actions.setTouch(touch, 'name', $event, `named: ${$event}`))"
  />
  <Ask
    :open="noting"
    title="A note on this touch"
    field="Note"
    :value="touch.note ?? ''"
    action="Keep"
    optional
    :most="2000"
    @close="noting = false"
    @done="((noting = false), actions.setTouch(touch, 'note', $event, `noted on: ${words}`))"
  />
</template>
