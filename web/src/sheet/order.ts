import type { Kind } from '../api/client'
import type { Touch } from './types'

/** The stages of the work in their order, and how each is headed. */
export const STAGES: Record<Kind['stage'], string> = {
  balance: 'Balance',
  light: 'Light',
  clean: 'Clean',
  skin: 'Skin',
  eyes: 'Eyes and mouth',
  shape: 'Shape',
  finish: 'Finish',
}

/** A row of the sheet as it is shown: a touch, how deep it stands in sets, and the path to it. */
export interface Row {
  touch: Touch
  path: (string | number)[]
  depth: number
}
/** Where something that is dragged would stand: the list, and its index there afterwards. */
export interface Place {
  into: (string | number)[]
  index: number
}

/**
 * Where a row comes to stand that is let go under `before` and over `after` (rows as they are shown, without the
 * dragged one and what it holds), as deep as `wanted` says, as far as its neighbours allow. Under a set's own row it may
 * go into the set; under the last row of a set it may stay in or come out.
 */
export function dropPlace(
  touches: Touch[],
  moved: string,
  before: Row | undefined,
  after: Row | undefined,
  wanted: number,
): Place {
  if (!before) return { into: ['touches'], index: 0 }
  const deepest = before.touch.kind === 'set' ? before.depth + 1 : before.depth
  const depth = Math.min(deepest, Math.max(Math.min(after?.depth ?? 0, deepest), wanted))
  if (depth > before.depth) return { into: [...before.path, 'touches'], index: 0 }
  // The row before, or the set round it at this depth, comes right before.
  const beside = before.path.slice(0, 2 + 2 * depth)
  const into = beside.slice(0, -1)
  const siblings = listAt(touches, into).filter((t) => t.id !== moved)
  return { into, index: siblings.findIndex((t) => t.id === beside[beside.length - 1]) + 1 }
}

/** The list of touches at a path: the sheet's own, or that of a set. */
export function listAt(touches: Touch[], path: (string | number)[]): Touch[] {
  let list = touches
  for (let i = 1; i < path.length; i += 2) list = list.find((t) => t.id === path[i])?.touches ?? []
  return list
}
