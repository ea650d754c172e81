import { defineStore } from 'pinia'
import { reactive, ref, shallowRef, watch } from 'vue'
import type { Schema } from '../api/client'

export type Overlay = 'stitches' | 'mask' | 'off'
/** The picture under the pointer, before and after. */
export type Colour = Omit<Schema['ColourOut'], 'rgb'> & { rgb: number[] }
export type Numbers = { before: Colour; after: Colour }
export type Look = 'plain' | 'brighter' | 'darker' | 'clipping'

export interface Brush {
  size: number
  softness: number
  flow: number
  ceiling: number
  keep_edges: boolean
  pressure: 'none' | 'size' | 'flow'
}

const KEPT = 'needlepoint-brush'
const START: Brush = { size: 0.08, softness: 0.6, flow: 0.4, ceiling: 1, keep_edges: false, pressure: 'flow' }

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
  const look = ref<Look>('plain')
  /** Pointing at the picture with a touch, by one of its picks. */
  const pointing = ref<{ touch: string; pick: string } | null>(null)
  /** Which entry of a list in the open touch is in hand: the colour stop of a gradient. */
  const entry = ref(0)
  /** Picking from the picture for a part, or drawing an outline into it. */
  const picking = ref<{ part: string; take: boolean } | null>(null)
  const drawing = ref<{ part: string; take: boolean; smooth: boolean } | null>(null)
  /** The touch whose coverage the stage shows in place of the picture, soft or cut at the half. */
  const reach = ref<{ touch: string; sharp: boolean } | null>(null)
  const numbers = shallowRef<Numbers | null>(null)
  const zoomLabel = ref('fit')
  /** Columns that a narrow window folds, and that the photographer has unfolded over the stage. */
  const unfolded = ref<'sheet' | 'areas' | null>(null)

  watch(brush, (value) => localStorage.setItem(KEPT, JSON.stringify(value)))

  function reset() {
    openTouch.value = openArea.value = openPart.value = hoverArea.value = null
    chain.value = painting.value = takeAway.value = false
    before.value = 'no'
    look.value = 'plain'
    pointing.value = picking.value = drawing.value = reach.value = numbers.value = share.value = null
    entry.value = 0
  }
  return {
    openTouch, openArea, openPart, hoverArea, chain, painting, takeAway, overlay, before, share, brush, look,
    pointing, picking, drawing, entry, reach, numbers, zoomLabel, unfolded,
    reset,
  } // prettier-ignore
})
