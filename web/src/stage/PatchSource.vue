<script setup lang="ts">
import type { Spot } from './geometry'

/** Where the next patch comes from: a small ring with a stitch across. */
defineProps<{ at: Spot }>()
</script>

<template>
  <svg class="pointer-events-none absolute inset-0 h-full w-full" data-source>
    <g :transform="`translate(${at.x} ${at.y})`" class="fill-none">
      <path d="M-9 0H-3M3 0H9M0 -9V-3M0 3V9" stroke="#000" stroke-opacity="0.5" stroke-width="3" />
      <path d="M-9 0H-3M3 0H9M0 -9V-3M0 3V9" stroke="#fff" stroke-width="1.4" />
    </g>
  </svg>
</template>
