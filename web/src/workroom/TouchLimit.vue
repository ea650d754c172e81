<script setup lang="ts">
import { useActions } from '../edits/actions'
import type { Schema } from '../api/client'
import LimitField from '../controls/LimitField.vue'
import { limitWords } from '../sheet/mixing'
import type { Ramp } from '../sheet/ramp'
import type { ToneLimit, Touch } from '../sheet/types'
import { useRoom } from '../stores/room'

/** In which tones a touch works: the ramp over what lies below, whose tones they are, and what comes through. */
const props = defineProps<{ touch: Touch; tones: Schema['TonesOut'] | null }>()
const room = useRoom()
const actions = useActions()

function changeLimit(changes: Partial<ToneLimit>) {
  if (room.reach?.touch === props.touch.id && glimpse) room.reach = null
  glimpse = false
  const limit = { ...props.touch.limit!, ...changes }
  actions.setTouch(props.touch, 'limit', limit, `${actions.say(props.touch)}, only in ${limitWords(limit)}`)
}
/** Whether what the limit lets through is shown only while it is dragged. */
let glimpse = false
function attemptLimit(ramp: Ramp) {
  if (!room.reach) {
    room.reach = { touch: props.touch.id, sharp: false }
    glimpse = true
  }
  actions.attemptTouch(props.touch, 'limit', { ...props.touch.limit!, ramp })
}
function show(sharp: boolean) {
  glimpse = false
  const same = room.reach?.touch === props.touch.id && room.reach.sharp === sharp
  room.reach = same ? null : { touch: props.touch.id, sharp }
}
</script>

<template>
  <div v-if="touch.limit" class="mt-2" data-limit>
    <LimitField
      :model-value="touch.limit.ramp"
      :bins="tones?.lightness ?? []"
      @attempt="attemptLimit"
      @change="changeLimit({ ramp: $event })"
    />
    <div class="mt-1.5 flex flex-wrap items-center gap-2">
      <span class="text-quiet">tones of</span>
      <div class="group-buttons" role="group" aria-label="Whose tones">
        <button :aria-pressed="touch.limit.of === 'below'" @click="changeLimit({ of: 'below' })">
          the picture below
        </button>
        <button :aria-pressed="touch.limit.of === 'original'" @click="changeLimit({ of: 'original' })">
          the original
        </button>
      </div>
      <span class="text-quiet">show it</span>
      <div class="group-buttons" role="group" aria-label="Show what it lets through">
        <button
          v-for="sharp in [false, true]"
          :key="String(sharp)"
          :aria-pressed="room.reach?.touch === touch.id && room.reach.sharp === sharp"
          @click="show(sharp)"
        >
          {{ sharp ? 'sharp' : 'soft' }}
        </button>
      </div>
    </div>
  </div>
</template>
