<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { RouterView } from 'vue-router'
import { away } from './api/client'
import Notices from './controls/Notices.vue'
import Tips from './controls/Tips.vue'
import { useSheet } from './stores/sheet'

// Wherever one is: what is still on its way would be lost with the window.
const sheet = useSheet()
useEventListener('beforeunload', (event) => {
  if (sheet.queue.length) event.preventDefault()
})
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
