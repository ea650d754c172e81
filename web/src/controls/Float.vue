<script setup lang="ts">
import { Menu, MenuButton, MenuItems } from '@headlessui/vue'
import { computed, ref } from 'vue'
import { type Placement, useFloat } from './useFloat'

/** A menu behind a button; its list lies where there is room for it and is never cut off. */
const props = withDefaults(
  defineProps<{
    label?: string
    tip?: string
    disabled?: boolean
    button?: string
    list?: string
    placement?: Placement
    as?: string
  }>(),
  { label: undefined, tip: undefined, button: 'plain', list: 'w-48', placement: 'bottom-start', as: 'div' },
)
defineEmits<{ press: [] }>()
const anchor = ref<InstanceType<typeof MenuButton> | null>(null)
const box = ref<InstanceType<typeof MenuItems> | null>(null)
const style = useFloat(
  anchor,
  box,
  computed(() => props.placement),
)
</script>

<template>
  <Menu :as="as" class="relative">
    <MenuButton
      ref="anchor"
      :class="button"
      :aria-label="label"
      :data-tip="tip || undefined"
      :disabled="disabled"
      @click="$emit('press')"
    >
      <slot name="button" />
    </MenuButton>
    <MenuItems
      ref="box"
      :style="style"
      class="z-50 overflow-y-auto rounded-md border border-rule bg-paper p-1 font-sans text-[13px] font-normal"
      :class="list"
    >
      <slot />
    </MenuItems>
  </Menu>
</template>
