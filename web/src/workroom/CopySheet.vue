<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, type Portrait } from '../api/client'
import type { Touch } from '../sheet/types'
import { useNotices } from '../stores/notices'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** Copy the picked touches, with their areas, to other portraits of the sitting. */
const props = defineProps<{ open: boolean; touches: Touch[] }>()
const emit = defineEmits<{ close: [] }>()
const sheet = useSheet()
const room = useRoom()
const notices = useNotices()
const others = shallowRef<Portrait[]>([])
const to = ref<string[]>([])
const busy = ref(false)
const waiting = computed(() => (sheet.saving === 'saved' ? '' : 'Wait until the sheet is saved.'))

watch(
  () => props.open,
  async (open) => {
    if (!open || !sheet.portrait) return
    to.value = []
    try {
      const { data } = await api.GET('/api/sittings/{sitting_id}', {
        params: { path: { sitting_id: sheet.portrait.sitting } },
      })
      others.value = data!.portraits.filter((p) => p.id !== sheet.portrait!.id)
    } catch (error) {
      notices.complain(error)
    }
  },
)

async function copy() {
  busy.value = true
  const look: string[] = []
  let done = 0
  try {
    for (const portrait of to.value) {
      const { data } = await api.POST('/api/portraits/{portrait_id}/copies', {
        params: { path: { portrait_id: sheet.portrait!.id } },
        body: { touches: props.touches.map((t) => t.id), to: portrait },
      })
      done += 1
      const name = others.value.find((p) => p.id === portrait)!.name
      look.push(...data!.needs_look.map((area) => `${area} (${name})`))
    }
    room.selected = []
    emit('close')
  } catch (error) {
    notices.complain(error)
  }
  busy.value = false
  if (!done) return
  const where = `Copied to ${done} ${done === 1 ? 'portrait' : 'portraits'}.`
  notices.say(look.length ? `${where} Placed by hand, so they need a look there: ${look.join(', ')}.` : where)
}
</script>

<template>
  <Dialog v-if="open" :open="true" class="relative z-40" @close="emit('close')">
    <div class="fixed inset-0 bg-black/40" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center p-4">
      <DialogPanel class="w-[440px] rounded-md bg-paper p-6">
        <DialogTitle class="mb-2 font-read text-xl">
          Copy {{ touches.length }} {{ touches.length === 1 ? 'touch' : 'touches' }} to
        </DialogTitle>
        <p class="mb-3 text-quiet">
          Areas that find themselves do so again there; those placed by hand are marked for a look. Each copy
          is one edit, and can be undone there.
        </p>
        <p v-if="!others.length" class="mb-3">There is no other portrait in this sitting.</p>
        <div v-else class="mb-4 max-h-72 overflow-y-auto">
          <label v-for="portrait in others" :key="portrait.id" class="flex min-h-7 items-center gap-2">
            <input v-model="to" type="checkbox" :value="portrait.id" class="size-4 accent-thread" />
            {{ portrait.name }}
          </label>
        </div>
        <div class="flex justify-end gap-2">
          <button type="button" class="button" @click="emit('close')">Leave it</button>
          <button
            type="button"
            class="button button-main"
            :disabled="!to.length || busy || !!waiting"
            :data-tip="waiting || (to.length ? '' : 'Choose a portrait')"
            @click="copy"
          >
            {{ busy ? 'Copying…' : 'Copy' }}
          </button>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
