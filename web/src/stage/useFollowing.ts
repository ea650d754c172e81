import { useBroadcastChannel } from '@vueuse/core'
import { ref, watch } from 'vue'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { type Size, toStage, type View } from './geometry'
import type { StageView } from './useView'

interface Told {
  portrait: string
  view: View
  stage: Size
  fits: boolean
}

/** Windows that follow each other: the place goes along, each keeps its own zoom. */
export function useFollowing(on: StageView) {
  const sheet = useSheet()
  const room = useRoom()
  /** What another window has in view, in stage pixels, while this one shows the whole picture. */
  const elsewhere = ref<{ x: number; y: number; width: number; height: number } | null>(null)
  const { data, post } = useBroadcastChannel<Told, Told>({ name: 'needlepoint-view' })
  let told = ''
  const place = () => `${Math.round(on.view.value.x)} ${Math.round(on.view.value.y)}`

  function heard(there: Told | undefined) {
    if (!there || !room.follow || there.portrait !== sheet.portrait?.id) return
    if (!on.fitting.value) {
      elsewhere.value = null
      if (there.fits) return
      on.go({ ...on.view.value, x: there.view.x, y: there.view.y })
      told = place()
      return
    }
    const corner = {
      x: there.view.x - there.stage.w / 2 / there.view.zoom,
      y: there.view.y - there.stage.h / 2 / there.view.zoom,
    }
    const by = on.view.value.zoom / there.view.zoom
    const at = toStage(on.view.value, corner, on.stage.value)
    elsewhere.value = there.fits ? null : { ...at, width: there.stage.w * by, height: there.stage.h * by }
  }
  function tell() {
    if (!room.follow || !sheet.portrait || told === place()) return
    told = place()
    post({
      portrait: sheet.portrait.id,
      view: { ...on.view.value },
      stage: { ...on.stage.value },
      fits: on.fitting.value,
    })
  }
  watch(data, heard)
  watch(on.view, tell)
  watch(
    () => room.follow,
    (follows) => {
      told = ''
      if (follows) tell()
      else elsewhere.value = null
    },
  )
  return elsewhere
}
