<script setup lang="ts">
import type { Spot } from './geometry'

/** The brush under the pointer: its edge, where it begins to soften, and whether it takes away. */
defineProps<{ at: Spot; radius: number; softness: number; away: boolean }>()
</script>

<template>
  <svg class="pointer-events-none absolute inset-0 h-full w-full">
    <g :transform="`translate(${at.x} ${at.y})`" class="fill-none">
      <circle :r="Math.max(2, radius)" stroke="#000" stroke-opacity="0.45" stroke-width="2.4" />
      <circle
        :r="Math.max(2, radius)"
        stroke="#fff"
        stroke-width="1.4"
        :stroke-dasharray="away ? '2 4' : '6 4'"
      />
      <circle v-if="radius > 8" :r="radius * (1 - softness) || 1" stroke="#fff" stroke-opacity="0.55" />
      <path v-if="away" d="M-4 0H4" stroke="#fff" stroke-width="1.5" />
    </g>
  </svg>
</template>
