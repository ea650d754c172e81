import { useDebounceFn } from '@vueuse/core'
import type { Ref } from 'vue'
import { api } from '../api/client'
import { Latest } from '../api/latest'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import type { Touch } from '../sheet/types'
import type { Spot } from './geometry'
import type { StageView } from './useView'

const PAUSE = 70

/** The numbers under the pointer, told once it rests for a moment and nothing is done with it. */
export function useNumbers(
  on: StageView,
  pointer: Ref<Spot | null>,
  working: () => boolean,
  light: () => Touch | null,
) {
  const sheet = useSheet()
  const room = useRoom()
  const asking = new Latest((error) => {
    room.numbers = null
    sheet.trouble(error)
  })

  return useDebounceFn(() => {
    const at = pointer.value && on.inPicture(pointer.value)
    const { width, height } = sheet.portrait?.facts ?? { width: 0, height: 0 }
    const inside =
      at && at.x >= 0 && at.y >= 0 && at.x * on.unit.value < width && at.y * on.unit.value < height
    if (!inside || !sheet.portrait || working()) {
      room.numbers = null
      return
    }
    asking.run(async () => {
      const { data } = await api.POST('/api/portraits/{portrait_id}/numbers', {
        params: { path: { portrait_id: sheet.portrait!.id } },
        body: { revision: sheet.revision, trial: sheet.ahead, ...at, touch: light()?.id ?? null },
      })
      room.numbers = pointer.value ? data! : null
    })
  }, PAUSE)
}
