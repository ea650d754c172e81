<script setup lang="ts">
/** The long side of a print and the distance from which it is seen, both in centimetres. */
const print = defineModel<{ size: number; distance: number }>({ required: true })
</script>

<template>
  <input v-model.number="print.size" class="field w-14" aria-label="Long side in cm" inputmode="decimal" />
  cm, seen from
  <input v-model.number="print.distance" class="field w-14" aria-label="Distance in cm" inputmode="decimal" />
  cm
</template>
