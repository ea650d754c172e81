<script setup lang="ts">
import { RouterLink } from 'vue-router'
</script>

<template>
  <main class="flex min-h-full flex-col items-center justify-center gap-4">
    <h1 class="font-read text-2xl">There is nothing at this address.</h1>
    <RouterLink to="/" class="underline">Go to your sittings</RouterLink>
  </main>
</template>
