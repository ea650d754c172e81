import { computed, onBeforeUnmount, type Ref, ref, watch } from 'vue'
import { useActions } from '../edits/actions'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { SPACE } from './bitmaps'
import {
  alphaOf,
  beside,
  covers,
  drawLayers,
  drawMask,
  drawOnly,
  drawRim,
  drawStitches,
  extent,
  leftOut,
  RIM,
} from './scene'
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
    const { w: across, h: down } = on.outer.value
    const fine = on.ratio.value
    for (const [canvas, ratio] of [
      [canvases.picture.value, coarse() ?? fine],
      [canvases.overlay.value, fine],
    ] as const) {
      if (!canvas) continue
      const [w, h] = [Math.round(across * ratio), Math.round(down * ratio)]
      if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h })
    }
  }
  /** The view from before it moved, where it is sharper than what has come since. */
  function stillSharp() {
    const [still, main] = [views.still.value, views.main.value]
    return still && main && still.frame.width >= main.frame.width ? still : null
  }
  /**
   * Pixels of the canvas to a CSS pixel while a draft stands on it alone: the browser's compositor makes it larger, which
   * it does beside the page and, where there is one, with the graphics processor.
   */
  function coarse(): number | null {
    const main = views.main.value
    if (stillSharp()) return null
    const alone = room.compare === 'no' && room.before === 'no' && !masked.value && room.overlay !== 'inside'
    if (!main?.draft || !alone || room.overlay === 'outside' || views.dabs.value.length) return null
    const ratio = main.frame.width / (on.size.value.w * on.view.value.zoom)
    return ratio < on.ratio.value ? ratio : null
  }
  function pen(canvas: HTMLCanvasElement | null) {
    const context = canvas?.getContext('2d', { colorSpace: SPACE }) ?? null
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
      const [main, ratio] = [views.main.value, coarse()]
      const scene = ratio ? { ...on.scene(), ratio, coarse: true } : on.scene()
      const under = main && covers(main.frame, scene) ? null : views.whole.value
      const still = stillSharp()
      const below = () => drawLayers(context, [under, main], scene, !!main?.draft)
      if (!still) below()
      else if (!covers(still.frame, scene)) beside(context, still, scene, below)
      drawLayers(context, [still, ...views.dabs.value], scene, !!main?.draft)
      const inside = room.overlay === 'inside'
      if (shownArea.value && (inside || room.overlay === 'outside'))
        drawOnly(context, alphaNow(), inside, getComputedStyle(canvases.box.value!).backgroundColor)
    }
  }
  /** The coverage that is looked at, and the strokes on it that are newer. */
  function coverNow() {
    const key = covered.value && coveredKey(covered.value)
    const known = coverage.layer.value?.of === key ? coverage.layer.value : null
    return { known, fresh: key !== null && key === room.openArea ? painter.shadows.value : [] }
  }
  const all = () => ({ x: 0, y: 0, w: canvases.overlay.value!.width, h: canvases.overlay.value!.height })
  function alphaNow(at = all()): OffscreenCanvas | null {
    const { known, fresh } = coverNow()
    if (!known && !fresh.length) return null
    return alphaOf(at, known, fresh, actions.paintPart()?.part.join === 'take', on.scene())
  }
  /** Where stitches stand, and on what. */
  function stitchedNow() {
    // Of an area that covers most of the picture what is left out says more.
    const most = room.most && shownArea.value === room.openArea
    const { known, fresh } = coverNow()
    const at = most ? all() : extent(all(), known, fresh, on.scene())
    const alpha = at && alphaNow(at)
    return alpha && { at, alpha: most ? leftOut(alpha, on.scene()) : alpha }
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
    const stitched = shown ? stitchedNow() : null
    const region = hovered.value
    const round = region && extent(all(), region, [], on.scene(), RIM * on.ratio.value)
    // A canvas that is cleared is brought to the screen anew, all of it: while something is dragged it stays as it is.
    if (!stitched && !round && bare) return
    const context = pen(canvases.overlay.value)
    if (!context) return
    bare = !stitched && !round
    within(context, on.pane.value, () => {
      if (stitched) drawStitches(context, stitched.alpha, stitched.at, on.ratio.value, room.thread)
      if (round) drawRim(context, alphaOf(round, region, [], false, on.scene()), round, on.ratio.value)
    })
  }

  watch(
    [
      views.main, views.still, views.whole, views.before, views.dabs, coverage.layer, on.stage, on.view, covered, hovered, painter.shadows,
      () => room.overlay, () => room.reach, () => room.splitAt, () => room.before, () => room.compare,
      () => room.wholeThings, () => room.painting, () => room.pointing, () => room.hoverArea, () => room.most, () => room.stitched, aside, () => sheet.trial, () => ({ ...room.thread }),
    ],
    draw,
  ) // prettier-ignore
  return { draw, aside, faded }
}
