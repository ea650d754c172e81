<script setup lang="ts">
import { Eye } from '@lucide/vue'
import { computed } from 'vue'
import type { Kind, Schema, Setting } from '../api/client'
import BandsField from '../controls/BandsField.vue'
import CurveField from '../controls/CurveField.vue'
import Shapes from './Shapes.vue'
import SettingNumber from '../controls/SettingNumber.vue'
import WashField, { type Wash } from '../controls/WashField.vue'
import type { Band } from '../sheet/bands'
import { hueStrip } from '../sheet/colours'
import type { Points } from '../sheet/curve'
import type { Touch } from '../sheet/types'
import { useRoom } from '../stores/room'
import { useActions } from '../edits/actions'
import LightStrokes from './LightStrokes.vue'
import Patches from './Patches.vue'
import Pinned from './Pinned.vue'

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
      layer?: string
      words?: Record<string, string>
      tints?: [string, string][]
      needs?: string
    },
)
/** The limits of a number that must keep its distance from another one of the touch. */
const lowest = computed(() => (extra.value.over ? beside(extra.value.over) + extra.value.gap! : undefined))
const highest = computed(() => (extra.value.under ? beside(extra.value.under) - extra.value.gap! : undefined))
/** Whether there is what the setting works on: the parts of a face that are known. */
const there = computed(
  () => !extra.value.needs || (props.touch.settings[extra.value.needs] as unknown[]).length > 0,
)
const beside = (name: string) => Number(props.touch.settings[name])

const attempt = (to: unknown) => actions.attemptSettings(props.touch, { [props.setting.name]: to })
const change = (to: unknown) => actions.setSettings(props.touch, { [props.setting.name]: to })

/** A hue is shown at full strength while it is being chosen. */
function attemptHue(hue: number) {
  const full = extra.value.shown_by ? { [extra.value.shown_by]: 1 } : {}
  actions.attemptSettings(props.touch, { [props.setting.name]: hue, ...full })
}
/** The layer of this size by itself, while the size is dragged and for as long as it is held on. */
const shownAlone = computed(() => room.look === 'layer' && room.layer === extra.value.layer)
let held = false
function alone(to: number) {
  if (!shownAlone.value) {
    held = true
    room.layer = extra.value.layer!
    room.look = 'layer'
  }
  attempt(to)
}
function settled(to: number) {
  if (held && room.look === 'layer') room.look = 'plain'
  held = false
  change(to)
}
function toggleAlone() {
  held = false
  room.look = shownAlone.value ? 'plain' : 'layer'
  room.layer = extra.value.layer!
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
  <label v-else-if="setting.control === 'switch'" class="mb-1 flex min-h-6 items-center gap-2">
    <input
      type="checkbox"
      class="size-4 accent-thread"
      :checked="!!value"
      @change="change(($event.target as HTMLInputElement).checked)"
    />
    {{ setting.title }}
  </label>
  <p v-else-if="setting.control === 'picked'" class="mb-1 flex min-h-6 items-center gap-2 text-quiet">
    {{ setting.title }}: {{ value === null ? 'its own' : 'picked' }}
    <button v-if="value !== null" class="plain underline decoration-dotted" @click="change(null)">
      its own again
    </button>
  </p>
  <LightStrokes v-else-if="setting.control === 'strokes'" :touch="touch" />
  <Shapes v-else-if="setting.control === 'shapes'" :touch="touch" />
  <Pinned v-else-if="setting.control === 'area'" :touch="touch" :setting="setting" />
  <Patches v-else-if="setting.control === 'patches'" :touch="touch" :kind="kind" />
  <div v-else-if="extra.layer" class="flex items-center gap-1">
    <SettingNumber
      class="min-w-0 grow"
      wide
      :setting="setting"
      :model-value="Number(value)"
      @attempt="alone($event)"
      @change="settled($event)"
    />
    <button
      class="icon-button"
      :aria-label="`Show by itself what lies in ${setting.title}`"
      :aria-pressed="shownAlone"
      :class="shownAlone ? 'text-thread' : 'text-quiet'"
      :data-tip="`show by itself what this size holds`"
      @click="toggleAlone"
    >
      <Eye :size="14" />
    </button>
  </div>
  <SettingNumber
    v-else-if="setting.control !== 'part' && there"
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
