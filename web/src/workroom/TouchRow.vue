<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { ChevronDown, ChevronRight, Crosshair, Ellipsis } from '@lucide/vue'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import Ask from '../controls/Ask.vue'
import LevelsField, { type Ends } from '../controls/LevelsField.vue'
import LimitField from '../controls/LimitField.vue'
import NumberField from '../controls/NumberField.vue'
import OnOff from '../controls/OnOff.vue'
import { blendWords, limitWords, LIMITS, sameRamp } from '../sheet/mixing'
import type { Ramp } from '../sheet/ramp'
import type { Blend, ToneLimit, Touch } from '../sheet/types'
import { pieces, valueWords } from '../sheet/words'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from '../edits/actions'
import Gauges from './Gauges.vue'
import SettingField from './SettingField.vue'
import { useTones } from '../stores/useTones'
import Where from './Where.vue'

const props = defineProps<{ touch: Touch; number: number; depth: number; first: boolean; last: boolean }>()
const sheet = useSheet()
const room = useRoom()
const actions = useActions()
const naming = ref(false)
const noting = ref(false)
const selected = computed(() => room.selected.includes(props.touch.id))
const folded = computed(() => room.folded.includes(props.touch.id))
const flip = (list: string[]) =>
  list.includes(props.touch.id) ? list.filter((id) => id !== props.touch.id) : [...list, props.touch.id]
/** A click opens the touch; with Ctrl or Shift it is picked, for something to be done with several. */
function press(event: MouseEvent) {
  if (event.ctrlKey || event.metaKey || event.shiftKey) room.selected = flip(room.selected)
  else toggle()
}

const kind = computed(() => sheet.kinds.find((k) => k.kind === props.touch.kind))
const open = computed(() => room.openTouch === props.touch.id)
const words = computed(() => actions.say(props.touch))
const sentencePieces = computed(() => (kind.value ? pieces(kind.value, props.touch.settings) : []))
const setting = (name: string) => kind.value!.settings.find((s) => s.name === name)!

function toggle() {
  actions.openTouch(open.value ? null : props.touch.id)
}

const DWELL = 250
let dwelling: ReturnType<typeof setTimeout> | undefined
/** Show where a touch works while the pointer rests on its sentence; an open one is judged without stitches. */
function showWhere() {
  clearTimeout(dwelling)
  dwelling = setTimeout(() => {
    if (!open.value && props.touch.area) room.hoverArea = props.touch.area
  }, DWELL)
}
function hideWhere() {
  clearTimeout(dwelling)
  if (room.hoverArea === props.touch.area) room.hoverArea = null
}
onBeforeUnmount(hideWhere)
watch(open, hideWhere)

const picks = computed(() => kind.value?.picks ?? [])
const pointing = computed(() => (room.pointing?.touch === props.touch.id ? room.pointing.pick : null))
const SHOWS_TONES = ['curve', 'bands']
const counted = computed(
  () =>
    open.value &&
    (!!props.touch.limit ||
      (kind.value?.settings.some((s) => SHOWS_TONES.includes(s.control) || s.extra.mark) ?? false)),
)
const tones = useTones(() => props.touch.id, counted)

function changeLimit(changes: Partial<ToneLimit>) {
  if (room.reach?.touch === props.touch.id && glimpse) room.reach = null
  glimpse = false
  const limit = { ...props.touch.limit!, ...changes }
  actions.setTouch(props.touch, 'limit', limit, `${words.value}, only in ${limitWords(limit)}`)
}
/** Whether what the limit lets through is shown only while it is dragged. */
let glimpse = false
function attemptLimit(ramp: Ramp) {
  if (!room.reach) {
    room.reach = { touch: props.touch.id, sharp: false }
    glimpse = true
  }
  actions.attemptTouch(props.touch, 'limit', { ...props.touch.limit!, ramp })
}
function show(sharp: boolean) {
  glimpse = false
  const same = room.reach?.touch === props.touch.id && room.reach.sharp === sharp
  room.reach = same ? null : { touch: props.touch.id, sharp }
}

const row = ref<HTMLLIElement | null>(null)
watch(
  [open, () => !!props.touch.limit],
  () => open.value && row.value?.scrollIntoView?.({ block: 'nearest' }),
  { flush: 'post' },
)

const PIXELS_A_STEP = 4
let dragged: { x: number; from: number; to: number; name: string } | null = null
function grab(event: PointerEvent, name: string) {
  if (setting(name).control !== 'slider') return
  dragged = { x: event.clientX, from: Number(props.touch.settings[name]), to: NaN, name }
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
}
function drag(event: PointerEvent) {
  if (!dragged) return
  const { step, low, high, scale } = setting(dragged.name)
  const steps = Math.round((event.clientX - dragged.x) / PIXELS_A_STEP)
  if (!steps && Number.isNaN(dragged.to)) return
  const raw = dragged.from + (steps * (step ?? 1)) / scale
  dragged.to = Number(Math.min(high ?? raw, Math.max(low ?? raw, raw)).toFixed(4))
  actions.attemptSettings(props.touch, { [dragged.name]: dragged.to })
}
function drop() {
  const done = dragged
  dragged = null
  if (!done) return
  if (Number.isNaN(done.to)) actions.openTouch(props.touch.id)
  else actions.setSettings(props.touch, { [done.name]: done.to })
}
function strength(value: number) {
  actions.setTouch(props.touch, 'strength', value / 100, `${words.value}, strength ${Math.round(value)} %`)
}
</script>

<template>
  <li
    ref="row"
    class="relative rounded-md py-1.5 pr-2.5 pl-2"
    :class="
      open
        ? 'bg-white/70 outline-2 outline-thread outline-dashed'
        : selected
          ? 'bg-inset outline-1 outline-thread'
          : ''
    "
    :style="{ marginLeft: `${depth * 14}px` }"
    :data-touch="touch.id"
    :data-open="open"
  >
    <div
      class="flex items-start gap-2"
      :class="touch.on ? '' : 'text-quiet'"
      @pointerenter="showWhere"
      @pointerleave="hideWhere"
    >
      <button
        class="min-h-6 w-6 shrink-0 cursor-grab pt-0.5 text-left text-quiet"
        :aria-label="`Touch ${number}: ${words}`"
        :aria-expanded="open"
        :data-picked="selected"
        title="Ctrl+click picks several"
        @click="press"
      >
        {{ number }}
      </button>
      <button
        v-if="touch.kind === 'set'"
        class="plain -mx-1"
        :aria-expanded="!folded"
        :aria-label="folded ? 'Unfold the set' : 'Fold the set'"
        @click="room.folded = flip(room.folded)"
      >
        <ChevronRight v-if="folded" :size="14" /><ChevronDown v-else :size="14" />
      </button>
      <p class="min-h-6 grow font-read text-[16px] leading-[1.3]" @click.self="toggle">
        <template v-if="touch.kind === 'set'">
          <button class="text-left" @click="press">{{ touch.name || 'Together' }}</button> on
          <Where :touch="touch" />
        </template>
        <button v-else-if="touch.name" class="text-left" @click="toggle">{{ touch.name }}</button>
        <template v-else-if="kind">
          <template v-for="(piece, i) in sentencePieces" :key="i">
            <span v-if="'text' in piece" @click="toggle">{{ piece.text }}</span>
            <Where v-else-if="'where' in piece" :touch="touch" />
            <button
              v-else
              class="where touch-none"
              :class="setting(piece.setting).control === 'slider' ? 'cursor-ew-resize' : ''"
              :aria-label="`${setting(piece.setting).title}: ${valueWords(setting(piece.setting), touch.settings[piece.setting])}. Drag sideways, or open to type.`"
              @pointerdown="grab($event, piece.setting)"
              @pointermove="drag"
              @pointerup="drop"
              @keydown.enter="actions.openTouch(touch.id)"
              @click="setting(piece.setting).control === 'slider' || actions.openTouch(touch.id)"
            >
              {{ valueWords(setting(piece.setting), touch.settings[piece.setting]) }}
            </button>
          </template>
        </template>
        <button v-else class="text-left" @click="toggle">{{ words }}</button>
      </p>
      <OnOff
        :model-value="touch.on"
        :label="`Touch ${number} on`"
        @update:model-value="actions.setTouch(touch, 'on', $event, `${$event ? 'on' : 'off'}: ${words}`)"
      />
    </div>

    <p v-if="touch.note" class="pl-8 whitespace-pre-line text-quiet italic" data-note>{{ touch.note }}</p>
    <div v-if="open" class="mt-2 pr-0.5 pl-8" data-controls>
      <div
        v-if="picks.length"
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
        <Menu v-if="kind || touch.kind === 'set'" as="div" class="relative">
          <MenuButton class="plain -ml-1" :aria-label="`only in ${limitWords(touch.limit)}`">
            <span class="text-quiet">only in</span>&nbsp;<strong class="font-medium">{{
              limitWords(touch.limit)
            }}</strong>
          </MenuButton>
          <MenuItems class="absolute left-0 z-30 w-44 rounded-md border border-rule bg-paper p-1">
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
          </MenuItems>
        </Menu>
        <Menu v-if="kind" as="div" class="relative">
          <MenuButton class="plain" :aria-label="`mixed ${blendWords(touch.blend)}`">
            <span class="text-quiet">mixed</span>&nbsp;<strong class="font-medium">{{
              blendWords(touch.blend)
            }}</strong>
          </MenuButton>
          <MenuItems
            class="absolute left-0 z-30 max-h-72 w-44 overflow-auto rounded-md border border-rule bg-paper p-1"
          >
            <MenuItem v-for="mode in sheet.blends" :key="mode" v-slot="{ active }">
              <button
                class="menu-row"
                :class="{ 'bg-inset': active, 'font-semibold': mode === touch.blend }"
                @click="
                  actions.setTouch(touch, 'blend', mode as Blend, `${words}, mixed ${blendWords(mode)}`)
                "
              >
                {{ blendWords(mode) }}
              </button>
            </MenuItem>
          </MenuItems>
        </Menu>
        <Menu as="div" class="relative ml-auto">
          <MenuButton class="plain" :aria-label="`More for touch ${number}`"
            ><Ellipsis :size="16"
          /></MenuButton>
          <MenuItems class="absolute right-0 z-30 w-48 rounded-md border border-rule bg-paper p-1">
            <MenuItem v-slot="{ active }">
              <button class="menu-row" :class="{ 'bg-inset': active }" @click="naming = true">Rename…</button>
            </MenuItem>
            <MenuItem v-slot="{ active }">
              <button class="menu-row" :class="{ 'bg-inset': active }" @click="noting = true">
                {{ touch.note ? 'Change its note…' : 'Add a note…' }}
              </button>
            </MenuItem>
            <MenuItem v-if="depth > 0" v-slot="{ active }">
              <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.moveOut(touch)">
                Move out of the set
              </button>
            </MenuItem>
            <template v-for="by in [-1, 1]" :key="by">
              <MenuItem v-if="actions.setBeside(touch, by)" v-slot="{ active }">
                <button
                  class="menu-row"
                  :class="{ 'bg-inset': active }"
                  @click="actions.moveInto(touch, actions.setBeside(touch, by)!, by)"
                >
                  Move into the set {{ by < 0 ? 'before' : 'after' }} it
                </button>
              </MenuItem>
            </template>
            <MenuItem v-if="touch.kind === 'set'" v-slot="{ active }">
              <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.takeApart(touch)">
                Take the set apart
              </button>
            </MenuItem>
            <MenuItem v-if="touch.name" v-slot="{ active }">
              <button
                class="menu-row"
                :class="{ 'bg-inset': active }"
                @click="actions.setTouch(touch, 'name', '', 'named by its sentence again')"
              >
                Name it by its sentence
              </button>
            </MenuItem>
            <MenuItem v-slot="{ active }">
              <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.duplicateTouch(touch)">
                Duplicate
              </button>
            </MenuItem>
            <MenuItem v-slot="{ active }" :disabled="first">
              <button
                class="menu-row"
                :disabled="first"
                :title="first ? 'It is the first already' : ''"
                :class="{ 'bg-inset': active }"
                @click="actions.moveTouch(touch, -1)"
              >
                Move earlier
              </button>
            </MenuItem>
            <MenuItem v-slot="{ active }" :disabled="last">
              <button
                class="menu-row"
                :disabled="last"
                :title="last ? 'It is the last already' : ''"
                :class="{ 'bg-inset': active }"
                @click="actions.moveTouch(touch, 1)"
              >
                Move later
              </button>
            </MenuItem>
            <MenuItem v-slot="{ active }">
              <button class="menu-row" :class="{ 'bg-inset': active }" @click="actions.deleteTouch(touch)">
                Delete
              </button>
            </MenuItem>
          </MenuItems>
        </Menu>
      </div>
      <Gauges v-if="room.gauges" :touch="touch.id" />
      <div v-if="touch.limit" class="mt-2" data-limit>
        <LimitField
          :model-value="touch.limit.ramp"
          :bins="tones?.lightness ?? []"
          @attempt="attemptLimit"
          @change="changeLimit({ ramp: $event })"
        />
        <div class="mt-1.5 flex flex-wrap items-center gap-2">
          <span class="text-quiet">tones of</span>
          <div class="group-buttons" role="group" aria-label="Whose tones">
            <button :aria-pressed="touch.limit.of === 'below'" @click="changeLimit({ of: 'below' })">
              the picture below
            </button>
            <button :aria-pressed="touch.limit.of === 'original'" @click="changeLimit({ of: 'original' })">
              the original
            </button>
          </div>
          <span class="text-quiet">show it</span>
          <div class="group-buttons" role="group" aria-label="Show what it lets through">
            <button
              v-for="sharp in [false, true]"
              :key="String(sharp)"
              :aria-pressed="room.reach?.touch === touch.id && room.reach.sharp === sharp"
              @click="show(sharp)"
            >
              {{ sharp ? 'sharp' : 'soft' }}
            </button>
          </div>
        </div>
      </div>
      <Ask
        :open="naming"
        title="Name this touch"
        field="Its name"
        :value="touch.name || words"
        action="Rename"
        @close="naming = false"
        @done="((naming = false), actions.setTouch(touch, 'name', $event, `named: ${$event}`))"
      />
      <Ask
        :open="noting"
        title="A note on this touch"
        field="Note"
        :value="touch.note ?? ''"
        action="Keep"
        optional
        :most="2000"
        @close="noting = false"
        @done="((noting = false), actions.setTouch(touch, 'note', $event, `noted on: ${words}`))"
      />
    </div>
  </li>
</template>
