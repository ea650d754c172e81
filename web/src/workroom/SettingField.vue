<script setup lang="ts">
import { computed } from 'vue'
import type { Kind, Schema, Setting } from '../api/client'
import BandsField from '../controls/BandsField.vue'
import CurveField from '../controls/CurveField.vue'
import SettingNumber from '../controls/SettingNumber.vue'
import WashField, { type Wash } from '../controls/WashField.vue'
import type { Band } from '../sheet/bands'
import { hueStrip } from '../sheet/colours'
import type { Points } from '../sheet/curve'
import type { Touch } from '../sheet/types'
import { useRoom } from '../stores/room'
import { useActions } from '../edits/actions'

const props = defineProps<{ touch: Touch; kind: Kind; setting: Setting; tones: Schema['TonesOut'] | null }>()
const room = useRoom()
const actions = useActions()

const value = computed(() => props.touch.settings[props.setting.name])
const extra = computed(
  () =>
    props.setting.extra as {
      under?: string
      over?: string
      gap?: number
      shown_by?: string
      words?: Record<string, string>
      tints?: [string, string][]
    },
)
/** The limits of a number that must keep its distance from another one of the touch. */
const lowest = computed(() => (extra.value.over ? beside(extra.value.over) + extra.value.gap! : undefined))
const highest = computed(() => (extra.value.under ? beside(extra.value.under) - extra.value.gap! : undefined))
const beside = (name: string) => Number(props.touch.settings[name])

const attempt = (to: unknown) => actions.attemptSettings(props.touch, { [props.setting.name]: to })
const change = (to: unknown) => actions.setSettings(props.touch, { [props.setting.name]: to })

/** A hue is shown at full strength while it is being chosen. */
function attemptHue(hue: number) {
  const full = extra.value.shown_by ? { [extra.value.shown_by]: 1 } : {}
  actions.attemptSettings(props.touch, { [props.setting.name]: hue, ...full })
}
const bins = computed(() => {
  const channel = (props.touch.settings.channel ?? 'lightness') as 'lightness' | 'red' | 'green' | 'blue'
  return props.tones?.[channel] ?? []
})
</script>

<template>
  <CurveField
    v-if="setting.control === 'curve'"
    class="mb-2"
    :model-value="value as Points"
    :label="setting.title"
    :bins="bins"
    :channel="String(touch.settings.channel ?? 'lightness')"
    @attempt="attempt"
    @change="change"
  />
  <BandsField
    v-else-if="setting.control === 'bands'"
    :model-value="value as Band[]"
    :setting="setting"
    :hues="tones?.hues ?? []"
    @attempt="attempt"
    @change="change"
  />
  <WashField
    v-else-if="setting.control === 'wash'"
    :model-value="touch.settings as unknown as Wash"
    :words="extra.words ?? {}"
    :tints="extra.tints ?? []"
    :entry="room.entry"
    @attempt="actions.attemptSettings(touch, $event)"
    @change="actions.setSettings(touch, $event)"
    @entry="room.entry = $event"
  />
  <div
    v-else-if="setting.control === 'choice'"
    class="group-buttons mb-2"
    role="group"
    :aria-label="setting.title"
  >
    <button
      v-for="choice in setting.choices"
      :key="choice"
      :aria-pressed="choice === value"
      @click="change(choice)"
    >
      {{ choice }}
    </button>
  </div>
  <SettingNumber
    v-else-if="setting.control !== 'part'"
    :wide="kind.settings.length > 1"
    :setting="setting"
    :model-value="Number(value)"
    :low="lowest"
    :high="highest"
    :track="setting.control === 'hue' ? hueStrip() : ''"
    @attempt="setting.control === 'hue' ? attemptHue($event) : attempt($event)"
    @change="change"
  />
</template>
