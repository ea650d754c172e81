<script setup lang="ts">
import { computed } from 'vue'
import { DOES } from '../sheet/shaping'
import FloatPanel from '../controls/FloatPanel.vue'
import NumberField from '../controls/NumberField.vue'
import PenPressure from '../controls/PenPressure.vue'
import { type Colour, useRoom, type Overlay } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from '../edits/actions'

const room = useRoom()
const sheet = useSheet()
const actions = useActions()
const css = (colour: Colour) => `rgb(${colour.rgb.join(' ')})`
/** Lightness, chroma and hue; a grey has no hue worth telling. */
const told = (c: Colour) =>
  `L ${c.lightness.toFixed(0)} C ${c.chroma.toFixed(0)}${c.chroma < 1 ? '' : ` h ${c.hue.toFixed(0)}°`}`
const light = computed(() => actions.laysLight())
const mends = computed(() => actions.mendTouch())
const shapes = computed(() => actions.shapeTouch())
const brush = computed(actions.brushInHand)
const TAKES = ['spot', 'heal', 'clone']
const evWords = (ev: number) => `${ev < 0 ? '−' : '+'}${Math.abs(ev).toFixed(2)} EV`
const drags = computed(() => {
  const kind = sheet.kinds.find((k) => k.kind === sheet.touch(room.openTouch)?.touch.kind)
  return kind?.picks.find((p) => p.name === room.pointing?.pick)?.drag ?? false
})
const overlays: Overlay[] = ['stitches', 'mask', 'off']
const WAYS: Record<string, string> = { inside: 'only inside', outside: 'only outside' }
const COLOURS = { 'blue-green': '#0aa39a', blue: '#2f6be0', lime: '#9bd41c', white: '#ffffff' }
const CELLS = { fine: 6, even: 8, wide: 12 }
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
        :model-value="Math.round(brush.size * unit)"
        label="size"
        :low="2"
        :high="Math.round(unit * 0.6)"
        :soft="Math.round(unit * 0.25)"
        :step="1"
        :neutral="Math.round(unit * (mends ? 0.02 : shapes ? 0.12 : light ? 0.04 : 0.08))"
        @attempt="brush.size = $event / unit"
        @change="brush.size = $event / unit"
      />
      <NumberField
        compact
        :tight="room.chain"
        :model-value="Math.round(brush.softness * 100)"
        label="softness"
        :low="0"
        :high="100"
        :step="1"
        :neutral="mends ? 50 : shapes ? 80 : light ? 90 : 60"
        @attempt="brush.softness = $event / 100"
        @change="brush.softness = $event / 100"
      />
      <NumberField
        compact
        :tight="room.chain"
        :model-value="Math.round(brush.flow * 100)"
        :label="light ? 'a pass' : 'flow'"
        :low="1"
        :high="100"
        :soft="light ? 20 : null"
        :step="1"
        :neutral="mends || shapes ? 100 : light ? 7 : 40"
        @attempt="brush.flow = $event / 100"
        @change="brush.flow = $event / 100"
      />
      <template v-if="mends">
        <template v-if="TAKES.includes(room.nextPatch.way)">
          <button
            class="button min-h-[26px] px-2"
            :class="room.sourcing ? 'button-main' : ''"
            :aria-pressed="room.sourcing"
            data-tip="P: point at where it comes from"
            @click="room.sourcing = !room.sourcing"
          >
            {{ room.sourcing ? 'press on the source' : room.origin ? 'another source' : 'choose a source' }}
          </button>
          <label
            v-if="room.origin"
            class="flex items-center gap-1.5"
            data-tip="from stroke to stroke the source goes along; else each begins at the same place"
          >
            <input v-model="room.nextPatch.walking" type="checkbox" class="size-4 accent-thread" />
            walks along
          </label>
        </template>
        <FloatPanel placement="top-start"
          ><template #button>more</template>
          <label class="mb-2 flex min-h-6 items-center gap-2">
            <input v-model="room.mend.fill_inside" type="checkbox" class="size-4 accent-thread" />
            fill inside: draw round something
          </label>
          <PenPressure v-model="room.mend.pressure" flow="flow" />
        </FloatPanel>
      </template>
      <template v-else-if="shapes">
        <span class="text-quiet">{{ DOES[room.nextShape.does].short }}</span>
        <FloatPanel placement="top-start"
          ><template #button>more</template>
          <PenPressure v-model="room.shape.pressure" flow="how strongly" />
        </FloatPanel>
      </template>
      <template v-else-if="light">
        <div class="group-buttons" role="group" aria-label="What a stroke makes">
          <button :aria-pressed="!room.darker" data-tip="T" @click="room.darker = false">lighter</button>
          <button :aria-pressed="room.darker" data-tip="T, or hold Alt" @click="room.darker = true">
            darker
          </button>
        </div>
        <FloatPanel placement="top-start"
          ><template #button>more</template>
          <label class="mb-2 flex items-center gap-2">
            <span class="w-[66px]">helper</span>
            <select v-model="room.helper" class="field min-h-[26px] grow py-0">
              <option value="grey">grey and darker</option>
              <option value="unevenness">unevenness</option>
            </select>
          </label>
          <p class="mb-2 text-quiet">N shows it, and the picture again.</p>
          <PenPressure v-model="room.light.pressure" flow="the light" />
        </FloatPanel>
        <button
          class="button min-h-[26px] px-2"
          :class="room.look === room.helper ? 'button-main' : ''"
          :aria-pressed="room.look === room.helper"
          data-tip="N"
          @click="room.look = room.look === room.helper ? 'plain' : room.helper"
        >
          helper
        </button>
        <span v-if="room.numbers?.ev != null" class="whitespace-nowrap" data-ev
          >{{ evWords(room.numbers.ev) }} here</span
        >
      </template>
      <template v-else>
        <FloatPanel placement="top-start"
          ><template #button>more</template>
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
          <label class="mb-2 flex min-h-6 items-center gap-2">
            <input v-model="room.brush.spare_structure" type="checkbox" class="size-4 accent-thread" />
            spare the structure: lashes, brows, lips, hair
          </label>
          <label class="mb-2 flex min-h-6 items-center gap-2">
            <input v-model="room.brush.fill_inside" type="checkbox" class="size-4 accent-thread" />
            fill inside: draw round something
          </label>
          <PenPressure v-model="room.brush.pressure" flow="flow" />
        </FloatPanel>
        <button
          class="button min-h-[26px] px-2"
          :class="room.brush.keep_edges ? 'button-main' : ''"
          :aria-pressed="room.brush.keep_edges"
          aria-label="keep to edges"
          data-tip="E: cover only what is connected in colour to the middle of the stroke"
          @click="room.brush.keep_edges = !room.brush.keep_edges"
        >
          to edges
        </button>
        <button
          class="button min-h-[26px] px-2"
          :class="room.takeAway ? 'button-main' : ''"
          :aria-pressed="room.takeAway"
          data-tip="T, or hold Alt"
          @click="room.takeAway = !room.takeAway"
        >
          take away
        </button>
      </template>
    </template>
    <template v-else-if="room.pointing">
      <span>Press on the picture{{ drags ? ', and drag up or down' : '' }}.</span>
      <button class="button min-h-[26px]" data-tip="Esc" @click="room.pointing = null">Done pointing</button>
    </template>
    <template v-else-if="room.picking || room.drawing">
      <span v-if="!room.numbers">{{
        room.drawing ? 'Draw on the picture.' : 'Click in the picture; Alt leaves out.'
      }}</span>
      <button class="button min-h-[26px]" data-tip="Esc" @click="room.picking = room.drawing = null">
        Done
      </button>
    </template>
    <template v-else>
      <button class="button min-h-[26px]" data-tip="B" @click="actions.takeBrush()">Take the brush</button>
      <span v-if="!room.numbers" class="text-quiet">Drag to pan, wheel to zoom.</span>
    </template>
    <p v-if="room.numbers && !room.painting" class="flex items-center gap-2 whitespace-nowrap" data-numbers>
      <span class="size-4 border border-rule" :style="{ background: css(room.numbers.before) }"></span>
      <span class="text-quiet">{{ told(room.numbers.before) }}</span>
      <span class="text-quiet">→</span>
      <span class="size-4 border border-rule" :style="{ background: css(room.numbers.after) }"></span>
      <span>{{ told(room.numbers.after) }}</span>
      <span v-if="!room.chain" class="text-quiet max-[1240px]:hidden" data-tip="in sRGB"
        >RGB {{ room.numbers.after.rgb.join(' · ') }}</span
      >
    </p>
    <div class="grow" :class="room.chain ? '-ml-2' : ''"></div>
    <FloatPanel
      v-if="room.openArea && !room.painting"
      placement="top-end"
      panel="w-64 space-y-2 p-3"
      label="More ways to show the area"
      ><template #button>{{ WAYS[room.overlay] ?? 'thread' }}</template>
      <div class="flex items-center gap-2">
        <span class="w-[66px]">picture</span>
        <div class="group-buttons" role="group" aria-label="Only a part of the picture">
          <button
            v-for="way in ['inside', 'outside'] as const"
            :key="way"
            :aria-pressed="room.overlay === way"
            data-tip="V"
            @click="room.overlay = room.overlay === way ? 'stitches' : way"
          >
            {{ WAYS[way] }}
          </button>
        </div>
      </div>
      <div class="flex items-center gap-2">
        <span class="w-[66px]">colour</span>
        <button
          v-for="(colour, name) in COLOURS"
          :key="name"
          class="size-6 rounded-full border border-rule"
          :class="
            room.thread.colour === colour ? 'outline-2 outline-offset-2 outline-thread outline-dashed' : ''
          "
          :style="{ background: colour }"
          :aria-label="`Stitches in ${name}`"
          :aria-pressed="room.thread.colour === colour"
          @click="room.thread.colour = colour"
        ></button>
      </div>
      <div class="flex items-center gap-2">
        <span class="w-[66px]">stitches</span>
        <div class="group-buttons" role="group" aria-label="How dense the stitches are">
          <button
            v-for="(cell, name) in CELLS"
            :key="name"
            :aria-pressed="room.thread.cell === cell"
            @click="room.thread.cell = cell"
          >
            {{ name }}
          </button>
        </div>
      </div>
    </FloatPanel>
    <div
      v-if="room.openArea && !(room.painting && (light || mends))"
      class="group-buttons"
      role="group"
      aria-label="How the area shows"
    >
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
