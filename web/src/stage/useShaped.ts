import { computed, ref, watch } from 'vue'
import { type PatchChange } from '../edits/patches'
import { useActions } from '../edits/actions'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { patchesShape } from './patches'
import { partShape, touchShape } from './shapes'

/** What has handles on the stage: the part in hand, else the open touch's gradient; and how it is changed. */
export function useShaped() {
  const sheet = useSheet()
  const room = useRoom()
  const actions = useActions()
  /** The point in hand of an outline: it shows the handles of its curve. */
  const selected = ref<string | null>(null)
  watch(
    () => room.openPart,
    () => (selected.value = null),
  )
  /** Handles of a curve belong to their point, which stays in hand. */
  const pointOf = (name: string) => name.split('.').slice(0, 2).join('.')

  const shaped = computed(() => {
    if (room.painting || room.picking || room.pointing) return null
    const open = room.chain ? actions.openPart() : null
    const shape = open && partShape(open.part, selected.value)
    if (open && shape)
      return {
        shape,
        // While one draws, what is closed already is seen and not in the way.
        bare: room.drawing !== null,
        attempt: (changes: object) => actions.attemptPart(open.area, open.part, changes),
        change: (changes: object) => actions.changePart(open.area, open.part, changes),
      }
    const touch = sheet.touch(room.openTouch)?.touch
    if (touch?.kind === 'repair' && !room.chain && !room.sourcing) {
      return {
        shape: patchesShape(touch, room.patch),
        bare: false,
        attempt: (changes: object) => actions.attemptPatch(touch, changes as PatchChange),
        change: (changes: object) => actions.changePatch(touch, changes as PatchChange),
      }
    }
    const shapeOf = touch && !room.drawing ? touchShape(touch) : null
    if (!touch || !shapeOf) return null
    return {
      shape: shapeOf,
      bare: false,
      attempt: (changes: object) => actions.attemptSettings(touch, changes),
      change: (changes: object) => actions.setSettings(touch, changes),
    }
  })
  return {
    shaped,
    select(name: string) {
      selected.value = pointOf(name)
      if (name.startsWith('patch ')) room.patch = name.split(' ')[1]!
    },
    remove(name: string) {
      const changes = shaped.value?.shape.removed?.(name)
      if (name === selected.value) selected.value = null
      if (changes) shaped.value?.change(changes)
    },
    turn(name: string) {
      const changes = shaped.value?.shape.turned?.(pointOf(name))
      if (changes) shaped.value?.change(changes)
    },
  }
}
