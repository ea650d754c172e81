import type { Operation } from '../api/client'

/** Thrown when the place of a change is gone from the sheet. */
export class Lost extends Error {}

type Node = Record<string, unknown> | unknown[]
type Path = (string | number)[]

/**
 * The sheet with `operations` applied, as the server applies them; the given sheet stays as it was.
 * Only what lies on the way of a change is copied.
 */
export function applied<T extends object>(sheet: T, operations: Operation[]): T {
  const changed = { ...sheet }
  for (const operation of operations) applyOne(changed as Record<string, unknown>, operation)
  return changed
}

function applyOne(sheet: Record<string, unknown>, operation: Operation) {
  const path = operation.path
  if (operation.op === 'insert') {
    const items = listAt(sheet, path)
    items.splice(operation.index ?? items.length, 0, operation.item)
    return
  }
  const parent = walk(sheet, path.slice(0, -1))
  const step = path[path.length - 1]!
  if (operation.op === 'put') {
    if (Array.isArray(parent)) throw new Lost()
    if (operation.gone) delete parent[step as string]
    else parent[step as string] = operation.value
    return
  }
  if (!Array.isArray(parent)) throw new Lost()
  const [item] = parent.splice(indexOf(parent, step), 1)
  if (operation.op === 'move') listAt(sheet, operation.into).splice(operation.index, 0, item)
}

/** What stands at `path`, with every container on the way replaced by a copy. */
function walk(sheet: Record<string, unknown>, path: Path): Node {
  let node: Node = sheet
  for (const step of path) {
    const key = (Array.isArray(node) ? indexOf(node, step) : step) as keyof Node
    const child = node[key] as Node | null | undefined
    if (typeof child !== 'object' || child === null) throw new Lost()
    const copy: Node = Array.isArray(child) ? [...child] : { ...(child as object) }
    node[key] = copy as never
    node = copy
  }
  return node
}

function listAt(sheet: Record<string, unknown>, path: Path): unknown[] {
  const node = walk(sheet, path)
  if (!Array.isArray(node)) throw new Lost()
  return node
}

function indexOf(items: unknown[], step: string | number): number {
  const index =
    typeof step === 'number' ? step : items.findIndex((item) => (item as { id?: string } | null)?.id === step)
  if (index < 0 || index >= items.length) throw new Lost()
  return index
}
