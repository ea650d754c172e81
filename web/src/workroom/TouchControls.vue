<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import { Crosshair } from '@lucide/vue'
import { computed } from 'vue'
import Float from '../controls/Float.vue'
import LevelsField, { type Ends } from '../controls/LevelsField.vue'
import NumberField from '../controls/NumberField.vue'
import { useActions } from '../edits/actions'
import { blendWords, limitWords, LIMITS, sameRamp } from '../sheet/mixing'
import type { Blend, Touch } from '../sheet/types'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useTones } from '../stores/useTones'
import Gauges from './Gauges.vue'
import SettingField from './SettingField.vue'
import SharpenUse from './SharpenUse.vue'
import TouchLimit from './TouchLimit.vue'
import TouchMenu from './TouchMenu.vue'

/** The controls of the open touch: its settings, then how strongly, in which tones and how it is mixed. */
const props = defineProps<{ touch: Touch; number: number; depth: number; first: boolean; last: boolean }>()
const sheet = useSheet()
const room = useRoom()
const actions = useActions()

const kind = computed(() => sheet.kinds.find((k) => k.kind === props.touch.kind))
const words = computed(() => actions.say(props.touch))
const setting = (name: string) => kind.value!.settings.find((s) => s.name === name)!
const picks = computed(() => kind.value?.picks ?? [])
const pointing = computed(() => (room.pointing?.touch === props.touch.id ? room.pointing.pick : null))
const SHOWS_TONES = ['curve', 'bands']
const counted = computed(
  () =>
    !!props.touch.limit ||
    (kind.value?.settings.some((s) => SHOWS_TONES.includes(s.control) || s.extra.mark) ?? false),
)
const tones = useTones(() => props.touch.id, counted)

function strength(value: number) {
  actions.setTouch(props.touch, 'strength', value / 100, `${words.value}, strength ${Math.round(value)} %`)
}
</script>

<template>
  <div class="mt-2 pr-0.5 pl-8" data-controls>
    <div
      v-if="picks.length && kind?.kind !== 'repair'"
      class="mb-2 flex flex-wrap gap-1"
      role="group"
      aria-label="Point at the picture"
    >
      <button
        v-for="pick in picks"
        :key="pick.name"
        class="button min-h-[26px] px-2 whitespace-normal"
        :class="pointing === pick.name ? 'button-main' : ''"
        :aria-pressed="pointing === pick.name"
        @click="room.pointing = pointing === pick.name ? null : { touch: touch.id, pick: pick.name }"
      >
        <Crosshair :size="13" class="shrink-0" />{{ pick.words }}
      </button>
    </div>
    <SharpenUse v-if="kind?.kind === 'sharpen'" class="mb-2" :touch="touch" />
    <LevelsField
      v-if="kind?.kind === 'levels'"
      :model-value="touch.settings as unknown as Ends"
      :bins="tones?.lightness ?? []"
      :gap="Number(setting('black').extra.gap)"
      @attempt="actions.attemptSettings(touch, $event)"
      @change="actions.setSettings(touch, $event)"
    />
    <template v-if="kind">
      <SettingField
        v-for="s in kind.settings"
        :key="s.name"
        :touch="touch"
        :kind="kind"
        :setting="s"
        :tones="tones"
      />
    </template>
    <p v-if="!kind && touch.kind !== 'set'" class="text-quiet">
      This touch was made by a newer Needlepoint. It is kept as it is and changes nothing here.
    </p>
    <template v-else>
      <div class="my-1.5 border-t border-dotted border-rule"></div>
      <NumberField
        :model-value="touch.strength * 100"
        label="strength"
        :wide="(kind?.settings.length ?? 0) > 1"
        :low="0"
        :high="100"
        :step="1"
        :neutral="100"
        unit="%"
        @attempt="actions.attemptTouch(touch, 'strength', $event / 100)"
        @change="strength"
      />
    </template>
    <div class="mt-1 flex flex-wrap items-center gap-x-3">
      <Float
        v-if="kind?.mixes || touch.kind === 'set'"
        button="plain -ml-1"
        :label="`only in ${limitWords(touch.limit)}`"
        list="w-44"
        ><template #button
          ><span class="text-quiet">only in</span>&nbsp;<strong class="font-medium">{{
            limitWords(touch.limit)
          }}</strong></template
        >
        <MenuItem v-for="limit in LIMITS" :key="limit.words" v-slot="{ active }">
          <button
            class="menu-row"
            :class="{ 'bg-inset': active, 'font-semibold': sameRamp(limit.ramp, touch.limit) }"
            @click="
              actions.setTouch(
                touch,
                'limit',
                limit.ramp && { ramp: limit.ramp, of: touch.limit?.of ?? 'below' },
                `${words}, only in ${limit.words}`,
              )
            "
          >
            {{ limit.words }}
          </button>
        </MenuItem>
      </Float>
      <Float v-if="kind?.mixes" :label="`mixed ${blendWords(touch.blend)}`" list="w-44"
        ><template #button
          ><span class="text-quiet">mixed</span>&nbsp;<strong class="font-medium">{{
            blendWords(touch.blend)
          }}</strong></template
        >
        <MenuItem v-for="mode in sheet.blends" :key="mode" v-slot="{ active }">
          <button
            class="menu-row"
            :class="{ 'bg-inset': active, 'font-semibold': mode === touch.blend }"
            @click="actions.setTouch(touch, 'blend', mode as Blend, `${words}, mixed ${blendWords(mode)}`)"
          >
            {{ blendWords(mode) }}
          </button>
        </MenuItem>
      </Float>
      <TouchMenu v-bind="{ touch, number, depth, first, last }" />
    </div>
    <Gauges v-if="room.gauges" :touch="touch.id" />
    <TouchLimit :touch="touch" :tones="tones" />
  </div>
</template>
