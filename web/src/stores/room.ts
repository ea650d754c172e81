import { defineStore } from 'pinia'
import { reactive, ref, watch } from 'vue'

export type Overlay = 'stitches' | 'mask' | 'off'

export interface Brush {
  size: number
  softness: number
  flow: number
  ceiling: number
  pressure: 'none' | 'size' | 'flow'
}

const KEPT = 'needlepoint-brush'
const START: Brush = { size: 0.08, softness: 0.6, flow: 0.4, ceiling: 1, pressure: 'flow' }

function kept(): Brush {
  try {
    return { ...START, ...(JSON.parse(localStorage.getItem(KEPT) ?? '{}') as Partial<Brush>) }
  } catch {
    return { ...START }
  }
}

/** What is open and in hand in the workroom; nothing of it enters the sheet. */
export const useRoom = defineStore('room', () => {
  const openTouch = ref<string | null>(null)
  const openArea = ref<string | null>(null)
  const openPart = ref<string | null>(null)
  const hoverArea = ref<string | null>(null)
  const chain = ref(false)
  const painting = ref(false)
  const takeAway = ref(false)
  const overlay = ref<Overlay>('stitches')
  const before = ref<'no' | 'all' | 'touch'>('no')
  const share = ref<number | null>(null)
  const brush = reactive(kept())
  const zoomLabel = ref('fit')
  /** Columns that a narrow window folds, and that the photographer has unfolded over the stage. */
  const unfolded = ref<'sheet' | 'areas' | null>(null)

  watch(brush, (value) => localStorage.setItem(KEPT, JSON.stringify(value)))

  function reset() {
    openTouch.value = openArea.value = openPart.value = hoverArea.value = null
    chain.value = painting.value = takeAway.value = false
    before.value = 'no'
    share.value = null
  }
  return {
    openTouch, openArea, openPart, hoverArea, chain, painting, takeAway, overlay, before, share, brush, zoomLabel, unfolded,
    reset,
  } // prettier-ignore
})
