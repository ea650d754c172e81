<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { computed } from 'vue'
import NumberField from '../parts/NumberField.vue'
import { type Colour, useRoom, type Overlay } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from './actions'

const room = useRoom()
const sheet = useSheet()
const actions = useActions()
const css = (colour: Colour) => `rgb(${colour.rgb.join(' ')})`
/** Lightness, chroma and hue; a grey has no hue worth telling. */
const told = (c: Colour) =>
  `L ${c.lightness.toFixed(0)} C ${c.chroma.toFixed(0)}${c.chroma < 1 ? '' : ` h ${c.hue.toFixed(0)}°`}`
const drags = computed(() => {
  const kind = sheet.kinds.find((k) => k.kind === sheet.touch(room.openTouch)?.touch.kind)
  return kind?.picks.find((p) => p.name === room.pointing?.pick)?.drag ?? false
})
const overlays: Overlay[] = ['stitches', 'mask', 'off']
const unit = computed(() => Math.max(sheet.portrait?.facts?.width ?? 1, sheet.portrait?.facts?.height ?? 1))
</script>

<template>
  <section
    class="flex min-h-12 shrink-0 flex-wrap items-center gap-x-2 border-t border-line bg-inset px-3 py-1"
    aria-label="The hand"
  >
    <template v-if="room.painting">
      <NumberField
        compact
        :tight="room.chain"
        :model-value="Math.round(room.brush.size * unit)"
        label="size"
        :low="2"
        :high="Math.round(unit * 0.6)"
        :soft="Math.round(unit * 0.25)"
        :step="1"
        :neutral="Math.round(unit * 0.08)"
        @attempt="room.brush.size = $event / unit"
        @change="room.brush.size = $event / unit"
      />
      <NumberField
        compact
        :tight="room.chain"
        :model-value="Math.round(room.brush.softness * 100)"
        label="softness"
        :low="0"
        :high="100"
        :step="1"
        :neutral="60"
        @attempt="room.brush.softness = $event / 100"
        @change="room.brush.softness = $event / 100"
      />
      <NumberField
        compact
        :tight="room.chain"
        :model-value="Math.round(room.brush.flow * 100)"
        label="flow"
        :low="1"
        :high="100"
        :step="1"
        :neutral="40"
        @attempt="room.brush.flow = $event / 100"
        @change="room.brush.flow = $event / 100"
      />
      <Popover class="relative">
        <PopoverButton class="plain">more</PopoverButton>
        <PopoverPanel
          class="absolute bottom-full left-0 z-30 mb-2 w-72 rounded-md border border-rule bg-paper p-3"
        >
          <NumberField
            :model-value="Math.round(room.brush.ceiling * 100)"
            label="ceiling"
            :low="1"
            :high="100"
            :step="1"
            :neutral="100"
            unit="%"
            @attempt="room.brush.ceiling = $event / 100"
            @change="room.brush.ceiling = $event / 100"
          />
          <p class="mb-2 text-quiet">The most that one stroke can build, however often it goes over.</p>
          <label class="flex items-center gap-2">
            <span class="w-[66px]">pen</span>
            <select v-model="room.brush.pressure" class="field min-h-[26px] grow py-0">
              <option value="none">pressure changes nothing</option>
              <option value="size">pressure changes size</option>
              <option value="flow">pressure changes flow</option>
            </select>
          </label>
        </PopoverPanel>
      </Popover>
      <button
        class="button min-h-[26px] px-2"
        :class="room.brush.keep_edges ? 'button-main' : ''"
        :aria-pressed="room.brush.keep_edges"
        aria-label="keep to edges"
        title="E: cover only what is connected in colour to the middle of the stroke"
        @click="room.brush.keep_edges = !room.brush.keep_edges"
      >
        {{ room.chain ? 'to edges' : 'keep to edges' }}
      </button>
      <button
        class="button min-h-[26px] px-2"
        :class="room.takeAway ? 'button-main' : ''"
        :aria-pressed="room.takeAway"
        title="T, or hold Alt"
        @click="room.takeAway = !room.takeAway"
      >
        take away
      </button>
    </template>
    <template v-else-if="room.pointing">
      <span>Press on the picture{{ drags ? ', and drag up or down' : '' }}.</span>
      <button class="button min-h-[26px]" title="Esc" @click="room.pointing = null">Done pointing</button>
    </template>
    <template v-else-if="room.picking || room.drawing">
      <span>{{ room.drawing ? 'Draw on the picture.' : 'Click in the picture; Alt leaves out.' }}</span>
      <button class="button min-h-[26px]" title="Esc" @click="room.picking = room.drawing = null">
        Done
      </button>
    </template>
    <template v-else>
      <button class="button min-h-[26px]" title="B" @click="actions.takeBrush()">Take the brush</button>
      <span v-if="!room.numbers" class="text-quiet">Drag to pan, wheel to zoom.</span>
    </template>
    <p v-if="room.numbers && !room.painting" class="flex items-center gap-2 whitespace-nowrap" data-numbers>
      <span class="size-4 border border-rule" :style="{ background: css(room.numbers.before) }"></span>
      <span class="text-quiet">{{ told(room.numbers.before) }}</span>
      <span class="text-quiet">→</span>
      <span class="size-4 border border-rule" :style="{ background: css(room.numbers.after) }"></span>
      <span>{{ told(room.numbers.after) }}</span>
      <span v-if="!room.chain" class="text-quiet max-[1240px]:hidden" title="in sRGB"
        >RGB {{ room.numbers.after.rgb.join(' · ') }}</span
      >
    </p>
    <div class="grow" :class="room.chain ? '-ml-2' : ''"></div>
    <div v-if="room.openArea" class="group-buttons" role="group" aria-label="How the area shows">
      <button
        v-for="way in overlays"
        :key="way"
        :aria-pressed="room.overlay === way"
        @click="room.overlay = way"
      >
        {{ way }}
      </button>
    </div>
  </section>
</template>
