<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'

/** A dialog with one thing that is done at its end, or left. */
withDefaults(
  defineProps<{
    open: boolean
    title: string
    /** What is done. */
    action: string
    /** Why it cannot be done yet. */
    lacks?: string
    busy?: boolean
    /** In pixels. */
    width?: number
  }>(),
  { lacks: '', width: 480 },
)
const emit = defineEmits<{ close: []; done: [] }>()
</script>

<template>
  <Dialog v-if="open" :open="true" class="relative z-40" @close="emit('close')">
    <div class="fixed inset-0 bg-black/40" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center p-4">
      <DialogPanel
        class="flex max-h-full flex-col overflow-y-auto rounded-md bg-paper p-6"
        :style="{ width: `${width}px` }"
      >
        <DialogTitle class="mb-2 font-read text-xl">{{ title }}</DialogTitle>
        <slot />
        <div class="mt-4 flex justify-end gap-2">
          <button type="button" class="button" @click="emit('close')">Leave it</button>
          <button
            type="button"
            class="button button-main"
            :disabled="!!lacks || busy"
            :data-tip="lacks"
            @click="emit('done')"
          >
            {{ busy ? 'One moment…' : action }}
          </button>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
