import { autoUpdate, flip, offset, type Placement, shift, size, useFloating } from '@floating-ui/vue'
import type { ComponentPublicInstance, Ref } from 'vue'

export type { Placement }
type Some = HTMLElement | ComponentPublicInstance | null

/** Where something that floats beside an element lies: turned round or moved where there is no room, and no higher
 * than the window. */
export function useFloat(anchor: Ref<Some>, box: Ref<Some>, placement: Ref<Placement>, gap = 4) {
  const { floatingStyles } = useFloating(anchor, box, {
    placement,
    strategy: 'fixed',
    whileElementsMounted: autoUpdate,
    middleware: [
      offset(gap),
      flip({ padding: 8 }),
      shift({ padding: 8 }),
      size({
        padding: 8,
        apply({ availableHeight, elements }) {
          elements.floating.style.maxHeight = `${Math.max(120, availableHeight)}px`
        },
      }),
    ],
  })
  return floatingStyles
}
