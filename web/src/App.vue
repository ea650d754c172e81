<script setup lang="ts">
import { RouterView } from 'vue-router'
import Notices from './controls/Notices.vue'
</script>

<template>
  <RouterView />
  <Notices />
</template>
