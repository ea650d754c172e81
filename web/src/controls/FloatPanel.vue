<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { computed, ref } from 'vue'
import { type Placement, useFloat } from './useFloat'

/** A panel behind a button; it lies where there is room for it and is never cut off. */
const props = withDefaults(
  defineProps<{ label?: string; tip?: string; button?: string; panel?: string; placement?: Placement }>(),
  { label: undefined, tip: undefined, button: 'plain', panel: 'w-72 p-3', placement: 'bottom-start' },
)
const anchor = ref<InstanceType<typeof PopoverButton> | null>(null)
const box = ref<InstanceType<typeof PopoverPanel> | null>(null)
const style = useFloat(
  anchor,
  box,
  computed(() => props.placement),
)
</script>

<template>
  <Popover class="relative">
    <PopoverButton ref="anchor" :class="button" :aria-label="label" :data-tip="tip || undefined">
      <slot name="button" />
    </PopoverButton>
    <PopoverPanel
      ref="box"
      :style="style"
      class="z-50 overflow-y-auto rounded-md border border-rule bg-paper"
      :class="panel"
    >
      <slot />
    </PopoverPanel>
  </Popover>
</template>
