import { useAreas } from './areas'
import { useHand } from './hand'
import { useOpening } from './opening'
import { usePatches } from './patches'
import { useTouches } from './touches'

/** Everything that can be done to the sheet in the workroom: the operations, and the words for the history. */
export const useActions = () => ({
  ...useOpening(),
  ...useTouches(),
  ...useAreas(),
  ...useHand(),
  ...usePatches(),
})
