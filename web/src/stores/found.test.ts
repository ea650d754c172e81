import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { Regions } from '../sheet/regions'
import { useFound } from './found'

const json = (body: unknown) => new Response(JSON.stringify(body))
const told = (search: string) => ({ search, progress: 0, person: search !== 'waiting', faces: [] })
/** What the server answers about the search, one answer after the other; the last one stays. */
let searches: string[]
let regions: number

beforeEach(() => {
  setActivePinia(createPinia())
  vi.useFakeTimers()
  regions = 0
  vi.spyOn(Regions, 'read').mockImplementation(async () => ({ made: ++regions }) as unknown as Regions)
  vi.stubGlobal('fetch', async (of: Request | string) => {
    if (typeof of === 'string') return new Response(new Blob())
    if (of.method === 'POST') searches = ['waiting', 'ready']
    return json(told(searches.length > 1 ? searches.shift()! : searches[0]!))
  })
})
afterEach(() => {
  vi.restoreAllMocks()
  vi.unstubAllGlobals()
  vi.useRealTimers()
})

it.each([
  { said: ['running', 'running', 'ready'], lacked: 1 },
  { said: ['waiting', 'running', 'ready'], lacked: 2 },
  { said: ['ready'], lacked: 0 },
])('asks until the search is over; what came since ($lacked) the view lacks', async ({ said, lacked }) => {
  searches = said
  const found = useFound()
  found.open('p1')
  await vi.advanceTimersByTimeAsync(5000)
  expect([found.state.search, found.came, regions]).toEqual(['ready', lacked, 1])
})

it.each([
  { said: ['none'], because: 'nobody looked' },
  { said: Array.from({ length: 40 }, () => 'waiting'), because: 'it waits and nothing comes' },
])('asks for a search when $because', async ({ said }) => {
  searches = said
  const found = useFound()
  found.open('p1')
  await vi.advanceTimersByTimeAsync(30_000)
  expect(found.state.search).toBe('ready')
})

it('brings other regions once it was searched again', async () => {
  searches = ['ready']
  const found = useFound()
  found.open('p1')
  await vi.advanceTimersByTimeAsync(100)
  void found.again()
  await vi.advanceTimersByTimeAsync(5000)
  expect(found.regions).toEqual({ made: 2 })
  expect(found.came).toBe(1)
})

it('asks no more about a portrait that was left', async () => {
  searches = ['running']
  const found = useFound()
  found.open('p1')
  await vi.advanceTimersByTimeAsync(100)
  found.close()
  searches = ['ready']
  await vi.advanceTimersByTimeAsync(5000)
  expect([found.state.search, regions]).toEqual(['running', 0])
})
