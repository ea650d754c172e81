export interface EditLine {
  id: number
  parent: number | null
  words: string
  created: string
}
/** An edit on the way through the sheet's present point; `ahead` of it, or already done; and the ways that leave there. */
export interface Told {
  edit: EditLine | null
  number: number
  ahead: boolean
  branches: { tip: EditLine; count: number }[]
}

/**
 * The way from the beginning through `head`, and on to its newest end. At each point, `branches` are the other ways
 * that begin there, each with its newest end and the number of its edits.
 */
export function lineOf(edits: EditLine[], head: number | null): Told[] {
  const byId = new Map(edits.map((e) => [e.id, e]))
  const children = new Map<number | null, EditLine[]>()
  for (const e of edits) children.set(e.parent, [...(children.get(e.parent) ?? []), e])
  const way: (EditLine | null)[] = []
  for (let at = head === null ? null : (byId.get(head) ?? null); at; at = byId.get(at.parent ?? -1) ?? null)
    way.unshift(at)
  way.unshift(null)
  const done = way.length
  for (let next = newest(head); next; next = newest(next.id)) way.push(next)

  function newest(of: number | null): EditLine | undefined {
    return children.get(of)?.at(-1)
  }
  function reach(from: EditLine): { tip: EditLine; count: number } {
    let [tip, count] = [from, 0]
    const open = [from]
    while (open.length) {
      const at = open.pop()!
      count += 1
      if (at.id > tip.id) tip = at
      open.push(...(children.get(at.id) ?? []))
    }
    return { tip, count }
  }
  return way.map((edit, i) => {
    const on = way[i + 1]?.id
    const others = (children.get(edit?.id ?? null) ?? []).filter((e) => e.id !== on)
    return { edit, number: i, ahead: i >= done, branches: others.map(reach) }
  })
}
