import { computed, onBeforeUnmount, type Ref, ref, watch } from 'vue'
import { useActions } from '../edits/actions'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { alphaOf, drawLayers, drawMask, drawOnly, drawRim, drawStitches, leftOut } from './scene'
import type { Fetching } from './useFetching'
import type { usePainter } from './usePainter'
import type { useThing } from './useThing'
import type { StageView } from './useView'
import { coveredKey } from './views'

/** Milliseconds for which stitches step aside after a touch was changed. */
const ASIDE = 1200
/** Milliseconds after which stitches of a place that was chosen, and is not being worked on, fade. */
const SEEN = 2500

/** The two canvases of the stage: the picture, and what lies over it; drawn anew at the next frame of the screen. */
export function useDrawing(
  canvases: {
    box: Ref<HTMLElement | null>
    picture: Ref<HTMLCanvasElement | null>
    overlay: Ref<HTMLCanvasElement | null>
  },
  on: StageView,
  { views, coverage, covered, shownArea }: Fetching,
  painter: ReturnType<typeof usePainter>,
  hovered: ReturnType<typeof useThing>['hovered'],
) {
  const room = useRoom()
  const actions = useActions()
  const sheet = useSheet()
  const looked = () => room.hoverArea ?? room.hoverFound
  const masked = computed(() => !!room.reach || (room.overlay === 'mask' && !!shownArea.value))

  /** For a moment after a touch was typed into or stepped one wants to see what it did. */
  const aside = ref(false)
  let back: ReturnType<typeof setTimeout> | undefined
  watch(
    () => sheet.doc,
    (now, was) => {
      const same = now.areas === was.areas && now.touches.length === was.touches.length
      if (!same || now.touches === was.touches) return
      aside.value = true
      clearTimeout(back)
      back = setTimeout(() => (aside.value = false), ASIDE)
    },
  )
  /** A place that was chosen is shown, and then looked at without stitches; working on it, pointing at it or a key
   * that is held brings them back. */
  const faded = ref(false)
  let fading: ReturnType<typeof setTimeout> | undefined
  const settled = computed(() => {
    const works = room.chain || room.painting || room.stitched || looked()
    return works ? null : room.openArea
  })
  watch(settled, (area) => {
    clearTimeout(fading)
    faded.value = false
    if (area) fading = setTimeout(() => (faded.value = true), SEEN)
  })
  onBeforeUnmount(() => {
    clearTimeout(back)
    clearTimeout(fading)
  })

  let pending = false
  /** Nothing lies on the overlay. */
  let bare = true
  function draw() {
    if (pending) return
    pending = true
    requestAnimationFrame(() => {
      pending = false
      fitCanvases()
      drawPicture()
      drawOverlay()
    })
  }
  function fitCanvases() {
    const rect = canvases.box.value?.getBoundingClientRect()
    for (const canvas of [canvases.picture.value, canvases.overlay.value]) {
      if (!canvas || !rect) continue
      const [w, h] = [Math.round(rect.width * on.ratio.value), Math.round(rect.height * on.ratio.value)]
      if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h })
    }
  }
  function pen(canvas: HTMLCanvasElement | null) {
    const context = canvas?.getContext('2d') ?? null
    context?.clearRect(0, 0, context.canvas.width, context.canvas.height)
    return context
  }
  function drawPicture() {
    const context = pen(canvases.picture.value)
    if (!context) return
    const before = views.before.value
    if (room.compare === 'pair') {
      within(context, 0, () => before && drawLayers(context, [before], on.scene()))
      within(context, on.pane.value, () => drawNow(context))
      return
    }
    drawNow(context)
    if (room.before !== 'no' || room.compare === 'no' || !before) return
    const { width, height } = context.canvas
    const [w, h] = room.compare === 'across' ? [width * room.splitAt, height] : [width, height * room.splitAt]
    context.save()
    context.beginPath()
    context.rect(0, 0, w, h)
    context.clip()
    context.clearRect(0, 0, w, h)
    drawLayers(context, [before], on.scene())
    context.restore()
  }
  /** Draw in a pane that begins `x` CSS pixels from the left and is as wide as the stage. */
  function within(context: CanvasRenderingContext2D, x: number, work: () => void) {
    const r = on.ratio.value
    context.save()
    context.beginPath()
    context.rect(x * r, 0, on.stage.value.w * r, on.stage.value.h * r)
    context.clip()
    context.translate(x * r, 0)
    work()
    context.restore()
  }
  function drawNow(context: CanvasRenderingContext2D) {
    if (masked.value && coverage.layer.value) drawMask(context, alphaNow(), on.scene(), room.reach?.sharp)
    else if (room.before !== 'no' && views.before.value) drawLayers(context, [views.before.value], on.scene())
    else {
      drawLayers(context, [views.whole.value, views.main.value, ...views.dabs.value], on.scene())
      const inside = room.overlay === 'inside'
      if (shownArea.value && (inside || room.overlay === 'outside'))
        drawOnly(context, alphaNow(), inside, getComputedStyle(canvases.box.value!).backgroundColor)
    }
  }
  function alphaNow(): OffscreenCanvas | null {
    const { width, height } = canvases.overlay.value!
    const key = covered.value && coveredKey(covered.value)
    const known = coverage.layer.value?.of === key ? coverage.layer.value : null
    const fresh = key !== null && key === room.openArea ? painter.shadows.value : []
    if (!known && !fresh.length) return null
    return alphaOf(width, height, known, fresh, actions.paintPart()?.part.join === 'take', on.scene())
  }
  function drawOverlay() {
    // Nobody judges light through stitches: they step aside while a touch is dragged, typed into, paints light or
    // points, and while before and after stand side by side; what is looked for by the pointer is shown all the same.
    const judging =
      (!looked() && (room.compare !== 'no' || room.pointing !== null || aside.value)) ||
      (room.painting && (actions.laysLight() || actions.mendTouch() || actions.shapeTouch())) ||
      sheet.trial.some((o) => o.path[0] === 'touches')
    const shown =
      (room.overlay === 'stitches' || room.stitched) &&
      shownArea.value &&
      !room.reach &&
      room.before === 'no' &&
      (!judging || room.stitched)
    const alpha = shown ? alphaNow() : null
    const region = hovered.value
    // A canvas that is cleared is brought to the screen anew, all of it: while something is dragged it stays as it is.
    if (!alpha && !region && bare) return
    const context = pen(canvases.overlay.value)
    if (!context) return
    bare = !alpha && !region
    const { width, height } = context.canvas
    within(context, on.pane.value, () => {
      if (alpha) {
        // Of an area that covers most of the picture what is left out says more.
        const seen = room.most && shownArea.value === room.openArea ? leftOut(alpha, on.scene()) : alpha
        drawStitches(context, seen, on.ratio.value, room.thread)
      }
      if (region) drawRim(context, alphaOf(width, height, region, [], false, on.scene()), on.ratio.value)
    })
  }

  watch(
    [
      views.main, views.whole, views.before, views.dabs, coverage.layer, on.stage, on.view, covered, hovered, painter.shadows,
      () => room.overlay, () => room.reach, () => room.splitAt, () => room.before, () => room.compare,
      () => room.wholeThings, () => room.painting, () => room.pointing, () => room.hoverArea, () => room.most, () => room.stitched, aside, () => sheet.trial, () => ({ ...room.thread }),
    ],
    draw,
  ) // prettier-ignore
  return { draw, aside, faded }
}
