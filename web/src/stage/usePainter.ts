import { shallowRef } from 'vue'
import { freshId, type Painted } from '../sheet/types'
import type { Brush, LightBrush } from '../stores/room'
import type { Spot } from './geometry'
import { BARREL, ERASER } from './pen'
import type { Scene } from './scene'
import { StrokeShadow } from './stitches'

const MOST_POINTS = 19_000
const LEAST_MOVE = 0.7

interface Hooks {
  /** Pixels to a long side of the original. */
  unit: () => number
  scene: () => Scene
  spot: (event: MouseEvent) => Spot
  /** Where in the upright original lies what is seen at a spot, in long sides, and the way back. */
  inPicture: (at: Spot) => Spot
  onStage: (place: [number, number]) => Spot
  brush: () => Brush | LightBrush
  /** What it paints: coverage of an area, or with a touch light, patches or a shape. */
  paints: () => 'coverage' | 'light' | 'patches' | 'shape'
  /** Whether the stroke takes away, or makes darker, before Alt turns it round. */
  takesAway: () => boolean
  /** What a stroke of a shape does; `other`: turned round. */
  shapes?: (other: boolean) => object
  /** The stroke has grown: show it, and ask for its effect. */
  grown: () => void
  done: (stroke: Painted) => void
}

/** The brush on the stage: from the pointer's way to a stroke, with its shadow on the overlay meanwhile. */
export function usePainter(hooks: Hooks) {
  /** Strokes that the overlay shows by themselves; `kept` counts them once they are part of the sheet. */
  const shadows = shallowRef<{ stroke: Painted; shadow: StrokeShadow; kept: number }[]>([])
  let now: { name: string; stroke: Painted; shadow: StrokeShadow | null; pointer: number } | null = null
  let last: [number, number, number] | null = null
  let kept = 0

  const { unit } = hooks

  function pointOf(event: PointerEvent): [number, number, number] {
    const at = hooks.inPicture(hooks.spot(event))
    const pressure = event.pointerType === 'pen' ? event.pressure : 1
    const inside = (n: number) => Math.min(4.9, Math.max(-3.9, Number(n.toFixed(5))))
    return [inside(at.x), inside(at.y), Number(pressure.toFixed(3))]
  }

  function shadowOf(stroke: Painted) {
    const { view, stage, ratio } = hooks.scene()
    const place = (x: number, y: number) => {
      const at = hooks.onStage([x, y])
      return { x: at.x * ratio, y: at.y * ratio }
    }
    const [w, h] = [Math.round(stage.w * ratio), Math.round(stage.h * ratio)]
    return new StrokeShadow(stroke, w, h, place, unit() * view.zoom * ratio)
  }

  function down(event: PointerEvent) {
    const here = pointOf(event)
    // Shift sets a straight line from where the last stroke ended.
    const start: [number, number, number] | null = event.shiftKey && last ? [last[0], last[1], here[2]] : null
    const byPen = event.pointerType === 'pen'
    const other = event.altKey || (byPen && event.button === BARREL)
    const away = (byPen && event.button === ERASER) || other !== hooks.takesAway()
    const what = hooks.paints()
    const stroke = {
      ...hooks.brush(),
      pressure: byPen ? hooks.brush().pressure : 'none',
      ...(what === 'shape'
        ? hooks.shapes?.(away)
        : what === 'light'
          ? { darker: away }
          : { erase: what === 'coverage' && away }),
      points: start ? [start, here] : [here],
    } as Painted
    // What a touch paints is judged by itself: nothing is stitched over it.
    const shadow = what === 'coverage' ? shadowOf(stroke) : null
    now = { name: freshId('k'), stroke, shadow, pointer: event.pointerId }
    if (shadow) shadows.value = [...shadows.value, { stroke, shadow, kept: 0 }]
    grow()
  }

  function move(event: PointerEvent) {
    if (!now || event.pointerId !== now.pointer) return
    const events = 'getCoalescedEvents' in event ? event.getCoalescedEvents() : []
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
    now.shadow?.grow()
    hooks.grown()
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

  /** The stroke that is being painted, and the name by which the server knows it. */
  const growing = () => (now ? { name: now.name, stroke: now.stroke } : null)

  return {
    shadows,
    growing,
    down,
    move,
    up,
    cancel,
    replace,
    forget,
    active: () => now !== null,
    kept: () => kept,
  }
}
