<script setup lang="ts">
/** One line of a form: what is asked for, and the field. */
defineProps<{ label: string; type?: string; autocomplete: string; atLeast?: number }>()
const value = defineModel<string>({ required: true })
</script>

<template>
  <label class="mb-3 block">
    {{ label }}
    <input
      v-model="value"
      class="field mt-1 block w-full"
      :type="type ?? 'password'"
      :autocomplete="autocomplete"
      :minlength="atLeast"
      required
    />
  </label>
</template>
