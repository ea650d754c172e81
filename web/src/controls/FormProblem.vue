<script setup lang="ts">
defineProps<{ words: string }>()
</script>

<template>
  <p v-if="words" class="mb-3 border-l-2 border-care pl-2" role="alert">{{ words }}</p>
</template>
