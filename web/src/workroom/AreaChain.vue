<script setup lang="ts">
import { MenuItem } from '@headlessui/vue'
import Float from '../controls/Float.vue'
import { ArrowDown, ArrowUp, Trash2 } from '@lucide/vue'
import { computed, ref } from 'vue'
import Ask from '../controls/Ask.vue'
import NumberField from '../controls/NumberField.vue'
import OnOff from '../controls/OnOff.vue'
import { brushPart, freshId, wholePart, type Area, type Join, type Part } from '../sheet/types'
import { JOIN_WORDS, partDetail, partTitle, percent } from '../sheet/words'
import { handOut, maskFrom, picture, Problem } from '../api/client'
import { useFound } from '../stores/found'
import { until } from '@vueuse/core'
import { useNotices } from '../stores/notices'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from '../edits/actions'
import Gauges from './Gauges.vue'
import PartControls from './PartControls.vue'

const props = defineProps<{ area: Area }>()
const sheet = useSheet()
const room = useRoom()
const actions = useActions()
const naming = ref(false)
const notices = useNotices()
const found = useFound()
const STILL_SEARCHING = 425
const joins = Object.keys(JOIN_WORDS) as Join[]

const unit = computed(() => Math.max(sheet.portrait?.facts?.width ?? 1, sheet.portrait?.facts?.height ?? 1))
const users = computed(() => sheet.usersOf(props.area.id))
const usedBy = computed(() => {
  const list = users.value
  if (!list.length) return 'used by no touch yet'
  const last = list[list.length - 1]
  return list.length === 1
    ? `used by touch ${last}`
    : `used by touches ${list.slice(0, -1).join(', ')} and ${last}`
})
const share = computed(() => {
  if (room.share === null) return ''
  return room.share === 0 ? 'Nothing is covered yet · ' : `${percent(room.share)} of the picture · `
})
/** Areas that do not already rest on this one. */
const others = computed(() =>
  sheet.areas.filter((a) => a.id !== props.area.id && !restsOn(a.id, props.area.id)),
)
function restsOn(id: string, wanted: string): boolean {
  return (sheet.area(id)?.parts ?? []).some(
    (p) => p.area !== undefined && (p.area === wanted || restsOn(p.area, wanted)),
  )
}
const usedByAreas = computed(() =>
  sheet.areas.filter((a) => a.parts.some((p) => p.area === props.area.id)).map((a) => a.name),
)
const locked = computed(() =>
  usedByAreas.value.length
    ? `“${usedByAreas.value.join('”, “')}” is made from it; take it out there first`
    : '',
)

/** The sources that are made from their settings. */
const made = computed(() => sheet.sources.filter((s) => s.made_by === 'settings'))
const sourceOf = (part: Part) => made.value.find((s) => s.source === part.source)
const title = (part: Part) => partTitle(part, sheet.areas, sheet.sources, sheet.doc.people)

const file = ref<HTMLInputElement | null>(null)
const busy = ref('')
/** Take a mask picture in as a part. */
async function takeIn() {
  const picked = file.value?.files?.[0]
  if (!picked || !sheet.portrait) return
  busy.value = 'reading the mask picture…'
  try {
    const mask = await maskFrom(sheet.portrait.id, picked)
    actions.addPart(props.area, { id: freshId('p'), source: 'file', join: 'add', on: true, ...mask })
  } catch (error) {
    notices.complain(error)
  }
  busy.value = ''
  file.value!.value = ''
}
/** Save the area as a mask picture, at the portrait's own size. */
async function saveMask() {
  busy.value = 'writing the mask picture…'
  try {
    const { blob } = await picture(`/api/portraits/${sheet.portrait!.id}/mask`, {
      revision: sheet.revision,
      trial: sheet.waiting,
      area: props.area.id,
      bits: 16,
    })
    handOut(blob, `${sheet.portrait!.name} ${props.area.name || 'area'}.png`)
  } catch (error) {
    if (error instanceof Problem && error.status === STILL_SEARCHING) {
      busy.value = 'waiting until faces and people are found…'
      await until(() => found.searching).toBe(false)
      return saveMask()
    }
    notices.complain(error)
  }
  busy.value = ''
}

const REFINED: Record<string, string> = {
  no: 'as it is',
  edges: "to the picture's edges",
  hair: 'to single hairs',
}
function refine(how: string) {
  actions.setArea(props.area, 'refine', how, `refined ${props.area.name} ${REFINED[how]}`)
}
function addOther(id: string) {
  actions.addPart(props.area, { id: freshId('p'), source: 'area', join: 'add', on: true, area: id })
}
</script>

<template>
  <div class="p-3.5">
    <div class="flex items-start justify-between gap-2">
      <button
        class="text-left font-read text-[19px] leading-6 font-semibold"
        data-tip="Rename"
        @click="naming = true"
      >
        {{ area.name || 'unnamed' }}
      </button>
      <button class="plain shrink-0 text-quiet" @click="room.chain = false">all areas ›</button>
    </div>
    <p class="mt-2 mb-3 text-quiet">
      {{ share }}{{ usedBy }}
      <button v-if="room.little" class="plain underline" data-tip="Shift+F" @click="room.closer++">
        closer
      </button>
    </p>

    <p v-if="area.needs_look" class="mb-3 border-l-2 border-dashed border-care pl-2">
      It was placed by hand on another portrait: look whether it fits here.
      <button
        class="plain font-medium underline decoration-dotted"
        @click="actions.setArea(area, 'needs_look', false, `${area.name} fits`)"
      >
        it fits
      </button>
    </p>
    <button
      class="button mb-3 w-full"
      :class="room.painting ? 'button-main' : ''"
      :aria-pressed="room.painting"
      @click="actions.takeBrush()"
    >
      {{ room.painting ? 'Put the brush down' : 'Take the brush' }}
    </button>

    <ol>
      <template v-for="(part, i) in area.parts" :key="part.id ?? i">
        <li class="flex h-8 items-center gap-2 pl-3">
          <span class="h-full border-l-2 border-dashed border-thread"></span>
          <Float
            button="plain font-read text-[15px] font-medium text-thread italic"
            :label="`How part ${i + 1} joins: ${JOIN_WORDS[part.join]}`"
            list="w-44"
            ><template #button>{{ JOIN_WORDS[part.join] }}</template>
            <MenuItem v-for="join in joins" :key="join" v-slot="{ active }">
              <button
                class="menu-row"
                :class="{ 'bg-inset': active, 'font-semibold': join === part.join }"
                @click="actions.setPart(area, i, 'join', join)"
              >
                {{ JOIN_WORDS[join] }}
              </button>
            </MenuItem>
          </Float>
        </li>
        <li
          class="rounded-md border border-line bg-white/60 p-2.5"
          :class="part.id === room.openPart ? 'outline-2 outline-thread outline-dashed' : ''"
        >
          <div class="flex items-start gap-2">
            <button
              class="grow text-left"
              :disabled="part.source !== 'strokes' && !sourceOf(part)"
              :aria-pressed="part.id === room.openPart"
              @click="actions.takePart(part)"
            >
              <span class="block" :class="part.on ? 'font-medium' : 'text-quiet'">{{ title(part) }}</span>
              <span class="block text-quiet">{{ partDetail(part, sheet.sources) }}</span>
            </button>
            <OnOff
              :model-value="part.on"
              :label="`Part ${i + 1}, ${title(part)}, on`"
              @update:model-value="actions.setPart(area, i, 'on', $event)"
            />
          </div>
          <PartControls
            v-if="part.id !== null && part.id === room.openPart && sourceOf(part)"
            :key="part.id"
            :area="area"
            :part="part"
            :source="sourceOf(part)!"
          />
          <div class="-mb-1 flex justify-end">
            <button
              class="plain"
              :disabled="i === 0"
              :aria-label="`Move part ${i + 1} up`"
              @click="actions.movePart(area, i, i - 1)"
            >
              <ArrowUp :size="14" />
            </button>
            <button
              class="plain"
              :disabled="i === area.parts.length - 1"
              :aria-label="`Move part ${i + 1} down`"
              @click="actions.movePart(area, i, i + 1)"
            >
              <ArrowDown :size="14" />
            </button>
            <button class="plain" :aria-label="`Take part ${i + 1} out`" @click="actions.deletePart(area, i)">
              <Trash2 :size="14" />
            </button>
          </div>
        </li>
      </template>
      <li class="h-4 pl-3"><span class="block h-full border-l-2 border-dashed border-thread"></span></li>
      <li class="rounded-md border border-dashed border-rule p-2.5">
        <span class="text-quiet">add a part: </span>
        <button class="plain" @click="actions.addPart(area, brushPart())">brush</button> ·
        <template v-for="source in made" :key="source.source">
          <button class="plain" @click="actions.addSource(area, source)">{{ source.title }}</button>
          ·
        </template>
        <button class="plain" @click="actions.addPart(area, wholePart())">whole picture</button> ·
        <button class="plain" data-tip="a grey picture of the portrait's proportions" @click="file?.click()">
          mask picture
        </button>
        <input ref="file" type="file" class="hidden" accept="image/*,.tif,.tiff" data-mask @change="takeIn" />
        <template v-for="other in others" :key="other.id">
          · <button class="plain" @click="addOther(other.id)">{{ other.name || 'unnamed' }}</button>
        </template>
      </li>
    </ol>

    <div class="my-3 border-t border-dotted border-rule"></div>
    <NumberField
      :model-value="Math.round(area.feather * unit)"
      label="feather"
      :low="0"
      :high="Math.round(unit / 2)"
      :soft="Math.round(unit / 12)"
      :step="1"
      unit="px"
      @attempt="actions.attemptArea(area, 'feather', $event / unit)"
      @change="actions.setArea(area, 'feather', $event / unit, `feathered ${area.name} by ${$event} px`)"
    />
    <NumberField
      :model-value="Math.round(area.grow * unit)"
      label="grow"
      :low="-Math.round(unit / 2)"
      :high="Math.round(unit / 2)"
      :soft="Math.round(unit / 25)"
      :step="1"
      unit="px"
      @attempt="actions.attemptArea(area, 'grow', $event / unit)"
      @change="actions.setArea(area, 'grow', $event / unit, `grew ${area.name} by ${$event} px`)"
    />
    <label class="mt-1 flex items-center gap-2">
      <span class="w-[66px] shrink-0">refine</span>
      <select
        class="field min-h-[26px] min-w-0 grow py-0"
        aria-label="Refine"
        :value="area.refine ?? 'no'"
        @change="refine(($event.target as HTMLSelectElement).value)"
      >
        <option value="no">as it is</option>
        <option value="edges">to the picture's edges</option>
        <option value="hair">to single hairs</option>
      </select>
    </label>
    <p v-if="busy" class="mt-1 text-quiet" role="status">{{ busy }}</p>
    <Gauges v-if="room.gauges" :area="area.id" />
    <div class="mt-2 flex flex-wrap gap-x-1 gap-y-1">
      <button
        class="plain"
        :class="area.invert ? 'font-semibold' : ''"
        :aria-pressed="area.invert"
        @click="actions.setArea(area, 'invert', !area.invert, `inverted ${area.name}`)"
      >
        {{ area.invert ? 'inverted' : 'invert' }}
      </button>
      <button class="plain" @click="actions.fill(area)">fill</button>
      <button class="plain" @click="actions.empty(area)">empty</button>
      <button class="plain" data-tip="a grey picture, 16 bit" @click="saveMask">save as a mask</button>
      <button class="plain" :disabled="!!locked" :data-tip="locked" @click="actions.deleteArea(area)">
        delete
      </button>
    </div>
    <p v-if="locked" class="mt-1 text-quiet">{{ locked }}.</p>
    <Ask
      :open="naming"
      title="Name this area"
      field="Its name"
      :value="area.name"
      action="Rename"
      @close="naming = false"
      @done="((naming = false), actions.setArea(area, 'name', $event, `named an area ${$event}`))"
    />
  </div>
</template>
