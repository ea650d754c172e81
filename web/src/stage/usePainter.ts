import { shallowRef } from 'vue'
import type { Stroke } from '../sheet/types'
import type { Brush } from '../stores/room'
import { type Box, toPicture, toStage } from './geometry'
import type { Scene } from './scene'
import { StrokeShadow } from './stitches'

const MOST_POINTS = 19_000
const LEAST_MOVE = 0.7

interface Hooks {
  scene: () => Scene
  spot: (event: MouseEvent) => { x: number; y: number }
  brush: () => Brush
  /** Whether the stroke takes away, before Alt turns it round. */
  takesAway: () => boolean
  /** How far beyond the brush an effect of the stroke may reach, in long sides. */
  reach: () => number
  /** The stroke has grown: show it, and ask for its effect in `box` (picture pixels). */
  grown: (stroke: Stroke, box: Box, asked: () => boolean) => void
  done: (stroke: Stroke) => void
}

/** The brush on the stage: from the pointer's way to a stroke, with its shadow on the overlay meanwhile. */
export function usePainter(hooks: Hooks) {
  /** Strokes that the overlay shows by themselves; `kept` counts them once they are part of the sheet. */
  const shadows = shallowRef<{ stroke: Stroke; shadow: StrokeShadow; kept: number }[]>([])
  let now: { stroke: Stroke; shadow: StrokeShadow; pointer: number; sent: number } | null = null
  let last: [number, number, number] | null = null
  let kept = 0

  const unit = () => Math.max(hooks.scene().picture.w, hooks.scene().picture.h)

  function pointOf(event: PointerEvent): [number, number, number] {
    const { view, stage } = hooks.scene()
    const at = toPicture(view, hooks.spot(event), stage)
    const pressure = event.pointerType === 'pen' ? event.pressure : 1
    const inside = (n: number) => Math.min(4.9, Math.max(-3.9, Number(n.toFixed(5))))
    return [inside(at.x / unit()), inside(at.y / unit()), Number(pressure.toFixed(3))]
  }

  function shadowOf(stroke: Stroke) {
    const { view, stage, ratio } = hooks.scene()
    const place = (x: number, y: number) => {
      const at = toStage(view, { x: x * unit(), y: y * unit() }, stage)
      return { x: at.x * ratio, y: at.y * ratio }
    }
    const [w, h] = [Math.round(stage.w * ratio), Math.round(stage.h * ratio)]
    return new StrokeShadow(stroke, w, h, place, unit() * view.zoom * ratio)
  }

  function down(event: PointerEvent) {
    const here = pointOf(event)
    // Shift sets a straight line from where the last stroke ended.
    const start: [number, number, number] | null = event.shiftKey && last ? [last[0], last[1], here[2]] : null
    const stroke: Stroke = {
      ...hooks.brush(),
      pressure: event.pointerType === 'pen' ? hooks.brush().pressure : 'none',
      erase: event.altKey ? !hooks.takesAway() : hooks.takesAway(),
      points: start ? [start, here] : [here],
    }
    const shadow = shadowOf(stroke)
    now = { stroke, shadow, pointer: event.pointerId, sent: 0 }
    shadows.value = [...shadows.value, { stroke, shadow, kept: 0 }]
    grow()
  }

  function move(event: PointerEvent) {
    if (!now || event.pointerId !== now.pointer) return
    const events = event.getCoalescedEvents?.() ?? []
    for (const each of events.length ? events : [event]) {
      const point = pointOf(each)
      const before = now.stroke.points[now.stroke.points.length - 1]!
      const far = Math.hypot(point[0] - before[0], point[1] - before[1]) * unit() * hooks.scene().view.zoom
      if (far >= LEAST_MOVE && now.stroke.points.length < MOST_POINTS) now.stroke.points.push(point)
    }
    grow()
  }

  function grow() {
    if (!now) return
    now.shadow.grow()
    const started = now
    const { points, size } = now.stroke
    const count = points.length
    const fresh = points.slice(Math.max(0, now.sent - 1))
    const reach = size / 2 + hooks.reach() + 2 / unit()
    const [xs, ys] = [fresh.map((p) => p[0]), fresh.map((p) => p[1])]
    const [left, top] = [Math.min(...xs) - reach, Math.min(...ys) - reach]
    const box = {
      x: left * unit(),
      y: top * unit(),
      w: (Math.max(...xs) + reach - left) * unit(),
      h: (Math.max(...ys) + reach - top) * unit(),
    }
    hooks.grown({ ...now.stroke, points: [...points] }, box, () => {
      // Only what was really asked for counts as sent: an overtaken request is part of the next one.
      if (now !== started) return false
      now.sent = Math.max(now.sent, count)
      return true
    })
  }

  function up(event: PointerEvent) {
    if (!now || event.pointerId !== now.pointer) return
    const { stroke, shadow } = now
    now = null
    last = stroke.points[stroke.points.length - 1] ?? null
    kept += 1
    for (const entry of shadows.value) if (entry.shadow === shadow) entry.kept = kept
    hooks.done(stroke)
  }

  /** Let the stroke go that is being painted; whether there was one. */
  function cancel(): boolean {
    if (!now) return false
    const { shadow } = now
    shadows.value = shadows.value.filter((s) => s.shadow !== shadow)
    now = null
    return true
  }

  /** The view has changed: draw the shadows anew. */
  function replace() {
    for (const entry of shadows.value) {
      entry.shadow = shadowOf(entry.stroke)
      entry.shadow.grow()
      if (now?.stroke === entry.stroke) now.shadow = entry.shadow
    }
  }

  /** Drop the shadows of the first `count` kept strokes: the server's coverage holds them now. */
  function forget(count: number) {
    shadows.value = shadows.value.filter((s) => s.kept === 0 || s.kept > count)
  }

  return { shadows, down, move, up, cancel, replace, forget, active: () => now !== null, kept: () => kept }
}
