<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import Float from './Float.vue'
import { computed, ref, watch } from 'vue'
import type { Setting } from '../api/client'
import { type Band, bandName, between, freshBand, named, windowPaths } from '../sheet/bands'
import { hueStrip } from '../sheet/colours'
import { histogramPath } from '../sheet/histogram'
import SettingNumber from './SettingNumber.vue'
import { useDrag } from './useDrag'

const props = defineProps<{ modelValue: Band[]; setting: Setting; hues: number[] }>()
const emit = defineEmits<{ attempt: [bands: Band[]]; change: [bands: Band[]] }>()

const W = 276
const H = 46
const MOST = 12
const NARROWEST = 4
const strip = ref<SVGSVGElement | null>(null)
const chosen = ref(0)
const held = ref<Band[] | null>(null)
const bands = computed(() => held.value ?? props.modelValue)
const names = computed(() => named(props.setting))
const band = computed(() => bands.value[chosen.value])
const swatch = (hue: number) => `oklch(0.68 0.13 ${hue})`

watch(
  () => props.modelValue.length,
  (now, before) => (chosen.value = now > before ? now - 1 : Math.min(chosen.value, Math.max(0, now - 1))),
)

const put = (index: number, changes: Partial<Band>) =>
  props.modelValue.map((b, i) => (i === index ? { ...b, ...changes } : b))

function add(centre: number, width?: number) {
  if (props.modelValue.length >= MOST) return
  emit('change', [...props.modelValue, freshBand(centre, width)])
}
const drag = useDrag<{ index: number; part: 'centre' | 'width'; from: Band; x: number }>(
  strip,
  ({ index, part, from, x: start }, x) => {
    const changes =
      part === 'centre'
        ? { centre: Math.round((from.centre + (x - start) * 360 + 360) % 360) }
        : {
            width: Math.round(
              Math.min(360, Math.max(NARROWEST, 2 * Math.abs(between(from.centre, x * 360)))),
            ),
          }
    held.value = put(index, changes)
    emit('attempt', held.value)
  },
  (_, moved) => {
    const final = held.value
    held.value = null
    if (moved && final) emit('change', final)
  },
)
function grab(event: PointerEvent, index: number, part: 'centre' | 'width') {
  chosen.value = index
  drag.down(event, { index, part, from: props.modelValue[index]!, x: drag.place(event)[0] })
}
/** Where the edges of the chosen window's full part stand, as shares of the strip. */
const edges = computed(() =>
  band.value
    ? [-1, 1].map((side) => ((band.value!.centre + (side * band.value!.width) / 2 + 360) % 360) / 360)
    : [],
)
const field = (name: string) => band.value?.[name as keyof Band] ?? 0
</script>

<template>
  <div>
    <svg
      ref="strip"
      :viewBox="`0 0 ${W} ${H}`"
      class="block w-full touch-none border border-line bg-white/70"
      aria-hidden="true"
      data-hues
      @pointermove="drag.move"
      @pointerup="drag.up"
      @pointercancel="drag.up"
    >
      <path :d="histogramPath(hues, W, H)" class="fill-rule/60" />
      <g v-for="(b, i) in bands" :key="i" class="cursor-ew-resize" @pointerdown="grab($event, i, 'centre')">
        <path
          v-for="(d, k) in windowPaths(b, W, H)"
          :key="k"
          :d="d"
          :fill="swatch(b.centre)"
          fill-opacity="0.3"
          class="stroke-thread"
          :stroke-width="i === chosen ? 2 : 1"
          :stroke-dasharray="i === chosen ? '' : '3 3'"
          @dblclick="emit('change', put(i, freshBand(b.centre, b.width)))"
        />
      </g>
      <rect
        v-for="(x, i) in edges"
        :key="i"
        :x="x * W - 5"
        y="0"
        width="10"
        :height="H"
        class="cursor-col-resize fill-transparent"
        @pointerdown="grab($event, chosen, 'width')"
      />
    </svg>
    <div class="mb-1.5 h-2.5" :style="{ background: hueStrip() }" aria-hidden="true"></div>
    <div class="mb-1.5 flex flex-wrap items-center gap-1" role="group" aria-label="Bands">
      <button
        v-for="(b, i) in bands"
        :key="i"
        class="inline-flex min-h-[26px] items-center gap-1.5 rounded-sm border px-1.5"
        :class="i === chosen ? 'border-thread bg-white' : 'border-line'"
        :aria-pressed="i === chosen"
        @click="chosen = i"
      >
        <span class="size-3 rounded-sm" :style="{ background: swatch(b.centre) }"></span
        >{{ bandName(b, names) }}
      </button>
      <Float
        list="w-36"
        :disabled="bands.length >= MOST"
        :tip="bands.length >= MOST ? 'Twelve bands are the most' : ''"
        ><template #button>+ band</template>
        <MenuItem v-for="[name, centre, width] in names" :key="name" v-slot="{ active }">
          <button class="menu-row" :class="{ 'bg-inset': active }" @click="add(centre, width)">
            <span class="mr-2 inline-block size-3 rounded-sm" :style="{ background: swatch(centre) }"></span
            >{{ name }}
          </button>
        </MenuItem>
      </Float>
      <button
        v-if="band"
        class="plain ml-auto"
        @click="
          emit(
            'change',
            modelValue.filter((_, i) => i !== chosen),
          )
        "
      >
        remove
      </button>
    </div>
    <p v-if="!bands.length" class="mb-1 text-quiet">
      No band yet. Point at a colour in the picture, or choose one with “+ band”.
    </p>
    <template v-if="band">
      <SettingNumber
        v-for="f in setting.fields"
        :key="f.name"
        wide
        :setting="f"
        :model-value="field(f.name)"
        :neutral="Number(f.neutral ?? band.centre)"
        :track="f.name === 'centre' || f.extra.hues ? hueStrip() : ''"
        @attempt="emit('attempt', put(chosen, { [f.name]: $event }))"
        @change="emit('change', put(chosen, { [f.name]: $event }))"
      />
    </template>
  </div>
</template>
