<script setup lang="ts">
import { RouterView } from 'vue-router'
import Notices from './parts/Notices.vue'
</script>

<template>
  <RouterView />
  <Notices />
</template>
