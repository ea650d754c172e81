<script setup lang="ts">
import { Crosshair, Eye, EyeOff, Trash2 } from '@lucide/vue'
import { computed } from 'vue'
import type { Kind } from '../api/client'
import NumberField from '../controls/NumberField.vue'
import SettingNumber from '../controls/SettingNumber.vue'
import { useActions } from '../edits/actions'
import { patchWords, SMOOTHERS, TAKES } from '../sheet/patches'
import type { Mending, Patch, Touch } from '../sheet/types'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import NamedArea from './NamedArea.vue'

/** The patches of a repair: how the next one is laid, and all that there are. */
const props = defineProps<{ touch: Touch; kind: Kind }>()
const room = useRoom()
const sheet = useSheet()
const actions = useActions()

const WAYS: { way: Mending['way']; tip: string }[] = [
  { way: 'spot', tip: 'one click or a stroke: a like place is found' },
  { way: 'heal', tip: 'texture from a source, light and colour from round about' },
  { way: 'clone', tip: 'pixels from a source, as they are' },
  { way: 'fill', tip: 'made up from what is round it: for things' },
  { way: 'smear', tip: 'pushed along the stroke' },
  { way: 'paint', tip: 'a colour of the picture' },
]
const DOES: Record<Mending['way'], string> = {
  spot: 'heal',
  heal: 'heal',
  clone: 'clone over',
  fill: 'fill',
  smear: 'smear',
  paint: 'paint',
}
/** Ways that look for what they take. */
const SEARCHED: Mending['way'][] = ['spot', 'heal', 'fill']
const OF: Mending['of'][] = ['everything', 'shading', 'texture']
const patches = computed(() => props.touch.settings.patches as Patch[])
const halves = computed(
  () => room.nextPatch.of !== 'everything' || patches.value.some((p) => p.of !== 'everything'),
)
const size = computed(() => props.kind.settings.find((s) => s.name === 'size')!)
const smoother = computed(() => String(props.touch.settings.smoother))
/** What is to be taken away whole: the area that the repair lies on. */
const area = computed(() => sheet.area(props.touch.area))
/** One half by itself, parted at this repair's size, and the picture again. */
function seeAlone(half: 'shading' | 'texture') {
  room.check.size = Math.max(0.002, Number(props.touch.settings.size))
  room.look = room.look === half ? 'plain' : half
}
const painting = computed(() => room.painting && actions.mendTouch() !== null)
function paint() {
  if (!painting.value) room.painting = false
  room.chain = false
  actions.takeBrush()
}
function pick(patch: Patch) {
  room.patch = room.patch === patch.id ? null : patch.id
}
const change = (patch: Patch, changes: Partial<Patch>) =>
  actions.changePatch(props.touch, { id: patch.id, changes })
const attempt = (patch: Patch, changes: Partial<Patch>) =>
  actions.attemptPatch(props.touch, { id: patch.id, changes })
</script>

<template>
  <div class="mb-2 space-y-1.5" data-patches>
    <div class="group-buttons" role="group" aria-label="How the next patch is laid">
      <button
        v-for="one in WAYS"
        :key="one.way"
        class="!px-[7px]"
        :aria-pressed="room.nextPatch.way === one.way"
        :data-tip="one.tip"
        @click="room.nextPatch.way = one.way"
      >
        {{ one.way }}
      </button>
    </div>
    <div class="flex items-center gap-2">
      <span class="text-quiet">on</span>
      <div class="group-buttons" role="group" aria-label="What the next patch works on">
        <button
          v-for="of in OF"
          :key="of"
          :aria-pressed="room.nextPatch.of === of"
          @click="room.nextPatch.of = of"
        >
          {{ of }}
        </button>
      </div>
    </div>
    <div v-if="room.nextPatch.way === 'paint'" class="flex items-center gap-2">
      <span
        class="size-6 rounded-full border border-rule"
        :style="{ background: String(touch.settings.next_colour) }"
      ></span>
      <button
        class="button min-h-[26px] px-2"
        :class="room.pointing ? 'button-main' : ''"
        :aria-pressed="!!room.pointing"
        @click="room.pointing = room.pointing ? null : { touch: touch.id, pick: 'colour' }"
      >
        <Crosshair :size="13" class="shrink-0" />pick the colour
      </button>
    </div>
    <NamedArea
      v-if="SEARCHED.includes(room.nextPatch.way)"
      title="takes from"
      :now="room.nextPatch.within"
      none="what is round it"
      :except="null"
      @choose="room.nextPatch.within = $event"
      @found="room.nextPatch.within = actions.keepFound($event)"
    />
    <div class="flex flex-wrap items-center gap-1">
      <button
        class="button min-h-[26px] px-2"
        :class="painting ? 'button-main' : ''"
        :aria-pressed="painting"
        data-tip="B"
        @click="paint"
      >
        {{ painting ? 'repairing' : 'take the brush' }}
      </button>
      <template v-if="room.nextPatch.way !== 'smear'">
        <button
          v-if="area"
          class="button min-h-[26px] max-w-full px-2"
          :disabled="!!room.seeking"
          @click="actions.mendArea(touch, area.id)"
        >
          <span class="truncate">{{ DOES[room.nextPatch.way] }} all of {{ area.name || 'the area' }}</span>
        </button>
        <button
          v-else-if="room.nextPatch.way === 'fill'"
          class="button min-h-[26px] px-2"
          data-tip="click on it, or draw a box round it"
          @click="actions.makeFrom('thing', touch)"
        >
          <Crosshair :size="13" class="shrink-0" />point at the thing
        </button>
      </template>
    </div>
    <template v-if="halves">
      <SettingNumber
        wide
        :setting="size"
        :model-value="Number(touch.settings.size)"
        @attempt="actions.attemptSettings(touch, { size: $event })"
        @change="actions.setSettings(touch, { size: $event })"
      />
      <label class="flex items-center gap-2">
        <span class="w-[66px]">parted by</span>
        <select
          class="field min-h-[26px] grow py-0"
          aria-label="parted by"
          :value="smoother"
          @change="actions.setSettings(touch, { smoother: ($event.target as HTMLSelectElement).value })"
        >
          <option v-for="(_, name) in SMOOTHERS" :key="name">{{ name }}</option>
        </select>
      </label>
      <p class="text-quiet">{{ SMOOTHERS[smoother] }}</p>
      <div class="flex items-center gap-2">
        <span class="text-quiet">see alone</span>
        <div class="group-buttons" role="group" aria-label="See one half by itself">
          <button
            v-for="half in ['shading', 'texture'] as const"
            :key="half"
            :aria-pressed="room.look === half"
            @click="seeAlone(half)"
          >
            {{ half }}
          </button>
        </div>
      </div>
    </template>
    <p v-if="!patches.length" class="text-quiet">
      Nothing repaired yet.
      {{
        room.nextPatch.way === 'fill'
          ? 'Stroke over the whole of a thing, or point at it.'
          : 'Click on a spot, or stroke over it. P points at where it should come from.'
      }}
    </p>
    <ol v-else class="max-h-56 space-y-0.5 overflow-y-auto">
      <li v-for="(patch, i) in patches" :key="patch.id" data-patch>
        <div class="flex items-center gap-1" :class="patch.id === room.patch ? 'bg-inset' : ''">
          <button
            class="plain min-h-6 min-w-0 grow justify-start gap-2 truncate"
            :aria-expanded="patch.id === room.patch"
            @click="pick(patch)"
          >
            <span class="text-quiet tabular-nums">{{ i + 1 }}</span><span class="truncate">{{
              patchWords(patch)
            }}</span>
          </button>
          <button
            class="icon-button"
            :aria-label="`Patch ${i + 1} ${patch.on ? 'off' : 'on'}`"
            :data-tip="patch.on ? 'switch it off' : 'switch it on'"
            @click="change(patch, { on: !patch.on })"
          >
            <Eye v-if="patch.on" :size="14" /><EyeOff v-else :size="14" />
          </button>
          <button
            class="icon-button"
            :aria-label="`Delete patch ${i + 1}`"
            data-tip="Delete"
            @click="actions.changePatch(touch, { id: patch.id, changes: null })"
          >
            <Trash2 :size="14" />
          </button>
        </div>
        <div
          v-if="patch.id === room.patch"
          class="space-y-1 border-l-2 border-dashed border-thread py-1 pl-2"
        >
          <NumberField
            :model-value="Math.round(patch.strength * 100)"
            label="patch"
            :low="0"
            :high="100"
            :step="1"
            :neutral="100"
            unit="%"
            @attempt="attempt(patch, { strength: $event / 100 })"
            @change="change(patch, { strength: $event / 100 })"
          />
          <NumberField
            v-if="patch.way === 'spot' && patch.of === 'everything'"
            :model-value="Math.round(patch.forms * 100)"
            label="forms stay"
            :low="0"
            :high="100"
            :step="1"
            :neutral="0"
            unit="%"
            data-tip="folds and edges that lie under the spot; found with the source"
            @attempt="attempt(patch, { forms: $event / 100 })"
            @change="change(patch, { forms: $event / 100 })"
          />
          <template v-if="patch.way === 'clone'">
            <NumberField
              :model-value="patch.turn"
              label="turned"
              :low="-180"
              :high="180"
              :step="1"
              :neutral="0"
              unit="°"
              @attempt="attempt(patch, { turn: $event })"
              @change="change(patch, { turn: $event })"
            />
            <NumberField
              :model-value="Math.round(patch.scale * 100)"
              label="scaled"
              :low="25"
              :high="400"
              :step="1"
              :neutral="100"
              unit="%"
              @attempt="attempt(patch, { scale: $event / 100 })"
              @change="change(patch, { scale: $event / 100 })"
            />
            <label class="flex min-h-6 items-center gap-2">
              <input
                type="checkbox"
                class="size-4 accent-thread"
                :checked="patch.mirror"
                @change="change(patch, { mirror: ($event.target as HTMLInputElement).checked })"
              />
              mirrored
            </label>
          </template>
          <div v-if="TAKES.includes(patch.way) || patch.way === 'fill'" class="flex flex-wrap gap-1">
            <button class="button min-h-[26px] px-2" data-tip="T" @click="actions.anotherSource()">
              {{ patch.way === 'fill' ? 'another try' : 'another source' }}
            </button>
            <button
              v-if="patch.way === 'clone' && patch.source"
              class="button min-h-[26px] px-2"
              data-tip="the best fit near its source: knit, petals"
              @click="actions.anotherSource(true)"
            >
              meet the pattern
            </button>
          </div>
        </div>
      </li>
    </ol>
  </div>
</template>
