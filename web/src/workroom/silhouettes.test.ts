import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import type { Area } from '../sheet/types'
import { silhouette } from './silhouettes'

const frame = (h: number) => ({ width: 60, height: 80, x: 0, y: 0, w: 60, h })
const area = (id: string) => ({ id, name: id, parts: [] }) as unknown as Area
const of = { portrait: 'p1', revision: 3, trial: [] }
let asked: { trial: { item: { id: string } }[]; wanted: { area: string }[] }[]
let covers: string

beforeEach(() => {
  asked = []
  covers = 'one'
  vi.stubGlobal('createImageBitmap', async () => ({ width: 60, height: 80, close() {} }))
  vi.stubGlobal(
    'OffscreenCanvas',
    class {
      getContext = () => ({ drawImage() {} })
    },
  )
  vi.stubGlobal('fetch', async (request: Request) => {
    asked.push((await request.json()) as (typeof asked)[number])
    return new Response(covers)
  })
})
afterEach(() => vi.unstubAllGlobals())

const three = () =>
  Promise.all([
    silhouette(of, area('kept'), true, frame(20)),
    silhouette(of, area('found'), false, frame(30)),
    silhouette(of, area('found'), false, frame(40)),
  ])

it('asks once for what is wanted at one moment, with what is not in the sheet laid on it', async () => {
  const cuts = await three()
  expect(asked).toHaveLength(1)
  expect(asked[0]!.wanted.map((one) => one.area)).toEqual(['kept', 'found', 'found'])
  expect(asked[0]!.trial.map((one) => one.item.id)).toEqual(['found'])
  expect(cuts.map((cut) => cut.top)).toEqual([0, 20, 50])
})

it('gives the same picture again while nothing covers more or less, and another one then', async () => {
  const [first] = await three()
  const [again] = await three()
  covers = 'two'
  const [other] = await three()
  expect(again.picture).toBe(first.picture)
  expect(other.picture).not.toBe(first.picture)
})
