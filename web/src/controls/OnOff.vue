<script setup lang="ts">
import { Switch } from '@headlessui/vue'

defineProps<{ modelValue: boolean; label: string }>()
defineEmits<{ 'update:modelValue': [on: boolean] }>()
</script>

<template>
  <Switch
    :model-value="modelValue"
    :aria-label="label"
    class="inline-flex h-6 w-8 shrink-0 items-center justify-center"
    @update:model-value="$emit('update:modelValue', $event)"
  >
    <span
      class="flex h-[14px] w-[26px] items-center rounded-full border px-[3px]"
      :class="modelValue ? 'justify-end border-ink' : 'justify-start border-rule'"
    >
      <span class="size-2 rounded-full" :class="modelValue ? 'bg-ink' : 'border border-rule'" />
    </span>
  </Switch>
</template>
