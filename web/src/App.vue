<script setup lang="ts">
import { RouterView } from 'vue-router'
import Notices from './controls/Notices.vue'
import Tips from './controls/Tips.vue'
</script>

<template>
  <RouterView />
  <Notices />
  <Tips />
</template>
