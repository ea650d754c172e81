<script setup lang="ts">
import { Trash2 } from '@lucide/vue'
import { computed, ref } from 'vue'
import { RouterLink } from 'vue-router'
import type { Portrait } from '../api/client'

/** One portrait of a sitting: how it looks now, what was done, and what its file holds. */
const props = defineProps<{ portrait: Portrait; chosen: boolean; whose: string }>()
const emit = defineEmits<{ choose: [event: MouseEvent]; again: []; remove: [] }>()
/** Whether the picture before is shown, while it is held. */
const held = ref(false)
const ready = computed(() => props.portrait.state === 'ready')
const picture = computed(() => {
  const { id, retouched, shown } = props.portrait
  return retouched && !held.value
    ? `/api/portraits/${id}/retouched?revision=${shown}`
    : `/api/portraits/${id}/thumbnail`
})
const done = computed(() => {
  const { shown, revision, steps } = props.portrait
  if (shown !== revision) return 'its picture is being made'
  return steps ? `${steps} ${steps === 1 ? 'touch' : 'touches'}` : 'nothing done yet'
})
const facts = computed(() => {
  const f = props.portrait.facts
  if (!f) return props.portrait.file_name
  return `${f.width} × ${f.height} px · ${f.bits} bit ${f.format}${f.channels === 1 ? ', grey' : ''}`
})
/** How much the file holds for shadows and highlights to be brought back. */
const holds = computed(() => {
  const f = props.portrait.facts
  if (!f) return ''
  if (f.headroom > 0) return `${f.headroom.toFixed(1)} EV above white to bring back`
  return f.bits > 8 ? 'shadows hold much, white is the end' : '8 bits: little to bring back'
})
const camera = computed(() => {
  const c = props.portrait.facts?.camera ?? {}
  return ['camera', 'lens', 'exposure', 'aperture', 'sensitivity'].flatMap((k) => c[k] ?? []).join(' · ')
})
</script>

<template>
  <div
    class="relative flex h-full flex-col overflow-hidden rounded-md border"
    :class="chosen ? 'border-thread outline-2 outline-dashed outline-thread' : 'border-line'"
    :data-steps="portrait.steps"
    :data-portrait="portrait.name"
    :data-state="portrait.state"
  >
    <component
      :is="ready ? RouterLink : 'div'"
      :to="`/portraits/${portrait.id}`"
      class="flex h-60 shrink-0 items-center justify-center bg-room"
      :aria-label="ready ? `Open ${portrait.name}` : undefined"
    >
      <img
        v-if="ready"
        :src="picture"
        alt=""
        loading="lazy"
        decoding="async"
        class="max-h-full max-w-full object-contain"
      />
      <span v-else-if="portrait.state === 'failed'" class="bg-paper p-3 text-center" role="alert">{{
        portrait.problem
      }}</span>
      <span v-else class="w-3/4 rounded-sm bg-paper p-3 text-center">
        {{
          portrait.state === 'waiting'
            ? 'waiting to be prepared'
            : `being prepared, ${Math.round(100 * portrait.progress)} %`
        }}
        <progress
          class="thin mt-2 w-full"
          :value="portrait.progress"
          max="1"
          :aria-label="`${portrait.name}, prepared`"
        />
      </span>
    </component>
    <label v-if="ready" class="absolute top-2 left-2 flex size-7 rounded-sm bg-paper">
      <input
        type="checkbox"
        class="m-auto size-4 accent-thread"
        :checked="chosen"
        :aria-label="`Choose ${portrait.name}`"
        data-tip="Shift chooses all from the last one to here; so does a frame drawn over them"
        @click="emit('choose', $event)"
      />
    </label>
    <button
      v-if="portrait.retouched"
      class="button absolute top-2 right-2 min-h-7 px-2"
      :aria-label="`Hold to see ${portrait.name} before`"
      @pointerdown="held = true"
      @pointerup="held = false"
      @pointerleave="held = false"
      @keydown.space.prevent="held = true"
      @keyup.space.prevent="held = false"
    >
      {{ held ? 'before' : 'hold for before' }}
    </button>
    <div class="flex grow items-start gap-2 p-3">
      <div class="min-w-0 grow [&>p]:truncate">
        <p class="flex items-baseline gap-2">
          <span class="min-w-0 truncate font-read text-lg" :data-tip="whose">{{ portrait.name }}</span>
          <span v-if="portrait.flag" class="shrink-0 rounded-sm border border-rule px-1" data-flag>{{
            portrait.flag
          }}</span>
        </p>
        <p v-if="ready" :class="portrait.steps ? '' : 'text-quiet'" data-done>{{ done }}</p>
        <p class="text-quiet" :data-tip="facts">{{ facts }}</p>
        <p v-if="portrait.facts" class="text-quiet" data-holds :data-tip="holds">{{ holds }}</p>
        <p v-if="portrait.facts" class="text-quiet" :data-tip="portrait.facts.profile">
          {{ portrait.facts.profile }}
        </p>
        <p v-if="camera" class="text-quiet" :data-tip="camera">{{ camera }}</p>
        <button
          v-if="portrait.state === 'failed' && portrait.facts"
          class="plain underline"
          @click="emit('again')"
        >
          Try again
        </button>
      </div>
      <button class="plain" :aria-label="`Delete ${portrait.name}`" @click="emit('remove')">
        <Trash2 :size="15" />
      </button>
    </div>
  </div>
</template>
