<script setup lang="ts">
import { ref } from 'vue'
import { readHex } from '../sheet/colours'

const props = defineProps<{ modelValue: string; label: string; tints: [string, string][] }>()
const emit = defineEmits<{ change: [colour: string] }>()

const typed = ref<string | null>(null)
const wrong = ref(false)

function take() {
  if (typed.value === null) return
  const colour = readHex(typed.value)
  wrong.value = colour === null
  if (colour === null) return
  typed.value = null
  if (colour !== props.modelValue) emit('change', colour)
}
function forget() {
  typed.value = null
  wrong.value = false
}
</script>

<template>
  <div>
    <div class="flex items-center gap-2">
      <span class="size-[26px] shrink-0 border border-rule" :style="{ background: modelValue }"></span>
      <input
        type="text"
        class="field min-h-[26px] w-[88px] py-0"
        spellcheck="false"
        :aria-label="label"
        :aria-invalid="wrong"
        :value="typed ?? modelValue"
        @focus="($event.target as HTMLInputElement).select()"
        @input="typed = ($event.target as HTMLInputElement).value"
        @keydown.enter="(take(), ($event.target as HTMLInputElement).blur())"
        @keydown.esc.stop="(forget(), ($event.target as HTMLInputElement).blur())"
        @blur="take"
      />
      <span v-if="wrong" role="alert" class="text-care">A colour is # and six digits, as #c8a080.</span>
    </div>
    <div class="mt-1.5 flex items-center gap-1" role="group" aria-label="Skin tints">
      <span class="w-[34px] text-quiet">skin</span>
      <button
        v-for="[name, colour] in tints"
        :key="name"
        class="size-6 border"
        :class="colour === modelValue ? 'border-2 border-thread' : 'border-rule'"
        :style="{ background: colour }"
        :aria-label="`${name} skin`"
        :aria-pressed="colour === modelValue"
        :data-tip="`${name} skin`"
        @click="emit('change', colour)"
      ></button>
    </div>
  </div>
</template>
