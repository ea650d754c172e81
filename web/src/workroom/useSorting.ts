import { useEventListener } from '@vueuse/core'
import Sortable from 'sortablejs'
import { onBeforeUnmount, onMounted, type Ref } from 'vue'
import { dropPlace, type Row } from '../sheet/order'
import { useActions } from '../edits/actions'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** Pixels to the side by which a row goes one deeper into sets, or comes one out. */
const STEP = 26
/** What is dragged or pressed itself, and never drags its row. */
const CONTROLS = '.where, [data-controls], [role=switch], input, select'

/** Rows of the sheet are put in order by mouse, pen or finger, into sets and out of them. */
export function useSorting(list: Ref<HTMLElement | null>, rows: Ref<Row[]>) {
  const sheet = useSheet()
  const room = useRoom()
  const actions = useActions()
  let pointer = 0
  let held: { x: number; depth: number; next: Node | null; unfold: string | null } | null = null
  let sortable: Sortable | undefined

  const rowOf = (element: Element | null) =>
    element instanceof HTMLElement ? rows.value.find((r) => r.touch.id === element.dataset.touch) : undefined
  /** The next row above or below an element; headings lie between. */
  function beside(element: Element, way: 'previousElementSibling' | 'nextElementSibling'): Row | undefined {
    let at = element[way]
    while (at && !rowOf(at)) at = at[way]
    return rowOf(at)
  }
  function start(item: HTMLElement) {
    const row = rowOf(item)
    const open = row?.touch.kind === 'set' && !room.folded.includes(row.touch.id)
    // A set takes what it holds along: it is folded while it is dragged.
    if (open) room.folded = [...room.folded, row.touch.id]
    held = { x: pointer, depth: row?.depth ?? 0, next: item.nextSibling, unfold: open ? row.touch.id : null }
  }
  function end(item: HTMLElement, moved: boolean) {
    const row = rowOf(item)
    const was = held
    held = null
    if (!row || !was) return
    const [before, after] = [beside(item, 'previousElementSibling'), beside(item, 'nextElementSibling')]
    const aside = Math.round((pointer - was.x) / STEP)
    // The list is drawn from the sheet: what was dragged goes back, and the sheet says where it stands.
    item.parentNode!.insertBefore(item, was.next?.parentNode === item.parentNode ? was.next : null)
    if (was.unfold) room.folded = room.folded.filter((id) => id !== was.unfold)
    if (!moved && !aside) return
    actions.moveTouchTo(
      row.touch,
      dropPlace(sheet.shown.touches, row.touch.id, before, after, was.depth + aside),
    )
  }

  useEventListener(document, ['pointermove', 'pointerdown'], (event) => (pointer = event.clientX), {
    capture: true,
    passive: true,
  })
  onMounted(() => {
    sortable = Sortable.create(list.value!, {
      draggable: '[data-touch]',
      filter: CONTROLS,
      preventOnFilter: false,
      // Pointer events for all: the browser's own dragging knows no pen.
      forceFallback: true,
      fallbackOnBody: true,
      fallbackTolerance: 5,
      delay: 180,
      delayOnTouchOnly: true,
      animation: matchMedia('(prefers-reduced-motion: reduce)').matches ? 0 : 120,
      ghostClass: 'dragged-row',
      fallbackClass: 'carried-row',
      onStart: ({ item }) => start(item),
      onEnd: ({ item, oldIndex, newIndex }) => end(item, oldIndex !== newIndex),
    })
  })
  onBeforeUnmount(() => sortable?.destroy())
}
