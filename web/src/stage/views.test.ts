import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Stroke } from '../sheet/types'
import { type Base, Views } from './views'

const closed: string[] = []
vi.mock('./bitmaps', () => ({
  pictureFrom: (blob: Blob) => blob.text().then((name) => ({ name, close: () => closed.push(name) })),
}))
const frame = { width: 100, height: 80, x: 0, y: 0, w: 100, h: 80 }
const base = () =>
  ({ portrait: 'p', revision: 1, trial: [], keep: null, look: 'plain', check: {} }) as unknown as Base
const stroke = { size: 0.1, points: [] as number[][] } as unknown as Stroke
const growing = () => ({ name: 'k1', stroke, area: 'a', part: 'p' })

let asked: Record<string, unknown>[]
let answers: (Response | (() => Response))[]
const picture = (name: string, headers: Record<string, string> = {}) => new Response(name, { headers })

beforeEach(() => {
  asked = []
  closed.length = 0
  vi.stubGlobal('fetch', async (request: Request) => {
    asked.push((await request.json()) as Record<string, unknown>)
    const answer = answers.shift()!
    return typeof answer === 'function' ? answer() : answer
  })
})

const settled = (views: Views) => vi.waitFor(() => expect(views.settled).toBe(true))

describe('dabs', () => {
  it('send the points that are new, and lie where the server says', async () => {
    const views = new Views(vi.fn(), vi.fn())
    answers = [picture('one', { 'X-Rect': '4 5 20 10' }), new Response(null, { status: 204 })]
    stroke.points = [[0.1, 0.1, 1]]
    views.dab(base, growing, frame)
    await settled(views)
    stroke.points = [...stroke.points, [0.2, 0.1, 1], [0.3, 0.1, 1]]
    views.dab(base, growing, frame)
    await settled(views)
    expect(asked.map((a) => [a.start, (a.stroke as Stroke).points.length])).toEqual([
      [0, 1],
      [1, 2],
    ])
    expect(views.dabs.value.map((d) => d.frame)).toEqual([{ ...frame, x: 4, y: 5, w: 20, h: 10 }])
  })

  it('send the whole stroke again when its beginning is not known any more', async () => {
    const views = new Views(vi.fn(), vi.fn())
    const rect = { 'X-Rect': '0 0 9 9' }
    answers = [picture('one', rect), new Response('{"detail":"gone"}', { status: 412 }), picture('all', rect)]
    stroke.points = [[0.1, 0.1, 1]]
    views.dab(base, growing, frame)
    await settled(views)
    stroke.points = [...stroke.points, [0.2, 0.1, 1]]
    views.dab(base, growing, frame)
    await settled(views)
    expect(asked.map((a) => a.start)).toEqual([0, 1, 0])
    expect((asked[2]!.stroke as Stroke).points).toHaveLength(2)
    expect(views.problem.value).toBe('')
  })

  it('are let go when the view that holds them is there, and all pictures when the stage is', async () => {
    const views = new Views(vi.fn(), vi.fn())
    answers = [picture('dab', { 'X-Rect': '0 0 9 9' }), picture('first'), picture('second')]
    stroke.points = [[0.1, 0.1, 1]]
    views.dab(base, growing, frame)
    await settled(views)
    for (let n = 0; n < 2; n++) {
      views.view(base, frame, () => '')
      await settled(views)
    }
    expect(closed).toEqual(['dab', 'first'])
    views.close()
    expect(closed).toEqual(['dab', 'first', 'second'])
  })
})

describe('views', () => {
  it('end with the whole picture before, though a draft of it was still on its way', async () => {
    const views = new Views(vi.fn(), vi.fn())
    const original = () => ({ ...base(), show: 'original' as const })
    const half = { ...frame, width: 50, height: 40, w: 50, h: 40 }
    answers = [picture('whole'), picture('half'), picture('whole again')]
    views.beforeView(original, frame)
    await settled(views)
    views.beforeView(original, half, true)
    views.beforeView(original, frame)
    await settled(views)
    expect(views.before.value?.frame).toEqual(frame)
    // What is there is not asked for again.
    views.beforeView(original, frame)
    expect(asked).toHaveLength(3)
  })

  it('stand there for what was asked, and are not asked for again until it is something else', async () => {
    const views = new Views(vi.fn(), vi.fn())
    let name = 'first'
    answers = [picture('first'), picture('draft')]
    views.view(base, frame, () => name)
    expect(views.stands('first')).toBe(false)
    await settled(views)
    expect([views.stands('first'), views.stands('second')]).toEqual([true, false])
    views.view(base, frame, null)
    name = 'second'
    await settled(views)
    expect([views.stands('first'), views.stands('second')]).toEqual([false, false])
  })

  it('stay sharp while only the view moves, and are let go when the picture changes', async () => {
    const views = new Views(vi.fn(), vi.fn())
    answers = ['sharp', 'moved', 'moved on', 'changed'].map((name) => picture(name))
    const ask = async (of: () => Base, named: (() => string) | null) => {
      views.view(of, frame, named)
      await settled(views)
    }
    await ask(base, () => '')
    const sharp = views.main.value
    await ask(base, null)
    await ask(base, null)
    expect(views.still.value).toBe(sharp)
    expect(closed).toEqual(['moved'])
    await ask(() => ({ ...base(), revision: 2 }), null)
    expect(views.still.value).toBe(null)
    expect(closed).toEqual(['moved', 'sharp', 'moved on'])
  })

  it('tell which touches show less than there is', async () => {
    const views = new Views(vi.fn(), vi.fn())
    answers = [picture('small', { 'X-Unseen': '{"t1":0.62}' }), picture('large')]
    views.view(base, frame, () => '')
    await settled(views)
    expect(views.unseen.value).toEqual({ t1: 0.62 })
    views.view(base, frame, () => '')
    await settled(views)
    expect(views.unseen.value).toEqual({})
  })
})
