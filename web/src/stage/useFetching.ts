import { useTimeoutFn } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { asked, type FrameIn, type Operation } from '../api/client'
import { useBent } from '../stores/bent'
import { useFound } from '../stores/found'
import { type BeforeOf, useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { frameOf } from './geometry'
import { Pace } from './pace'
import type { usePainter } from './usePainter'
import type { StageView } from './useView'
import { type Base, type Covered, Coverage, type Growing, Views } from './views'

/** Milliseconds of rest after which the full view is asked for. */
const REST = 140
/** Pixels on the long side of the whole picture that lies under a view that moves. */
const WHOLE_SIDE = 700

/** Sharp views that this window has had: the server has them at hand, so no draft need come first. */
const had = new Set<string>()
const MOST_HAD = 200

/** What the stage asks of the server, and when: the view, what it is compared with, and the coverage of an area. */
export function useFetching(on: StageView, painter: () => ReturnType<typeof usePainter>) {
  const sheet = useSheet()
  const room = useRoom()
  const found = useFound()
  const views = new Views(
    () => void sheet.catchUp(),
    () => rest(0),
  )
  const coverage = new Coverage(sheet.trouble)

  const shownArea = computed(() => room.hoverFound?.id ?? room.hoverArea ?? room.openArea)
  /** Whose coverage is looked at: a touch's while its limit is in hand, else the area's. */
  const covered = computed<Covered | null>(() => {
    if (room.reach && sheet.touch(room.reach.touch)) return { touch: room.reach.touch }
    const pointedAt = room.hoverFound
    if (pointedAt) return { area: pointedAt.id, laid: [{ op: 'insert', path: ['areas'], item: pointedAt }] }
    return shownArea.value && sheet.area(shownArea.value) ? { area: shownArea.value } : null
  })
  /** What the picture is compared with: as chosen, or while it is held so, the sheet without the open touch. */
  const beforeOf = computed<BeforeOf>(() => {
    const of: BeforeOf = room.before === 'touch' ? { kind: 'touch' } : room.beforeOf
    const missing = (of.kind === 'touch' || of.kind === 'set') && !sheet.touch(room.openTouch)
    return missing ? { kind: 'original' } : of
  })
  const compared = computed(() => room.before !== 'no' || room.compare !== 'no')

  const base = (): Base => ({
    portrait: sheet.portrait!.id,
    revision: sheet.revision,
    trial: sheet.ahead,
    keep: room.openTouch,
    look: room.look,
    layer: room.layer,
    check: { ...room.check },
  })
  function beforeBase(): Base {
    const of = beforeOf.value
    if (of.kind === 'edit' && of.edit !== null) return { ...base(), trial: [], at: of.edit }
    if (of.kind === 'original' || of.kind === 'edit') return { ...base(), show: 'original' }
    const { path } = sheet.touch(room.openTouch)!
    const whose = of.kind === 'set' && path.length > 2 ? path.slice(0, 2) : path
    const off: Operation = { op: 'put', path: [...whose, 'on'], value: false, gone: false }
    return { ...base(), trial: [...sheet.ahead, off] }
  }
  const frame = (scale = on.ratio.value) => frameOf(on.view.value, on.stage.value, on.size.value, scale)

  /** What stands for a view, whichever touch is open. */
  const plainly = (at: FrameIn) => JSON.stringify([{ ...base(), keep: null }, at])
  const pace = new Pace()
  const bent = useBent()

  /** Whether a change has not been asked for yet. */
  const resting = ref(false)
  const after = ref(REST)
  const whenAtRest: (() => void)[] = []
  const timer = useTimeoutFn(
    () => {
      resting.value = false
      pace.rested()
      refresh(false)
      refreshCoverage()
      refreshBefore()
      whenAtRest.forEach((work) => work())
    },
    after,
    { immediate: false },
  )
  /** Ask for everything anew after a moment without a change. */
  function rest(milliseconds = REST) {
    resting.value = true
    after.value = milliseconds
    timer.start()
  }
  function refresh(draft: boolean) {
    const share = draft ? pace.share : 1
    const at = frame(on.ratio.value * share)
    if (!at || !sheet.portrait || painter().active()) return
    const revision = sheet.revision
    // What was found since may have changed what is drawn.
    const name = () => JSON.stringify([base(), at, found.came])
    if (!draft && views.stands(name())) return
    views.view(base, at, draft ? null : name, (milliseconds) => {
      if (!draft) {
        room.pictured = true
        if (had.size >= MOST_HAD) had.clear()
        if (!sheet.ahead.length) had.add(plainly(at))
      }
      if (draft) pace.told(share, milliseconds)
      else if (sheet.revision === revision) refreshWhole()
    })
  }
  function refreshWhole() {
    if (on.fitting.value) {
      views.dropWhole()
      return
    }
    const share = Math.min(1, WHOLE_SIDE / Math.max(on.size.value.w, on.size.value.h))
    const [width, height] = [Math.round(on.size.value.w * share), Math.round(on.size.value.h * share)]
    views.wholeView(base, { width, height, x: 0, y: 0, w: width, h: height })
  }
  function refreshCoverage() {
    const what = covered.value
    if (!what) {
      coverage.forget()
      return
    }
    const at = frame()
    if (!at) return
    const kept = painter().kept()
    coverage.ask(base, what, at, (share, box) => {
      if ('area' in what && what.area === room.openArea) [room.share, room.box] = [share, box]
      painter().forget(kept)
    })
  }
  function refreshBefore(draft = false) {
    const at = frame(on.ratio.value * (draft ? pace.share : 1))
    if (compared.value && at && sheet.portrait) views.beforeView(beforeBase, at, draft)
  }
  function dab(growing: () => Growing | null) {
    const at = frame()
    if (at) views.dab(base, growing, at)
  }

  watch(
    () => sheet.trial,
    (trial) => {
      if (trial.length) {
        refresh(true)
        const moves = room.reach ? 'touches' : 'areas'
        if (covered.value && trial.some((o) => o.path[0] === moves) && !painter().active()) refreshCoverage()
      }
      rest()
    },
  )
  watch([() => sheet.doc, () => sheet.revision], () => rest(0))
  watch([() => room.look, () => room.layer, room.check], () => {
    refresh(false)
    refreshBefore()
  })
  watch([() => room.compare, () => room.before, () => room.beforeOf, () => room.openTouch], () =>
    refreshBefore(),
  )
  // What is told of one area must never be another's.
  watch(shownArea, () => (room.share = room.box = null))
  watch([covered, () => room.reach], () => refreshCoverage())
  // Areas of what was found cover nothing until it is.
  watch(
    () => found.came,
    () => rest(0),
  )
  watch(on.view, () => {
    const at = frame()
    const there = views.main.value ? views.holds(on.scene()) : at && had.has(plainly(at))
    if (sheet.trial.length || !there) refresh(true)
    if (room.compare !== 'no') refreshBefore(true)
    // Nobody moves anything while a portrait opens: its view is asked for at once.
    rest(views.main.value ? REST : 0)
  })
  watch(on.stage, () => rest())
  watch(views.unseen, (unseen) => (room.unseen = unseen))

  /** Whether anything is still on its way: a change, an answer, a view, a coverage, a check, a matte. */
  const busy = computed(
    () =>
      resting.value ||
      asked.value > 0 ||
      sheet.queue.length > 0 ||
      [views.latest, views.beforeLatest, coverage.latest].some((l) => l.busy.value) ||
      views.waiting.value ||
      bent.busy,
  )
  onBeforeUnmount(() => views.close())

  return { views, coverage, covered, shownArea, beforeOf, busy, rest, dab, whenAtRest }
}
export type Fetching = ReturnType<typeof useFetching>
