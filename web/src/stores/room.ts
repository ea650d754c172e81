import { defineStore } from 'pinia'
import { useLocalStorage } from '@vueuse/core'
import { computed, reactive, ref, shallowRef } from 'vue'
import type { Schema } from '../api/client'
import type { Area, Mending, ShapeStroke } from '../sheet/types'

export type Overlay = 'stitches' | 'mask' | 'inside' | 'outside' | 'off'
/** What stitches look like: their colour, and how far apart they stand in CSS pixels. */
export interface Thread {
  colour: string
  cell: number
}
/** Share of the picture under which an area is hardly seen with the whole picture in view. */
const LITTLE = 0.02
/** Share of the picture over which what an area leaves out says more than what it covers. */
const MOST = 0.6
const THREAD_KEPT = 'needlepoint-thread'
const THREAD: Thread = { colour: '#0aa39a', cell: 8 }
/** The picture under the pointer, before and after. */
export type Colour = Omit<Schema['ColourOut'], 'rgb'> & { rgb: number[] }
export type Numbers = { before: Colour; after: Colour; ev?: number | null }
export type Look = NonNullable<Schema['ViewIn']['look']>
/** What the picture is compared with: the original, the sheet without the open touch or its set, or another point. */
export type BeforeOf =
  | { kind: 'original' }
  | { kind: 'touch' }
  | { kind: 'set' }
  | { kind: 'edit'; edit: number | null; words: string }
/** How a check looks: what parts shading from texture (long sides), the output profile, the final long side. */
export interface CheckOptions {
  size: number
  into: 'srgb' | 'display-p3'
  /** The press on whose paper the soft proof is seen, instead. */
  press: number | null
  pixels: number
}
const CHECK_KEPT = 'needlepoint-check'
const CHECK: CheckOptions = { size: 0.008, into: 'srgb', press: null, pixels: 1600 }

export interface Brush {
  size: number
  softness: number
  flow: number
  ceiling: number
  keep_edges: boolean
  spare_structure: boolean
  fill_inside: boolean
  pressure: 'none' | 'size' | 'flow'
}
/** The brush with which a touch lays light: what one pass makes is a few per cent. */
export type LightBrush = Pick<Brush, 'size' | 'softness' | 'flow' | 'pressure'>
const LIGHT_KEPT = 'needlepoint-light-brush'
const LIGHT: LightBrush = { size: 0.04, softness: 0.9, flow: 0.07, pressure: 'flow' }

const MEND_KEPT = 'needlepoint-mending-brush'
/** The brush of a repair: it may run round what it means. */
export type MendBrush = LightBrush & Pick<Brush, 'fill_inside'>
const MEND: MendBrush = { size: 0.02, softness: 0.5, flow: 1, pressure: 'none', fill_inside: false }
/**
 * How the next patch of a repair is laid; walking: its source goes along with the brush from stroke to stroke; within:
 * the area that what is looked for is taken from, if it is not what lies round about.
 */
export interface NextPatch {
  way: Mending['way']
  of: Mending['of']
  walking: boolean
  within: string | null
}

const SHAPE_KEPT = 'needlepoint-shape-brush'
const SHAPE: LightBrush = { size: 0.12, softness: 0.8, flow: 1, pressure: 'flow' }
/** What the next stroke of a shape does, and whether on both sides of the face. */
export interface NextShape {
  does: ShapeStroke['does']
  mirrored: boolean
}

const KEPT = 'needlepoint-brush'
const START: Brush = {
  size: 0.08,
  softness: 0.6,
  flow: 0.4,
  ceiling: 1,
  keep_edges: false,
  spare_structure: false,
  fill_inside: false,
  pressure: 'flow',
}

/** What the photographer has set for good, kept in this browser; what is new since then begins as it is meant to. */
const kept = <T extends object>(key: string, start: T) =>
  reactive(useLocalStorage<T>(key, start, { mergeDefaults: true }).value) as T

/** What is open and in hand in the workroom; nothing of it enters the sheet. */
export const useRoom = defineStore('room', () => {
  const openTouch = ref<string | null>(null)
  const openArea = ref<string | null>(null)
  const openPart = ref<string | null>(null)
  const hoverArea = ref<string | null>(null)
  /** Something found that is pointed at and is not in the sheet. */
  const hoverFound = shallowRef<Area | null>(null)
  const chain = ref(false)
  const painting = ref(false)
  const takeAway = ref(false)
  /** Painting light with a touch: its strokes make darker. */
  const darker = ref(false)
  const overlay = ref<Overlay>('stitches')
  /** Stitches are held on, whatever is in hand. */
  const stitched = ref(false)
  const before = ref<'no' | 'all' | 'touch'>('no')
  const share = ref<number | null>(null)
  /** Where the open area lies: a box in long sides. */
  const box = shallowRef<number[] | null>(null)
  /** Counts how often one asked, elsewhere than on the stage, to come closer to the open area or back. */
  const closer = ref(0)
  const most = computed(() => share.value !== null && share.value > MOST)
  /** The open area covers so little that it is hardly seen with the whole picture in view. */
  const little = computed(() => share.value !== null && share.value > 0 && share.value < LITTLE)
  const brush = kept(KEPT, START)
  const light = kept(LIGHT_KEPT, LIGHT)
  const mend = kept(MEND_KEPT, MEND)
  const shape = kept(SHAPE_KEPT, SHAPE)
  const nextShape = reactive<NextShape>({ does: 'push', mirrored: false })
  const nextPatch = reactive<NextPatch>({ way: 'spot', of: 'everything', walking: true, within: null })
  /** The patch of the open repair that is picked up. */
  const patch = ref<string | null>(null)
  /** Pointing at where a patch comes from; and where that is, with the way to there once a stroke has begun. */
  const sourcing = ref(false)
  /** What a repair is looking for at the moment, in words. */
  const seeking = ref('')
  /** How far that is, 0…1; null where nobody knows. */
  const sought = ref<number | null>(null)
  const origin = shallowRef<{ at: [number, number]; offset: [number, number] | null } | null>(null)
  const thread = kept(THREAD_KEPT, THREAD)
  const look = ref<Look>('plain')
  /** Which layer of the open touch is shown by itself, while the look is that. */
  const layer = ref('')
  /** The helper view that is one key away while light is painted. */
  const helper = useLocalStorage<'unevenness' | 'grey'>('needlepoint-helper', 'grey')
  const check = kept(CHECK_KEPT, CHECK)
  /** Before and after at once: parted by a line across or down the picture, or side by side. */
  const compare = ref<'no' | 'across' | 'down' | 'pair'>('no')
  const splitAt = ref(0.5)
  const beforeOf = shallowRef<BeforeOf>({ kind: 'original' })
  const histogram = ref(false)
  const gauges = ref(false)
  const history = ref(false)
  /** Touches picked for something to be done with all of them, and sets that are folded. */
  const selected = ref<string[]>([])
  const folded = ref<string[]>([])
  /** Windows on one portrait look at the same place. */
  const follow = ref(false)
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
  /** Picking a thing: whether the pointer takes whole things or their parts. */
  const wholeThings = ref(true)
  const zoomLabel = ref('fit')
  /** Whether the stage shows the portrait: what is smaller waits for it. */
  const pictured = ref(false)
  /** Touches of which the view shows less than there is: the share of full size from which they are seen. */
  const unseen = shallowRef<Record<string, number>>({})
  /** Columns that a narrow window folds, and that the photographer has unfolded over the stage. */
  const unfolded = ref<'sheet' | 'areas' | null>(null)

  function reset() {
    openTouch.value = openArea.value = openPart.value = hoverArea.value = null
    hoverFound.value = null
    chain.value = painting.value = takeAway.value = darker.value = false
    before.value = 'no'
    look.value = 'plain'
    compare.value = 'no'
    beforeOf.value = { kind: 'original' }
    history.value = false
    selected.value = []
    folded.value = []
    pointing.value = picking.value = drawing.value = reach.value = numbers.value = share.value = null
    box.value = null
    pictured.value = false
    entry.value = 0
    patch.value = origin.value = null
    sourcing.value = false
  }
  return {
    openTouch, openArea, openPart, hoverArea, hoverFound, wholeThings, chain, painting, takeAway, darker, overlay, stitched, before, share, box, closer, little, most, brush, light, mend, shape, nextShape, nextPatch, patch, sourcing, seeking, sought, origin, thread, look, layer, helper, check, compare, splitAt, beforeOf, histogram, gauges, history, follow, selected, folded,
    pointing, picking, drawing, entry, reach, numbers, pictured, zoomLabel, unseen, unfolded,
    reset,
  } // prettier-ignore
})
