<script setup lang="ts">
import { computed } from 'vue'
import type { Setting } from '../api/client'
import { useActions } from '../edits/actions'
import type { Touch } from '../sheet/types'
import NamedArea from './NamedArea.vue'

/** An area that a setting names: one of the sheet's, or something found. */
const props = defineProps<{ touch: Touch; setting: Setting }>()
const actions = useActions()

const now = computed(() => props.touch.settings[props.setting.name] as string | null)
</script>

<template>
  <NamedArea
    class="mb-1"
    :data-tip="setting.description || undefined"
    :title="setting.title"
    :now="now"
    none="nothing"
    :except="touch.area"
    @choose="actions.setSettings(touch, { [setting.name]: $event })"
    @found="actions.nameFound(touch, setting.name, $event)"
  />
</template>
