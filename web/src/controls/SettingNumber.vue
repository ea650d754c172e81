<script setup lang="ts">
import type { Setting } from '../api/client'
import NumberField from './NumberField.vue'

/** A number of the catalogue, in its own units; shown times its scale. `low` and `high` may narrow its limits. */
withDefaults(
  defineProps<{
    setting: Setting
    modelValue: number
    low?: number
    high?: number
    neutral?: number
    wide?: boolean
    track?: string
  }>(),
  { low: undefined, high: undefined, neutral: undefined, wide: false, track: '' },
)
const emit = defineEmits<{ attempt: [value: number]; change: [value: number] }>()
</script>

<template>
  <NumberField
    :wide="wide"
    :model-value="modelValue * setting.scale"
    :label="setting.title"
    :data-tip="setting.description || undefined"
    :low="(low ?? setting.low ?? 0) * setting.scale"
    :high="(high ?? setting.high ?? 1) * setting.scale"
    :soft="setting.soft === null ? null : setting.soft * setting.scale"
    :step="setting.step ?? 0.01"
    :unit="setting.unit"
    :neutral="(neutral ?? Number(setting.neutral)) * setting.scale"
    :track="track"
    @attempt="emit('attempt', $event / setting.scale)"
    @change="emit('change', $event / setting.scale)"
  />
</template>
