<script setup lang="ts">
import { computed } from 'vue'
import { useActions } from '../edits/actions'
import { useFound } from '../stores/found'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** What one may begin with on an empty sheet; nothing of it is needed. */
const sheet = useSheet()
const room = useRoom()
const found = useFound()
const actions = useActions()

const HOLDS = { brighter: 'shadows', darker: 'highlights' } as const
const look = (way: keyof typeof HOLDS) => (room.look = room.look === way ? 'plain' : way)

async function balance() {
  const kind = sheet.kinds.find((k) => k.kind === 'white-balance')
  const start = kind?.starts.find((s) => s.title === 'Balance to a neutral')
  if (!kind || !start) return
  await actions.startTouch(kind, start, { area: null })
  actions.point()
}
const somebody = computed(() => found.state.person || found.faces.length > 0)
function isolate() {
  if (somebody.value) actions.makeFound(found.state.person ? 'person' : 'face', found.of)
  else actions.paintNew()
}
</script>

<template>
  <div class="px-2 pt-6">
    <p class="mb-1 font-read text-xl">Nothing is done yet.</p>
    <p class="text-quiet">
      Say above what the picture needs. Every touch becomes a sentence here, works on the whole picture until
      you give it a place, and stays changeable.
    </p>
    <p class="mt-5 mb-2 font-medium">You might begin so:</p>
    <ul class="space-y-3" data-first-steps>
      <li>
        <span class="block text-quiet">See how far the picture goes</span>
        <span class="mt-1 flex flex-wrap gap-1.5">
          <button
            v-for="(holds, way) in HOLDS"
            :key="way"
            class="button"
            :aria-pressed="room.look === way"
            @click="look(way)"
          >
            what the {{ holds }} hold
          </button>
        </span>
      </li>
      <li>
        <span class="block text-quiet">Point at something that was grey</span>
        <button class="button mt-1" @click="balance">balance the whole</button>
      </li>
      <li>
        <span class="block text-quiet">
          {{ somebody ? 'Work on somebody and not on what is round about' : 'Work on a part of the picture' }}
        </span>
        <button
          class="button mt-1"
          :disabled="found.searching && !somebody"
          :data-tip="found.searching && !somebody ? 'Faces and people are still being looked for' : ''"
          @click="isolate"
        >
          {{ somebody || found.searching ? 'isolate somebody' : 'paint an area' }}
        </button>
      </li>
    </ul>
  </div>
</template>
