import { movedPatch, patchWords, placeOf } from '../sheet/patches'
import type { Patch, Touch } from '../sheet/types'
import type { Handle, Shape } from './shapes'

/** The patches of a repair on the stage: each can be picked up and moved; of the one picked up, its source too. */
export function patchesShape(touch: Touch, picked: string | null): Shape {
  const patches = touch.settings.patches as Patch[]
  const byName = new Map(patches.map((p) => [`patch ${p.id}`, p]))
  const open = patches.find((p) => p.id === picked)
  const handles: Handle[] = patches.map((p, i) => ({
    name: `patch ${p.id}`,
    label: `Patch ${i + 1}: ${patchWords(p)}`,
    place: placeOf(p),
    square: p.id === picked,
    stitch: true,
  }))
  if (open?.source) {
    const [x, y] = placeOf(open)
    handles.push({ name: 'source', label: 'Its source', place: [x + open.source[0], y + open.source[1]] })
  }
  return {
    handles,
    lines(spots, at) {
      if (!open) return []
      const way = open.strokes.map((s) =>
        s.points.map(([x, y], i) => `${i ? 'L' : 'M'}${at([x, y]).x} ${at([x, y]).y}`).join(''),
      )
      const [from, to] = [spots[`patch ${open.id}`], spots.source]
      return from && to ? [...way, `M${from.x} ${from.y}L${to.x} ${to.y}`] : way
    },
    moved(name, to) {
      const patch = byName.get(name)
      // A filling was chosen for its place.
      if (patch?.way === 'fill') return { id: patch.id, changes: {} }
      if (patch) return { id: patch.id, changes: movedPatch(patch, to) }
      const [x, y] = placeOf(open!)
      return { id: open!.id, changes: { source: [to[0] - x, to[1] - y] } }
    },
    removed: (name) => (byName.has(name) ? { id: byName.get(name)!.id, changes: null } : null),
  }
}
