<script setup lang="ts">
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { api, handOut, outlineFrom, picture, type Source } from '../api/client'
import LimitField from '../controls/LimitField.vue'
import SettingNumber from '../controls/SettingNumber.vue'
import { FOUND, namesOf } from '../sheet/found'
import type { Ramp } from '../sheet/ramp'
import type { Area, Part } from '../sheet/types'
import { useFound } from '../stores/found'
import { useNotices } from '../stores/notices'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useActions } from '../edits/actions'
import People from './People.vue'

interface Sample {
  lab: [number, number, number]
  take: boolean
}
const props = defineProps<{ area: Area; part: Part; source: Source }>()
const sheet = useSheet()
const room = useRoom()
const found = useFound()
const actions = useActions()
const notices = useNotices()

const samples = computed(() => (props.part.samples ?? []) as Sample[])
const points = computed(() => (props.part.points ?? []) as [number, number][])
const clicks = computed(() => (props.part.clicks ?? []) as unknown[])
const faces = computed(() => Math.max(found.faces.length, Number(props.part.of ?? 0)))
/** Why a part that was found covers nothing. */
const missing = computed(() => {
  const { source, part, of } = props.part as Part & { part: string; of: number }
  if (source !== 'person' && source !== 'face-part') return ''
  if (found.searching) return 'Still being looked for; it appears by itself.'
  const there = namesOf(found.faces, found.state.person, of).includes(part)
  return there ? '' : 'Nothing of it was found on this picture.'
})
const shapes = computed(() => (props.part.shapes ?? []) as { path: string; take: boolean }[])
const picking = computed(() => (room.picking?.part === props.part.id ? room.picking : null))
const drawing = computed(() => (room.drawing?.part === props.part.id ? room.drawing : null))
const css = (s: Sample) => `oklab(${s.lab.join(' ')})`

const attempt = (changes: object) => actions.attemptPart(props.area, props.part, changes)
const change = (changes: object) => actions.changePart(props.area, props.part, changes)
function pick(take: boolean) {
  const same = picking.value && picking.value.take === take
  room.painting = false
  room.drawing = null
  room.picking = same || !props.part.id ? null : { part: props.part.id, take }
}
function draw(changes: Partial<{ take: boolean; smooth: boolean }> | null) {
  room.painting = false
  room.picking = null
  const now = drawing.value ?? { take: false, smooth: true }
  room.drawing = changes && props.part.id ? { ...now, part: props.part.id, ...changes } : null
}

const svgFile = ref<HTMLInputElement | null>(null)
/** Take the shapes of an SVG drawing into the outline. */
async function takeIn() {
  const file = svgFile.value?.files?.[0]
  if (!file) return
  try {
    const drawn = await outlineFrom(sheet.portrait!.id, file)
    change({ shapes: [...shapes.value, ...drawn.shapes] })
  } catch (error) {
    notices.complain(error)
  }
  svgFile.value!.value = ''
}
async function saveDrawing() {
  const body = {
    revision: sheet.revision,
    trial: sheet.waiting,
    area: props.area.id,
    part: props.part.id,
  }
  try {
    const { blob } = await picture(`/api/portraits/${sheet.portrait!.id}/outline`, body)
    handOut(blob, `${sheet.portrait!.name} ${props.area.name || 'outline'}.svg`)
  } catch (error) {
    notices.complain(error)
  }
}

/** The tones behind the ramp, of the picture that the part looks at. */
const bins = shallowRef<number[]>([])
async function countTones() {
  if (!props.source.settings.some((s) => s.control === 'ramp')) return
  const below = props.part.of === 'below'
  const { data } = await api
    .POST('/api/portraits/{portrait_id}/tones', {
      params: { path: { portrait_id: sheet.portrait!.id } },
      body: {
        revision: sheet.revision,
        trial: below ? sheet.waiting : [],
        original: !below,
        area: below ? props.area.id : null,
      },
    })
    .catch((error: unknown) => {
      sheet.trouble(error)
      return { data: null }
    })
  bins.value = data?.lightness ?? []
}
onMounted(countTones)
watch(() => props.part.of, countTones)
const CHOICES: Record<string, string> = { original: 'the original', below: 'the picture below' }
</script>

<template>
  <div class="mt-2 space-y-1.5">
    <div v-if="source.starts.length" class="flex flex-wrap gap-x-1" role="group" aria-label="Ready ones">
      <button
        v-for="start in source.starts"
        :key="start.title"
        class="plain underline decoration-dotted"
        @click="change(start.settings)"
      >
        {{ start.title }}
      </button>
    </div>
    <template v-for="s in source.settings" :key="s.name">
      <LimitField
        v-if="s.control === 'ramp'"
        :model-value="part[s.name] as Ramp"
        :bins="bins"
        @attempt="attempt({ [s.name]: $event })"
        @change="change({ [s.name]: $event })"
      />
      <button
        v-else-if="s.control === 'switch'"
        class="button mr-1.5 min-h-[26px] px-2"
        :class="part[s.name] ? 'button-main' : ''"
        :aria-pressed="!!part[s.name]"
        @click="change({ [s.name]: !part[s.name] })"
      >
        {{ s.title }}
      </button>
      <SettingNumber
        v-else-if="s.control === 'slider'"
        :setting="s"
        :model-value="Number(part[s.name])"
        @attempt="attempt({ [s.name]: $event })"
        @change="change({ [s.name]: $event })"
      />
      <label v-else-if="s.control === 'choice'" class="flex items-center gap-2">
        <span class="w-[66px] shrink-0">{{ s.title }}</span>
        <select
          class="field min-h-[26px] min-w-0 grow py-0"
          :value="part[s.name]"
          @change="change({ [s.name]: ($event.target as HTMLSelectElement).value })"
        >
          <option v-for="choice in s.choices" :key="choice" :value="choice">
            {{ FOUND[choice]?.words ?? CHOICES[choice] ?? choice }}
          </option>
        </select>
      </label>
      <div v-else-if="s.control === 'face' && faces > 1" class="flex items-center gap-2">
        <span class="w-[66px] shrink-0">{{ s.title }}</span>
        <People
          :model-value="Number(part[s.name])"
          :size="26"
          @update:model-value="change({ [s.name]: $event })"
        />
      </div>
      <div v-else-if="s.control === 'samples' && samples.length" class="flex flex-wrap gap-1">
        <button
          v-for="(sample, i) in samples"
          :key="i"
          class="size-6 border"
          :class="sample.take ? 'border-2 border-dashed border-care' : 'border-rule'"
          :style="{ background: css(sample) }"
          :aria-label="`Forget sample ${i + 1}${sample.take ? ', left out' : ''}`"
          :data-tip="`${sample.take ? 'left out' : 'taken in'}; click forgets it`"
          @click="change({ samples: samples.filter((_, k) => k !== i) })"
        ></button>
      </div>
    </template>
    <p v-if="missing" class="text-quiet">{{ missing }}</p>
    <div v-if="source.picks" class="flex flex-wrap gap-1">
      <button
        class="button min-h-[26px] px-2"
        :class="picking && !picking.take ? 'button-main' : ''"
        :aria-pressed="!!picking && !picking.take"
        @click="pick(false)"
      >
        pick in the picture
      </button>
      <button
        v-if="part.source === 'colour' || part.source === 'thing'"
        class="button min-h-[26px] px-2"
        :class="picking?.take ? 'button-main' : ''"
        :aria-pressed="!!picking?.take"
        data-tip="or hold Alt"
        @click="pick(true)"
      >
        leave out
      </button>
      <button
        v-if="part.source === 'thing'"
        class="button min-h-[26px] px-2"
        :class="room.wholeThings ? 'button-main' : ''"
        :aria-pressed="room.wholeThings"
        data-tip="W, or Alt and the wheel: take whole things, or their parts"
        @click="room.wholeThings = !room.wholeThings"
      >
        whole things
      </button>
      <button v-if="clicks.length" class="plain" @click="change({ clicks: clicks.slice(0, -1) })">
        forget the last click
      </button>
      <button v-if="part.source === 'thing' && part.box" class="plain" @click="change({ box: null })">
        remove the box
      </button>
      <button v-if="points.length" class="plain" @click="change({ points: points.slice(0, -1) })">
        forget the last point
      </button>
    </div>
    <template v-if="part.source === 'outline'">
      <div class="flex flex-wrap gap-1">
        <button
          class="button min-h-[26px] px-2"
          :class="drawing ? 'button-main' : ''"
          :aria-pressed="!!drawing"
          @click="draw(drawing ? null : {})"
        >
          draw
        </button>
        <button
          class="button min-h-[26px] px-2"
          :class="drawing?.smooth ? 'button-main' : ''"
          :aria-pressed="!!drawing?.smooth"
          :disabled="!drawing"
          @click="draw({ smooth: !drawing?.smooth })"
        >
          smooth
        </button>
        <button
          class="button min-h-[26px] px-2"
          :class="drawing?.take ? 'button-main' : ''"
          :aria-pressed="!!drawing?.take"
          :disabled="!drawing"
          data-tip="or hold Alt"
          @click="draw({ take: !drawing?.take })"
        >
          cut out
        </button>
        <button v-if="shapes.length" class="plain" @click="change({ shapes: shapes.slice(0, -1) })">
          remove the last shape
        </button>
        <button
          class="plain"
          data-tip="an SVG drawing of the portrait's proportions"
          @click="svgFile?.click()"
        >
          from SVG
        </button>
        <button v-if="shapes.length" class="plain" @click="saveDrawing">save as SVG</button>
        <input ref="svgFile" type="file" class="hidden" accept=".svg" data-svg @change="takeIn" />
      </div>
      <p class="text-quiet">
        Click sets points, Shift+click corners, dragging draws freehand; Enter or the first point closes it.
        Points can be dragged, a double click makes one smooth or a corner, Alt+click removes it.
      </p>
    </template>
    <p v-else-if="source.settings.some((s) => s.control === 'stage')" class="text-quiet">
      Drag its handles on the picture.
    </p>
  </div>
</template>
