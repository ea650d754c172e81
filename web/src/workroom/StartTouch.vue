<script setup lang="ts">
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/vue'
import { computed, onMounted, ref, watch } from 'vue'
import { api, type Kind, type Preset, type Schema } from '../api/client'
import { Latest } from '../api/latest'
import { useActions } from '../edits/actions'
import { ownPlace } from '../edits/touches'
import { STAGES } from '../sheet/order'
import { pieces, valueWords, WHOLE } from '../sheet/words'
import { useNotices } from '../stores/notices'
import { usePresets } from '../stores/presets'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

type Wish = Schema['WishOut']
interface Choice {
  kind: Kind
  start: Kind['starts'][number]
  wish: Wish | null
}
interface Saved {
  preset: Preset
}
type Chosen = Choice | Saved

const sheet = useSheet()
const room = useRoom()
const actions = useActions()
const notices = useNotices()
const presets = usePresets()
const query = ref('')
const wishes = ref<Wish[]>([])
/** Counts what was read: with each, the first of the list is the one that Enter takes. */
const answers = ref(0)
const asking = new Latest((error) => notices.complain(error))
const ORDER = Object.keys(STAGES)
const PAUSE = 120
let pause: ReturnType<typeof setTimeout> | undefined

const reading = ref(false)
/** What is typed has been read by the server. */
const understood = computed(() => asking.idle && !reading.value)
/** What was said means nothing that is there: Enter takes none of what is listed until one is pointed at. */
const unknown = computed(
  () => !!query.value.trim() && understood.value && !known.value.length && !namesPreset.value,
)
/** Whether one of the list was gone to, by arrow keys or pointer. */
const picked = ref(false)

/** In the order of the work. */
const all = computed<Choice[]>(() =>
  sheet.kinds
    .flatMap((kind) => kind.starts.map((start): Choice => ({ kind, start, wish: null })))
    .sort((a, b) => ORDER.indexOf(a.kind.stage) - ORDER.indexOf(b.kind.stage)),
)
const titleOf = (c: Choice) => `${c.kind.kind} ${c.start.title}`
const once = (list: Choice[]) =>
  list.filter((choice, i) => list.findIndex((c) => titleOf(c) === titleOf(choice)) === i)
/** What the server made of what was said; `guess`: only what is like it. */
const meant = (guess: boolean) =>
  wishes.value.flatMap((wish) => {
    const choice = all.value.find((c) => c.kind.kind === wish.kind && c.start.title === wish.title)
    return choice && wish.guess === guess ? [{ ...choice, wish }] : []
  })
/** What was said for certain: by its title, as it was understood, or by words that it holds. */
const known = computed<Choice[]>(() => {
  const words = query.value.toLowerCase().split(/\s+/).filter(Boolean)
  const read = meant(false)
  const exact = all.value
    .filter(({ start }) => start.title.toLowerCase() === words.join(' '))
    // Its place was understood as well.
    .map((choice) => read.find((c) => titleOf(c) === titleOf(choice)) ?? choice)
  const holding = all.value.filter(({ kind, start }) => {
    const text = [start.title, kind.title, start.where, ...start.needs].join(' ').toLowerCase()
    return words.every((word) => text.includes(word))
  })
  return once([...exact, ...read, ...holding])
})
const found = computed<Choice[]>(() => {
  if (!query.value.trim()) return all.value
  if (known.value.length) return known.value
  // What is near, then what there is in the order of the work.
  return understood.value ? once([...meant(true), ...all.value]) : []
})
onMounted(() => presets.list ?? presets.fetch())
/** Presets as options, each the same as long as it is listed. */
const saved = computed(() => (presets.list ?? []).map((preset): Saved => ({ preset })))
/** Presets that begin as what is typed stand before what it may mean; those that only hold it come last. */
const options = computed<Chosen[]>(() => {
  const text = query.value.trim().toLowerCase()
  const words = text.split(/\s+/)
  const begin = saved.value.filter(({ preset }) => preset.name.toLowerCase().startsWith(text))
  if (!text) return [...begin, ...found.value]
  const hold = saved.value.filter(
    (one) =>
      !begin.includes(one) &&
      words.every((w) => `${one.preset.name} ${one.preset.notes}`.toLowerCase().includes(w)),
  )
  const exact = found.value.filter(({ start }) => start.title.toLowerCase() === text)
  return [...exact, ...begin, ...found.value.filter((one) => !exact.includes(one)), ...hold]
})
const namesPreset = computed(() => options.value.some((one) => 'preset' in one))
const idOf = (one: Chosen) =>
  'preset' in one ? `preset ${one.preset.id}` : `${one.kind.kind} ${one.start.title}`
watch(query, (text) => {
  clearTimeout(pause)
  picked.value = false
  if (!text.trim() || !sheet.portrait) {
    wishes.value = []
    reading.value = false
    return
  }
  reading.value = true
  pause = setTimeout(() => {
    reading.value = false
    asking.run(async () => {
      const params = { path: { portrait_id: sheet.portrait!.id } }
      const { data } = await api.POST('/api/portraits/{portrait_id}/wishes', { params, body: { text } })
      // What was typed meanwhile is another wish.
      if (query.value !== text) return
      wishes.value = data!
      answers.value += 1
    })
  }, PAUSE)
})

/** The sentence that will stand on the sheet; of what is not meant in particular, the ready touch's title. */
function words({ kind, start, wish }: Choice): string {
  if (!wish || (!wish.place && !Object.keys(wish.settings).length)) return start.title
  const settings: Record<string, unknown> = { ...start.settings, ...wish.settings }
  return pieces(kind, settings)
    .map((piece) => {
      if ('text' in piece) return piece.text
      if ('where' in piece) return where({ kind, start, wish }) || WHOLE
      const setting = kind.settings.find((s) => s.name === piece.setting)
      return setting ? valueWords(setting, settings[piece.setting]) : ''
    })
    .join('')
}
const openAreaName = computed(() => sheet.area(room.openArea)?.name)
/** Where it will lie: what was said, or where it is meant to lie, or what is open. */
function where({ kind, start, wish }: Choice): string {
  if (wish?.place) return wish.where
  if (wish?.whole) return WHOLE
  return start.where || (ownPlace(kind, start) ? '' : (openAreaName.value ?? ''))
}
/** Enter takes nothing that was not said and not gone to. */
function hold(event: KeyboardEvent) {
  if (event.key === 'ArrowDown' || event.key === 'ArrowUp') picked.value = true
  if (event.key !== 'Enter' || picked.value || !(unknown.value || (query.value.trim() && !understood.value)))
    return
  event.preventDefault()
  event.stopPropagation()
}

function begin(choice: Chosen | null) {
  if (!choice) return
  query.value = ''
  if ('preset' in choice) void actions.layPreset(choice.preset)
  else void actions.startTouch(choice.kind, choice.start, { wish: choice.wish })
  // The list hands the focus back to its field, which would unfold it again.
  setTimeout(() => (document.activeElement as HTMLElement | null)?.blur(), 30)
}
</script>

<template>
  <Combobox
    v-slot="{ open }"
    :model-value="null"
    nullable
    immediate
    as="div"
    class="relative"
    :data-wishes="understood ? 'read' : 'reading'"
    @update:model-value="begin"
  >
    <ComboboxInput
      class="field min-h-9 w-full bg-white pr-8 pl-3"
      placeholder="What does it need? “teeth a bit whiter”…"
      aria-label="What does the picture need?"
      data-start
      autocomplete="off"
      :display-value="() => query"
      @change="query = $event.target.value"
      @keydown.capture="hold"
      @keydown.esc="($event.target as HTMLElement).blur()"
    />
    <span v-if="!open" class="pointer-events-none absolute top-2 right-3 text-quiet" aria-hidden="true"
      >/</span
    >
    <div v-show="open" class="choices">
      <p v-if="unknown" class="border-b border-line px-2 py-1 text-quiet" role="status">
        Not understood, so Enter takes nothing. Say where and what: “eyes brighter”, “skin less red”. Or
        choose:
      </p>
      <ComboboxOptions @pointermove="picked = true">
        <ComboboxOption
          v-for="choice in options"
          :key="`${answers} ${idOf(choice)}`"
          v-slot="{ active }"
          :value="choice"
        >
          <div class="rounded-sm px-2 py-1" :class="{ 'bg-inset': active && (picked || !unknown) }">
            <div v-if="'preset' in choice" class="flex min-h-6 items-baseline gap-2">
              <span class="grow font-read text-[16px]">{{ choice.preset.name }}</span>
              <span class="text-quiet">your preset</span>
            </div>
            <template v-else>
              <div class="flex min-h-6 items-baseline gap-2">
                <span class="grow font-read text-[16px]">{{ words(choice) }}</span>
                <span class="text-quiet">{{
                  words(choice) === choice.start.title && where(choice)
                    ? where(choice)
                    : choice.kind.title.toLowerCase()
                }}</span>
              </div>
              <p v-if="choice.wish?.lacks" class="text-quiet">{{ choice.wish.lacks }} You would paint it.</p>
            </template>
          </div>
        </ComboboxOption>
      </ComboboxOptions>
    </div>
  </Combobox>
</template>

<style>
.choices {
  position: absolute;
  z-index: 30;
  margin-top: 4px;
  max-height: 20rem;
  width: 100%;
  overflow: auto;
  border: 1px solid var(--color-rule);
  border-radius: 4px;
  background: var(--color-paper);
  padding: 4px;
}
</style>
