import { useEventListener } from '@vueuse/core'
import { onBeforeUnmount, ref, type Ref } from 'vue'
import type { Portrait } from '../api/client'

export interface Grid {
  columns: number
  /** Height of a row with the gap below it, in pixels. */
  row: number
}

/** Choosing several portraits: by clicks, by keys, and by a frame drawn over them. */
export function useChoice(
  cards: Ref<(Portrait | undefined)[]>,
  index: () => Promise<{ id: string }[]>,
  grid: Grid,
  list: () => HTMLElement | null,
) {
  const chosen = ref<string[]>([])
  /** The frame that is drawn, in pixels of the list. */
  const frame = ref<{ x: number; y: number; w: number; h: number } | null>(null)
  /** Where a row of chosen portraits begins. */
  let first = ''

  function toggle(id: string) {
    first = id
    chosen.value = chosen.value.includes(id)
      ? chosen.value.filter((one) => one !== id)
      : [...chosen.value, id]
  }
  /** Choose one, or with Shift all from the last that was chosen. */
  async function choose(id: string, event: MouseEvent) {
    if (!event.shiftKey || !first) {
      toggle(id)
      return
    }
    // Those between may never have been in view.
    const ids = (await index()).map((one) => one.id)
    const [a, b] = [ids.indexOf(first), ids.indexOf(id)].sort((x, y) => x - y)
    chosen.value = [...new Set([...chosen.value, ...ids.slice(Math.max(0, a!), b! + 1)])]
  }
  async function all() {
    chosen.value = (await index()).map((one) => one.id)
  }

  /** Which cards a frame touches. */
  function under(box: { x: number; y: number; w: number; h: number }, width: number): string[] {
    const column = width / grid.columns
    const [left, right] = [Math.floor(box.x / column), Math.floor((box.x + box.w) / column)]
    const [top, bottom] = [Math.floor(box.y / grid.row), Math.floor((box.y + box.h) / grid.row)]
    const out = []
    for (let row = Math.max(0, top); row <= bottom; row++)
      for (let at = Math.max(0, left); at <= Math.min(grid.columns - 1, right); at++) {
        const card = cards.value[row * grid.columns + at]
        if (card?.state === 'ready') out.push(card.id)
      }
    return out
  }
  let from: { x: number; y: number; kept: string[] } | null = null
  function place(event: PointerEvent) {
    const box = list()!.getBoundingClientRect()
    return { x: event.clientX - box.left, y: event.clientY - box.top, width: box.width }
  }
  function down(event: PointerEvent) {
    const on = event.target as HTMLElement
    if (event.button || event.pointerType === 'touch' || !list()) return
    if (on.closest('a, button, input, select, label, [role=dialog], [role=group], header')) return
    const at = place(event)
    from = { x: at.x, y: at.y, kept: event.shiftKey || event.ctrlKey || event.metaKey ? chosen.value : [] }
    // Else the words on the cards would be marked.
    event.preventDefault()
  }
  function move(event: PointerEvent) {
    if (!from) return
    const at = place(event)
    const box = {
      x: Math.min(from.x, at.x),
      y: Math.min(from.y, at.y),
      w: Math.abs(at.x - from.x),
      h: Math.abs(at.y - from.y),
    }
    if (!frame.value && box.w + box.h < 6) return
    frame.value = box
    chosen.value = [...new Set([...from.kept, ...under(box, at.width)])]
  }
  function up() {
    from = frame.value = null
  }
  useEventListener('pointermove', move)
  useEventListener('pointerup', up)
  useEventListener('pointercancel', up)
  onBeforeUnmount(up)
  return { chosen, frame, choose, toggle, all, down }
}
