<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { computed, ref, watch } from 'vue'
import { api } from '../api/client'
import { useActions } from '../edits/actions'
import type { Touch } from '../sheet/types'
import { useNotices } from '../stores/notices'
import { usePresets } from '../stores/presets'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** Save the picked touches, with their areas, as a preset. */
const props = defineProps<{ open: boolean; touches: Touch[] }>()
const emit = defineEmits<{ close: [] }>()
const sheet = useSheet()
const room = useRoom()
const actions = useActions()
const notices = useNotices()
const presets = usePresets()
const name = ref('')
const notes = ref('')
const busy = ref(false)
const lacks = computed(() => {
  if (sheet.saving !== 'saved') return 'Wait until the sheet is saved.'
  return name.value.trim() ? '' : 'Give it a name'
})

watch(
  () => props.open,
  (open) => {
    if (!open) return
    name.value = props.touches.length === 1 ? actions.say(props.touches[0]!) : ''
    notes.value = ''
  },
)

async function save() {
  if (lacks.value || busy.value) return
  busy.value = true
  try {
    await api.POST('/api/portraits/{portrait_id}/saved', {
      params: { path: { portrait_id: sheet.portrait!.id } },
      body: {
        revision: sheet.revision,
        touches: props.touches.map((t) => t.id),
        name: name.value,
        notes: notes.value,
      },
    })
    room.selected = []
    emit('close')
    notices.say(`“${name.value.trim()}” is saved. It stands in the box above the sheet, on every portrait.`)
    await presets.fetch()
  } catch (error) {
    notices.complain(error)
  }
  busy.value = false
}
</script>

<template>
  <Dialog v-if="open" :open="true" class="relative z-40" @close="emit('close')">
    <div class="fixed inset-0 bg-black/40" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center p-4">
      <DialogPanel class="w-[440px] rounded-md bg-paper p-6">
        <form @submit.prevent="save">
          <DialogTitle class="mb-2 font-read text-xl">
            Save {{ touches.length }} {{ touches.length === 1 ? 'touch' : 'touches' }} as a preset
          </DialogTitle>
          <p class="mb-3 text-quiet">
            On another portrait, parts of faces, people, colours and tones find themselves again, and sizes
            follow the face there. What was placed by hand is marked for a look.
          </p>
          <label class="mb-3 block">
            Its name
            <input v-model="name" class="field mt-1 block w-full" maxlength="120" />
          </label>
          <label class="mb-4 block">
            Notes: when it serves, what to look at
            <textarea v-model="notes" class="field mt-1 block h-20 w-full" maxlength="2000" />
          </label>
          <div class="flex justify-end gap-2">
            <button type="button" class="button" @click="emit('close')">Leave it</button>
            <button type="submit" class="button button-main" :disabled="!!lacks || busy" :data-tip="lacks">
              {{ busy ? 'Saving…' : 'Save the preset' }}
            </button>
          </div>
        </form>
      </DialogPanel>
    </div>
  </Dialog>
</template>
