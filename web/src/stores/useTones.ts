import { onBeforeUnmount, type Ref, shallowRef, watch } from 'vue'
import { api, type Schema } from '../api/client'
import { Latest } from '../api/latest'
import { useSheet } from './sheet'

/** How often tones occur in what lies below a touch, under its area; asked for while `wanted`, after each change. */
export function useTones(touch: () => string, wanted: Ref<boolean>) {
  const sheet = useSheet()
  const tones = shallowRef<Schema['TonesOut'] | null>(null)
  const latest = new Latest((error) => {
    tones.value = null
    below = ''
    sheet.trouble(error)
  })
  let gone = false
  let below = ''

  /** What the answer depends on: the touches before this one, its area, and the areas. */
  function ground(): string {
    const own = sheet.touch(touch())
    const before = sheet.steps.slice(
      0,
      sheet.steps.findIndex((s) => s.touch.id === touch()),
    )
    return JSON.stringify([before.map((s) => s.touch), own?.touch.area, sheet.doc.areas])
  }
  function ask() {
    if (!wanted.value || !sheet.portrait || ground() === below) return
    below = ground()
    latest.run(async () => {
      if (gone || !sheet.touch(touch())) return
      const { data } = await api.POST('/api/portraits/{portrait_id}/tones', {
        params: { path: { portrait_id: sheet.portrait!.id } },
        body: { revision: sheet.revision, trial: sheet.waiting, touch: touch(), original: false },
      })
      tones.value = data!
    })
  }
  watch([wanted, () => sheet.revision, () => sheet.doc], ask, { immediate: true })
  onBeforeUnmount(() => (gone = true))
  return tones
}
