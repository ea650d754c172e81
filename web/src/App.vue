<script setup lang="ts">
import { RouterView } from 'vue-router'
import { away } from './api/client'
import Notices from './controls/Notices.vue'
import Tips from './controls/Tips.vue'
</script>

<template>
  <RouterView />
  <p
    v-if="away"
    role="status"
    class="fixed top-14 left-1/2 z-50 -translate-x-1/2 rounded-md border border-rule bg-paper px-4 py-2"
    data-away
  >
    One moment: the studio does not answer. It is asked again until it does; nothing is lost.
  </p>
  <Notices />
  <Tips />
</template>
