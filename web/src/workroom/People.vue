<script setup lang="ts">
import { whoseWords } from '../sheet/found'
import { useFound } from '../stores/found'
import { useSheet } from '../stores/sheet'
import FacePicture from './FacePicture.vue'

/** Whose: everybody's (0), or one of the people, told apart by their faces. */
const whose = defineModel<number>({ required: true })
defineProps<{ size: number }>()
const found = useFound()
const sheet = useSheet()
</script>

<template>
  <div class="flex flex-wrap items-start justify-center gap-1" role="group" aria-label="Whose">
    <button
      class="flex min-h-6 items-center rounded-full px-2"
      :class="whose === 0 ? 'bg-ink text-white' : 'border border-rule hover:bg-inset'"
      :style="{ height: `${size}px` }"
      :aria-pressed="whose === 0"
      data-tip="everybody"
      @click="whose = 0"
    >
      all
    </button>
    <button
      v-for="face in found.faces"
      :key="face.number"
      class="rounded-full p-0.5"
      :class="whose === face.number ? 'outline-2 outline-thread outline-dashed' : ''"
      :aria-pressed="whose === face.number"
      :aria-label="whoseWords(sheet.doc.people, face.number)"
      :data-tip="whoseWords(sheet.doc.people, face.number)"
      @click="whose = face.number"
    >
      <FacePicture :box="face.box" :size="size" />
    </button>
  </div>
</template>
