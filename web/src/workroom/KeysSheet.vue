<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import type { KeySection } from './keys'

defineProps<{ open: boolean; sections: KeySection[] }>()
defineEmits<{ close: [] }>()
</script>

<template>
  <Dialog v-if="open" :open="true" class="relative z-40" @close="$emit('close')">
    <div class="fixed inset-0 bg-black/40" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center p-4">
      <DialogPanel class="max-h-[90vh] w-[760px] overflow-auto rounded-md bg-paper p-6">
        <div class="mb-4 flex justify-between">
          <DialogTitle class="font-read text-xl">Keys</DialogTitle>
          <button class="button" @click="$emit('close')">Close</button>
        </div>
        <div class="gap-x-8 sm:columns-2">
          <section v-for="group in sections" :key="group.title" class="mb-4 break-inside-avoid">
            <h3 class="mb-1 font-semibold">{{ group.title }}</h3>
            <dl class="grid grid-cols-[118px_1fr] gap-y-1">
              <template v-for="row in group.rows" :key="row.shown">
                <dt class="text-quiet">{{ row.shown }}</dt>
                <dd>{{ row.words }}</dd>
              </template>
            </dl>
          </section>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
