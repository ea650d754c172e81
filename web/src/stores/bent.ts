import { defineStore } from 'pinia'
import { computed, shallowRef, watch } from 'vue'
import { picture } from '../api/client'
import { Latest } from '../api/latest'
import { back, type BentLayer, forth, readBent } from '../sheet/bent'
import { isUpright, Placing, UPRIGHT } from '../sheet/turning'
import { useNotices } from './notices'
import { useSheet } from './sheet'

type Place = readonly [number, number]

/**
 * Where the finished picture takes its content from, so that one points at what is seen: what was moved, then how it is
 * turned and cut out; kept with the sheet.
 */
export const useBent = defineStore('bent', () => {
  const sheet = useSheet()
  const layers = shallowRef<BentLayer[]>([])
  /** How often that has changed. */
  const count = shallowRef(0)
  /** Touches of which a stroke was cut short: the picture would have folded. */
  const ended = shallowRef<string[]>([])
  /** How far anything of a face has moved against the rest, as a share of its height; null where no face is known. */
  const share = shallowRef<number | null>(null)
  const latest = new Latest((error) => useNotices().complain(error))
  const placing = computed(() => {
    const { width = 1, height = 1 } = sheet.portrait?.facts ?? {}
    return new Placing(sheet.shown.geometry ?? UPRIGHT, width, height)
  })
  const upright = computed(() => isUpright(placing.value.geometry))
  watch(
    () => JSON.stringify(placing.value.geometry),
    () => (count.value += 1),
  )
  const moving = computed(() => sheet.steps.some((s) => s.touch.on && s.touch.kind === 'reshape'))

  watch(
    () => [sheet.portrait?.id, moving.value, sheet.revision, sheet.ahead] as const,
    ([portrait, moves]) => {
      if (!portrait || !moves) {
        if (layers.value.length) count.value += 1
        layers.value = []
        ended.value = []
        share.value = null
        return
      }
      latest.run(async () => {
        const asked = { revision: sheet.revision, trial: sheet.ahead }
        const { blob, headers } = await picture(`/api/portraits/${portrait}/shape`, asked)
        const body = await blob.arrayBuffer()
        if (sheet.portrait?.id !== portrait) return
        count.value += 1
        layers.value = readBent(JSON.parse(headers.get('X-Shapes')!) as number[][], body)
        ended.value = JSON.parse(headers.get('X-Ended')!) as string[]
        const moved = headers.get('X-Moved')
        share.value = moved === null ? null : Number(moved)
      })
    },
  )
  return {
    layers,
    count,
    ended,
    share,
    busy: latest.busy,
    placing,
    /** Whether what is seen lies where it lay: nothing is moved, turned or cut out. */
    plain: computed(() => upright.value && !layers.value.length),
    back(place: Place): Place {
      const at = upright.value ? place : placing.value.back(place)
      return layers.value.length ? back(layers.value, at) : at
    },
    forth(place: Place): Place {
      const at = layers.value.length ? forth(layers.value, place) : place
      return upright.value ? at : placing.value.forth(at)
    },
    /** As `back`, of a picture that has not been moved. */
    still: (place: Place): Place => (upright.value ? place : placing.value.back(place)),
  }
})
