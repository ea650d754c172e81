import { computed, ref } from 'vue'
import { useBent } from '../stores/bent'
import { useFound } from '../stores/found'
import { useRoom } from '../stores/room'
import { useActions } from '../edits/actions'
import { type Box, boxOf } from './geometry'

interface Spot {
  x: number
  y: number
}
/** A map of a turned or cropped picture, as fine as the regions are. */
function finishedSize({ width, height }: { width: number; height: number }, size: { w: number; h: number }) {
  const share = Math.max(width, height) / Math.max(size.w, size.h)
  const [wide, high] = [Math.max(1, Math.round(size.w * share)), Math.max(1, Math.round(size.h * share))]
  return { width: wide, height: high }
}
/** Stage pixels from which a press is a box. */
const BOX = 6

/** Picking a thing on the stage: a click takes the region under the pointer, dragging draws a box round it. */
export function useThing(inPicture: (at: Spot) => Spot) {
  const room = useRoom()
  const found = useFound()
  const actions = useActions()
  const bent = useBent()
  const pressed = ref<{ at: Spot; to: Spot; take: boolean } | null>(null)
  const over = ref<Spot | null>(null)

  const open = () => {
    const target = actions.openPart()
    return room.picking && target?.part.source === 'thing' ? target : null
  }
  const size = (p: { at: Spot; to: Spot }) => Math.max(Math.abs(p.to.x - p.at.x), Math.abs(p.to.y - p.at.y))
  const rounded = (v: number) => Number(v.toFixed(4))

  /** The region under the pointer as a coverage that fills the picture, one canvas for each region. */
  let drawn: { key: string; alpha: OffscreenCanvas; box: Box | null } | null = null
  const hovered = computed(() => {
    const regions = found.regions
    if (!open() || !regions || !over.value || pressed.value) return null
    const { x, y } = inPicture(over.value)
    const region = regions.at(x, y, room.wholeThings)
    if (region === null) return null
    const key = `${room.wholeThings} ${region} ${bent.count}`
    if (drawn?.key !== key) {
      const { width, height } = bent.plain ? regions : finishedSize(regions, bent.placing.size)
      const unit = (width / bent.placing.size.w) * bent.placing.unit
      const alpha = new OffscreenCanvas(width, height)
      const pixels = new ImageData(width, height)
      regions
        .silhouette(
          region,
          room.wholeThings,
          bent.plain ? undefined : { width, height, unit, back: bent.back },
        )
        .forEach((a, i) => (pixels.data[4 * i + 3] = a))
      alpha.getContext('2d')!.putImageData(pixels, 0, 0)
      drawn = { key, alpha, box: boxOf(pixels) }
    }
    const { width, height } = drawn.alpha
    return {
      alpha: drawn.alpha,
      box: drawn.box,
      frame: { width, height, x: 0, y: 0, w: width, h: height },
      of: `thing ${key}`,
    }
  })
  /** The box being drawn, in stage pixels. */
  const box = computed(() => {
    const p = pressed.value
    if (!p || size(p) < BOX) return null
    return {
      x: Math.min(p.at.x, p.to.x),
      y: Math.min(p.at.y, p.to.y),
      width: Math.abs(p.to.x - p.at.x),
      height: Math.abs(p.to.y - p.at.y),
    }
  })

  return {
    hovered,
    box,
    picks: () => open() !== null,
    down(at: Spot, take: boolean) {
      pressed.value = { at, to: at, take }
    },
    move(at: Spot) {
      over.value = at
      if (pressed.value) pressed.value = { ...pressed.value, to: at }
    },
    up() {
      const p = pressed.value
      const target = open()
      pressed.value = null
      if (!p || !target) return
      const [a, b] = [inPicture(p.at), inPicture(p.to)]
      if (size(p) >= BOX) {
        const [left, right] = [Math.min(a.x, b.x), Math.max(a.x, b.x)]
        const [top, bottom] = [Math.min(a.y, b.y), Math.max(a.y, b.y)]
        actions.changePart(target.area, target.part, { box: [left, top, right, bottom].map(rounded) })
        return
      }
      const level = room.wholeThings ? 'whole' : 'part'
      const click = { at: [rounded(a.x), rounded(a.y)], level, take: p.take }
      const clicks = [...((target.part.clicks ?? []) as unknown[]), click]
      actions.changePart(target.area, target.part, { clicks })
    },
    left: () => (over.value = null),
    cancel(): boolean {
      const was = pressed.value !== null
      pressed.value = null
      return was
    },
  }
}
