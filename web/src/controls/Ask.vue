<script setup lang="ts">
import { Dialog, DialogDescription, DialogPanel, DialogTitle } from '@headlessui/vue'
import { ref, watch } from 'vue'

const props = defineProps<{
  open: boolean
  title: string
  text?: string
  field?: string
  value?: string
  action: string
  /** Nothing is an answer too. */
  optional?: boolean
  /** The most characters. */
  most?: number
}>()
const emit = defineEmits<{ close: []; done: [value: string] }>()
const typed = ref('')
watch(
  () => props.open,
  (open) => open && (typed.value = props.value ?? ''),
)
function done() {
  if (props.field && !props.optional && !typed.value.trim()) return
  emit('done', typed.value.trim())
}
</script>

<template>
  <Dialog v-if="open" :open="true" class="relative z-40" @close="emit('close')">
    <div class="fixed inset-0 bg-black/40" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center p-4">
      <DialogPanel class="w-[400px] rounded-md bg-paper p-6">
        <form @submit.prevent="done">
          <DialogTitle class="mb-2 font-read text-xl">{{ title }}</DialogTitle>
          <DialogDescription v-if="text" class="mb-4 text-quiet">{{ text }}</DialogDescription>
          <label v-if="field" class="mb-5 block">
            {{ field }}
            <input v-model="typed" class="field mt-1 block w-full" :maxlength="most ?? 120" />
          </label>
          <div class="mt-4 flex justify-end gap-2">
            <button type="button" class="button" @click="emit('close')">Leave it</button>
            <button
              type="submit"
              class="button button-main"
              :disabled="!!field && !optional && !typed.trim()"
            >
              {{ action }}
            </button>
          </div>
        </form>
      </DialogPanel>
    </div>
  </Dialog>
</template>
