<script setup lang="ts">
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/vue'
import { computed, ref } from 'vue'
import type { Kind } from '../api/client'
import { useSheet } from '../stores/sheet'
import { useActions } from '../edits/actions'

type Choice = Kind['starts'][number] & { kind: Kind }

const sheet = useSheet()
const actions = useActions()
const query = ref('')

const all = computed<Choice[]>(() =>
  sheet.kinds.flatMap((kind) => kind.starts.map((start) => ({ kind, ...start }))),
)
const found = computed(() => {
  const words = query.value.toLowerCase().split(/\s+/).filter(Boolean)
  return all.value.filter((choice) => {
    const text = [choice.title, choice.kind.title, choice.where, ...choice.needs].join(' ').toLowerCase()
    return words.every((word) => text.includes(word))
  })
})

function start(choice: Choice | null) {
  if (!choice) return
  query.value = ''
  void actions.startTouch(choice.kind, choice)
  // The list hands the focus back to its field, which would unfold it again.
  setTimeout(() => (document.activeElement as HTMLElement | null)?.blur(), 30)
}
</script>

<template>
  <Combobox
    v-slot="{ open }"
    :model-value="null"
    nullable
    immediate
    as="div"
    class="relative"
    @update:model-value="start"
  >
    <ComboboxInput
      class="field min-h-9 w-full bg-white pr-8 pl-3"
      placeholder="What does it need? “lift shadows”, “skin”…"
      aria-label="What does the picture need?"
      data-start
      autocomplete="off"
      :display-value="() => query"
      @change="query = $event.target.value"
      @keydown.esc="($event.target as HTMLElement).blur()"
    />
    <span v-if="!open" class="pointer-events-none absolute top-2 right-3 text-quiet" aria-hidden="true"
      >/</span
    >
    <ComboboxOptions v-if="found.length" class="choices">
      <ComboboxOption
        v-for="choice in found"
        :key="choice.kind.kind + choice.title"
        v-slot="{ active }"
        :value="choice"
      >
        <div class="flex min-h-8 items-baseline gap-2 rounded-sm px-2 py-1" :class="{ 'bg-inset': active }">
          <span class="grow font-read text-[16px]">{{ choice.title }}</span>
          <span class="text-quiet">{{ choice.where || choice.kind.title.toLowerCase() }}</span>
        </div>
      </ComboboxOption>
    </ComboboxOptions>
    <p v-else-if="open" class="choices px-3 py-2 text-quiet" role="status">
      Nothing here does that yet. Try “shadows”, “yellow” or “contrast”.
    </p>
  </Combobox>
</template>

<style>
.choices {
  position: absolute;
  z-index: 30;
  margin-top: 4px;
  max-height: 20rem;
  width: 100%;
  overflow: auto;
  border: 1px solid var(--color-rule);
  border-radius: 4px;
  background: var(--color-paper);
  padding: 4px;
}
</style>
