<script setup lang="ts">
import { useElementSize, useEventListener } from '@vueuse/core'
import { computed, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, type Portrait, Problem } from '../api/client'
import PageHead from '../controls/PageHead.vue'
import TableCell from '../sitting/TableCell.vue'
import { columns, finishedOf, FIT, type Look, nearer } from '../sitting/table'
import { useNotices } from '../stores/notices'

/** Two to nine portraits side by side, with one view. */
const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const notices = useNotices()
const [MOST, STEP, PAN] = [9, 1.25, 0.1]
const FLAGS: Record<string, Portrait['flag']> = { k: 'keep', m: 'maybe', x: 'leave out' }
const portraits = ref<Portrait[] | null>(null)
const name = ref('')
const missing = ref('')
const look = ref<Look>({ ...FIT })
const before = ref(false)
const current = ref(0)
const room = ref<HTMLElement | null>(null)
const { width, height } = useElementSize(room)
const across = computed(() => {
  const all = portraits.value ?? []
  const shapes = all.map((p) => finishedOf(p)[0] / finishedOf(p)[1])
  const mean = shapes.reduce((a, b) => a + b, 0) / (shapes.length || 1)
  return columns(all.length, mean || 1, { w: width.value, h: height.value })
})

onMounted(async () => {
  const ids = String(route.query.of ?? '')
    .split(',')
    .filter(Boolean)
    .slice(0, MOST)
  try {
    const { data } = await api.GET('/api/sittings/{sitting_id}', {
      params: { path: { sitting_id: props.id } },
    })
    name.value = data!.name
    const all = await Promise.all(
      ids.map((id) => api.GET('/api/portraits/{portrait_id}', { params: { path: { portrait_id: id } } })),
    )
    portraits.value = all.map(({ data }) => data!).filter((p) => p.state === 'ready')
  } catch (error) {
    if (error instanceof Problem && [404, 422].includes(error.status))
      missing.value = 'These portraits are not here, or no longer.'
    else notices.complain(error)
  }
})

function off(id: string) {
  portraits.value = portraits.value!.filter((p) => p.id !== id)
  current.value = Math.min(current.value, portraits.value.length - 1)
  const of = portraits.value.map((p) => p.id).join(',')
  void router.replace({ query: of ? { of } : {} })
}
async function flag(wanted: Portrait['flag']) {
  const one = portraits.value?.[current.value]
  if (!one) return
  try {
    const { data } = await api.PATCH('/api/portraits/{portrait_id}', {
      params: { path: { portrait_id: one.id } },
      body: { flag: (one.flag === wanted ? '' : wanted) as 'keep' },
    })
    portraits.value = portraits.value!.map((p) => (p.id === one.id ? data! : p))
  } catch (error) {
    notices.complain(error)
  }
}

/** A place in the cell under the pointer, from its middle, in shares of its shorter side. */
function within(event: MouseEvent) {
  const cell = (event.target as HTMLElement).closest('figure')?.firstElementChild?.getBoundingClientRect()
  if (!cell) return null
  const side = Math.min(cell.width, cell.height)
  return {
    x: (event.clientX - cell.x - cell.width / 2) / side,
    y: (event.clientY - cell.y - cell.height / 2) / side,
    side,
  }
}
function wheel(event: WheelEvent) {
  const at = within(event)
  if (at) look.value = nearer(look.value, event.deltaY < 0 ? STEP : 1 / STEP, at)
}
let held: { x: number; y: number; side: number } | null = null
function down(event: PointerEvent) {
  const at = within(event)
  if (!at || event.button || (event.target as HTMLElement).closest('figcaption')) return
  held = { x: event.clientX, y: event.clientY, side: at.side }
}
useEventListener('pointermove', (event) => {
  if (!held) return
  const by = held.side * look.value.zoom
  look.value = {
    ...look.value,
    dx: look.value.dx - (event.clientX - held.x) / by,
    dy: look.value.dy - (event.clientY - held.y) / by,
  }
  held = { ...held, x: event.clientX, y: event.clientY }
})
useEventListener(['pointerup', 'pointercancel'], () => (held = null))
const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}
useEventListener('keydown', (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || !portraits.value?.length) return
  if ((event.target as HTMLElement).closest('input, select')) return
  const arrow = ARROWS[event.key]
  if (arrow && event.shiftKey) {
    const by = PAN / look.value.zoom
    look.value = { ...look.value, dx: look.value.dx + by * arrow[0], dy: look.value.dy + by * arrow[1] }
  } else if (arrow) {
    const next = current.value + arrow[0] + arrow[1] * across.value
    if (next >= 0 && next < portraits.value.length) current.value = next
  } else if (event.key === 'b') before.value = true
  else if (event.key === 'f') look.value = { ...FIT, at: look.value.at === 'faces' ? 'fit' : 'faces' }
  else if (event.key === '+' || event.key === '=') look.value = nearer(look.value, STEP)
  else if (event.key === '-') look.value = nearer(look.value, 1 / STEP)
  else if (event.key === '0') look.value = { ...FIT, at: look.value.at }
  else if (FLAGS[event.key]) void flag(FLAGS[event.key]!)
  else return
  event.preventDefault()
})
useEventListener('keyup', (event) => event.key === 'b' && (before.value = false))
</script>

<template>
  <div class="flex h-screen flex-col bg-room">
    <PageHead
      :trail="[{ text: 'Sittings', to: '/' }, { text: name, to: `/sittings/${id}` }, { text: 'Light table' }]"
    />
    <div class="flex items-center gap-3 border-b border-line bg-paper px-4 py-1">
      <span class="group-buttons" role="group" aria-label="What is seen of each">
        <button :aria-pressed="look.at === 'fit'" data-tip="F" @click="look = { ...FIT }">whole</button>
        <button :aria-pressed="look.at === 'faces'" data-tip="F" @click="look = { ...FIT, at: 'faces' }">
          faces
        </button>
      </span>
      <span class="group-buttons" role="group" aria-label="How near">
        <button aria-label="Farther" data-tip="−, or the wheel" @click="look = nearer(look, 1 / STEP)">
          −
        </button>
        <button data-tip="0 lets all be seen again" @click="look = { ...FIT, at: look.at }">
          × {{ look.zoom.toFixed(1) }}
        </button>
        <button aria-label="Nearer" data-tip="+, or the wheel" @click="look = nearer(look, STEP)">+</button>
      </span>
      <button
        class="button"
        data-tip="B, held"
        :aria-pressed="before"
        @pointerdown="before = true"
        @pointerup="before = false"
        @pointerleave="before = false"
      >
        {{ before ? 'before' : 'hold for before' }}
      </button>
      <span class="text-quiet">K, M, X flag the one with the dashes; drag one picture to move all</span>
    </div>
    <p v-if="missing" class="m-auto font-read text-xl text-paper">{{ missing }}</p>
    <p v-else-if="portraits && !portraits.length" class="m-auto font-read text-xl text-paper">
      Nothing lies on the table. Choose two to nine portraits of the sitting.
    </p>
    <main
      ref="room"
      class="grid min-h-0 grow cursor-grab auto-rows-fr gap-1 p-1 select-none active:cursor-grabbing"
      :style="{ gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))` }"
      @wheel.prevent="wheel"
      @pointerdown="down"
    >
      <TableCell
        v-for="(one, i) in portraits ?? []"
        :key="one.id"
        :portrait="one"
        :look="look"
        :before="before"
        :current="i === current"
        :aria-current="i === current || undefined"
        @pointerdown="current = i"
        @away="off(one.id)"
      />
    </main>
  </div>
</template>
