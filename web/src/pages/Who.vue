<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import { api, Problem, type Schema } from '../api/client'
import PageHead from '../controls/PageHead.vue'
import { useNotices } from '../stores/notices'

/** Who is who in a sitting: faces in groups of one sitter each, to be named and corrected. */
const props = defineProps<{ id: string }>()
const notices = useNotices()
type Group = Schema['GroupOut']
const POLL = 1500
/** Faces up to which groups stand beside each other. */
const FEW = 3
const who = ref<Schema['WhoOut'] | null>(null)
const name = ref('')
const missing = ref('')
const chosen = ref<number[]>([])
const busy = ref(false)
let timer: ReturnType<typeof setTimeout> | undefined
const params = computed(() => ({ path: { sitting_id: props.id } }))
const faces = computed(() => who.value?.groups.flatMap((g) => g.faces).length ?? 0)

onMounted(async () => {
  try {
    name.value = (await api.GET('/api/sittings/{sitting_id}', { params: params.value })).data!.name
    await look()
  } catch (error) {
    if (error instanceof Problem && error.status === 404)
      missing.value = 'This sitting is not here, or no longer.'
    else notices.complain(error)
  }
})
onBeforeUnmount(() => clearTimeout(timer))

async function look() {
  take((await api.GET('/api/sittings/{sitting_id}/sitters', { params: params.value })).data!)
  // Faces that nobody has looked at yet find their group by themselves.
  if (who.value!.fresh && !who.value!.waiting) await group()
  if (who.value!.waiting) timer = setTimeout(() => void look().catch(notices.complain), POLL)
}
function take(now: Schema['WhoOut']) {
  who.value = now
  const there = new Set([...now.groups.flatMap((g) => g.faces), ...now.aside].map((f) => f.id))
  chosen.value = chosen.value.filter((id) => there.has(id))
}
async function does(what: () => Promise<{ data?: Schema['WhoOut'] }>) {
  busy.value = true
  try {
    take((await what()).data!)
    return true
  } catch (error) {
    notices.complain(error)
    return false
  } finally {
    busy.value = false
  }
}
const group = () => does(() => api.POST('/api/sittings/{sitting_id}/sitters', { params: params.value }))
async function call(one: Group, event: Event) {
  const field = event.target as HTMLInputElement
  if (field.value.trim() === one.name) return
  const done = await does(() =>
    api.PATCH('/api/sitters/{sitter_id}', {
      params: { path: { sitter_id: one.id } },
      body: { name: field.value },
    }),
  )
  if (!done) field.value = one.name
}
async function move(body: Omit<Schema['WhoseIn'], 'faces'>) {
  const done = await does(() =>
    api.POST('/api/sittings/{sitting_id}/faces', {
      params: params.value,
      body: { ...body, faces: chosen.value },
    }),
  )
  if (done) chosen.value = []
}
function pick(id: number) {
  chosen.value = chosen.value.includes(id) ? chosen.value.filter((one) => one !== id) : [...chosen.value, id]
}
const called = (one: Group) => one.name || `without a name, on ${one.count}`
</script>

<template>
  <div class="flex min-h-full flex-col">
    <PageHead
      :trail="[{ text: 'Sittings', to: '/' }, { text: name, to: `/sittings/${id}` }, { text: 'Who is who' }]"
    />
    <main class="mx-auto w-full max-w-[1080px] p-8">
      <p v-if="missing" class="font-read text-xl">{{ missing }}</p>
      <template v-else>
        <div class="mb-2 flex items-center gap-3">
          <h1 class="grow font-read text-2xl">Who is who</h1>
          <button
            class="button"
            :disabled="busy || !faces"
            data-tip="Named groups stay, and so does what you moved"
            @click="group"
          >
            Group once more
          </button>
        </div>
        <p class="mb-6 max-w-[70ch] text-quiet">
          Faces are put together by how they are built and by their colours, on this machine alone; nobody’s
          name is guessed. Name a group, choose faces that are in the wrong one, and say whose they are. Two
          groups with one name become one.
        </p>
        <p v-if="who === null" class="text-quiet">Fetching the faces…</p>
        <p v-else-if="who.waiting" class="mb-6" aria-live="polite">
          {{ who.waiting }} {{ who.waiting === 1 ? 'portrait is' : 'portraits are' }} still being looked
          through for faces; they come by themselves.
        </p>
        <p
          v-if="who && !who.waiting && !faces && !who.aside.length"
          class="py-8 text-center font-read text-xl"
        >
          No face was found in this sitting.
        </p>
        <div
          v-if="chosen.length"
          class="sticky top-0 z-10 mb-4 flex flex-wrap items-center gap-2 rounded-md border border-line bg-inset px-3 py-2"
          role="group"
          aria-label="Chosen faces"
        >
          <span class="mr-1">{{ chosen.length }} {{ chosen.length === 1 ? 'face is' : 'faces are' }}</span>
          <select
            class="field"
            aria-label="whose they are"
            :disabled="busy"
            @change="move({ sitter: Number(($event.target as HTMLSelectElement).value), new: false })"
          >
            <option value="" selected disabled>of…</option>
            <option v-for="one in who?.groups" :key="one.id" :value="one.id">{{ called(one) }}</option>
          </select>
          <button class="button" :disabled="busy" @click="move({ new: true })">somebody else’s</button>
          <button class="button" :disabled="busy" @click="move({ new: false })">not to be counted</button>
          <button class="plain ml-auto text-quiet" @click="chosen = []">let go</button>
        </div>
        <div class="grid grid-cols-3 gap-x-8 gap-y-5">
          <section
            v-for="one in [
              ...(who?.groups ?? []),
              ...(who?.aside.length ? [{ id: 0, name: '', count: 0, faces: who.aside }] : []),
            ]"
            :key="one.id"
            class="border-t border-line pt-3"
            :class="one.faces.length > FEW ? 'col-span-full' : ''"
            :data-sitter="one.name"
            :aria-label="one.id ? called(one) : 'not counted'"
          >
            <div
              class="mb-2 flex items-baseline gap-3"
              :class="one.faces.length > FEW ? 'max-w-[480px]' : ''"
            >
              <input
                v-if="one.id"
                :value="one.name"
                class="field w-full min-w-0 font-read text-lg"
                maxlength="120"
                placeholder="Who is this?"
                :aria-label="`Name of the sitter, now ${called(one)}`"
                @change="call(one, $event)"
                @keydown.enter="($event.target as HTMLInputElement).blur()"
              />
              <h2 v-else class="font-read text-lg">Not counted</h2>
              <span v-if="one.id" class="shrink-0 text-quiet">
                on {{ one.count }} {{ one.count === 1 ? 'portrait' : 'portraits' }}
              </span>
              <button
                v-if="one.faces.length > 1"
                class="plain ml-auto shrink-0 text-quiet"
                @click="chosen = [...new Set([...chosen, ...one.faces.map((f) => f.id)])]"
              >
                choose all
              </button>
            </div>
            <div class="flex flex-wrap gap-2">
              <button
                v-for="face in one.faces"
                :key="face.id"
                class="size-20 overflow-hidden rounded-sm bg-room [content-visibility:auto]"
                :class="
                  chosen.includes(face.id) ? 'outline-2 outline-offset-2 outline-dashed outline-thread' : ''
                "
                :aria-pressed="chosen.includes(face.id)"
                :aria-label="`Face on ${face.portrait_name}`"
                :data-tip="face.portrait_name + (face.said ? ' · you said so' : '')"
                @click="pick(face.id)"
              >
                <img
                  :src="`/api/faces/${face.id}/picture`"
                  alt=""
                  loading="lazy"
                  class="size-full object-cover"
                />
              </button>
            </div>
          </section>
        </div>
      </template>
    </main>
  </div>
</template>
