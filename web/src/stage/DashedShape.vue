<script setup lang="ts">
/** A running stitch on the picture: white dashes over a darker line, so that it is seen on any ground. */
defineProps<{ path?: string; rect?: { x: number; y: number; width: number; height: number } }>()
const LINES = [
  { stroke: '#000', 'stroke-opacity': 0.5, 'stroke-width': 3 },
  { stroke: '#fff', 'stroke-width': 1.4, 'stroke-dasharray': '6 4' },
]
</script>

<template>
  <svg class="pointer-events-none absolute inset-0 h-full w-full">
    <template v-for="line in LINES" :key="line.stroke">
      <rect v-if="rect" v-bind="{ ...rect, ...line }" class="fill-none" />
      <path v-if="path" :d="path" v-bind="line" class="fill-none" />
    </template>
    <slot />
  </svg>
</template>
