<script setup lang="ts">
/** What a pen's pressure changes of a brush; `flow` says what its flow lays. */
defineProps<{ flow: string }>()
const pressure = defineModel<'none' | 'size' | 'flow'>({ required: true })
</script>

<template>
  <label class="flex items-center gap-2">
    <span class="w-[66px]">pen</span>
    <select v-model="pressure" class="field min-h-[26px] grow py-0">
      <option value="none">pressure changes nothing</option>
      <option value="size">pressure changes size</option>
      <option value="flow">pressure changes {{ flow }}</option>
    </select>
  </label>
</template>
