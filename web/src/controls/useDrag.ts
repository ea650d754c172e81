import type { Ref } from 'vue'

/**
 * Dragging over a box: `down` takes hold of something, `move` is told the pointer's place in shares of the box (y from
 * below), `end` comes once, and says whether it was moved at all.
 */
export function useDrag<T>(
  box: Ref<Element | null>,
  move: (held: T, x: number, y: number) => void,
  end: (held: T, moved: boolean) => void,
) {
  let held: { what: T; moved: boolean } | null = null

  function place(event: PointerEvent): [number, number] {
    const rect = box.value!.getBoundingClientRect()
    return [(event.clientX - rect.left) / rect.width, 1 - (event.clientY - rect.top) / rect.height]
  }
  return {
    place,
    down(event: PointerEvent, what: T) {
      if (event.button !== 0) return
      event.preventDefault()
      held = { what, moved: false }
      box.value!.setPointerCapture(event.pointerId)
    },
    move(event: PointerEvent) {
      if (!held) return
      held.moved = true
      move(held.what, ...place(event))
    },
    up() {
      if (!held) return
      const { what, moved } = held
      held = null
      end(what, moved)
    },
  }
}
