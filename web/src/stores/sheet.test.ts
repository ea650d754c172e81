import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { watch } from 'vue'
import type { Operation } from '../api/client'
import { useNotices } from './notices'
import { useSheet } from './sheet'

const touch = (id: string, ev = 0) => ({ id, kind: 'exposure', area: null, on: true, settings: { ev } })
const insert = (id: string): Operation => ({ op: 'insert', path: ['touches'], item: touch(id) })
const setEv = (id: string, value: number): Operation => ({
  op: 'put',
  path: ['touches', id, 'settings', 'ev'],
  value,
  gone: false,
})

/** A server with one sheet: it applies nothing, it only counts revisions and answers as the real one does. */
class Server {
  document = { areas: [], touches: [touch('t1')] as unknown[] }
  revision = 3
  edits: { revision: number; operations: Operation[]; words: string }[] = []
  down = false
  private refused: { status: number; detail: string } | null = null
  get refuse() {
    return this.refused
  }
  set refuse(how) {
    this.refused = how
  }

  answer = vi.fn(async (request: Request): Promise<Response> => {
    if (this.down) throw new TypeError('network')
    const path = new URL(request.url).pathname
    const json = (body: unknown, status = 200) => new Response(JSON.stringify(body), { status })
    if (path === '/api/catalogue') return json({ kinds: [], blends: [] })
    if (path.endsWith('/sheet')) {
      return json({ document: this.document, revision: this.revision, undo: 'earlier', redo: null })
    }
    if (request.method === 'GET') return json({ id: 'p1', state: 'ready', facts: null })
    const body = (await request.json()) as Server['edits'][number]
    if (body.revision !== this.revision) return json({ detail: 'stale', revision: this.revision }, 409)
    if (this.refuse) {
      const { status, detail } = this.refuse
      this.refuse = null
      return json({ detail }, status)
    }
    this.revision += 1
    if (path.endsWith('/edits')) this.edits.push(body)
    const operations = path.endsWith('/undo') ? [{ op: 'remove', path: ['touches', 't1'] }] : []
    return json({ revision: this.revision, undo: 'x', redo: null, operations })
  })
}

let server: Server

beforeEach(async () => {
  setActivePinia(createPinia())
  server = new Server()
  vi.stubGlobal('fetch', server.answer)
  vi.useFakeTimers()
  await useSheet().open('p1')
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

const ids = () => useSheet().shown.touches.map((t) => t.id)
const quiet = () => vi.advanceTimersByTimeAsync(50)

describe('a change', () => {
  it('shows at once, is sent with its revision, and is then saved', async () => {
    const sheet = useSheet()
    sheet.change([insert('t2')], 'Brighten')
    expect(ids()).toEqual(['t1', 't2'])
    expect(sheet.saving).toBe('saving')
    expect(sheet.ahead).toHaveLength(1)
    await quiet()
    expect(server.edits).toEqual([{ revision: 3, operations: [insert('t2')], words: 'Brighten' }])
    expect([sheet.saving, sheet.revision, sheet.ahead.length]).toEqual(['saved', 4, 0])
  })

  it('that is only tried is shown and never sent', async () => {
    const sheet = useSheet()
    sheet.attempt([setEv('t1', 2)])
    expect(sheet.shown.touches[0]!.settings.ev).toBe(2)
    expect(sheet.doc.touches[0]!.settings.ev).toBe(0)
    await quiet()
    expect(server.edits).toHaveLength(0)
    sheet.attempt([])
    expect(sheet.shown.touches[0]!.settings.ev).toBe(0)
  })

  it('waits while the server is down, says so, and is sent when it is back', async () => {
    const sheet = useSheet()
    server.down = true
    sheet.change([insert('t2')], 'one')
    sheet.change([insert('t3')], 'two')
    await quiet()
    expect(sheet.saving).toBe('unreachable')
    expect(ids()).toEqual(['t1', 't2', 't3'])
    server.down = false
    await vi.advanceTimersByTimeAsync(2500)
    expect(server.edits.map((e) => [e.revision, e.words])).toEqual([
      [3, 'one'],
      [4, 'two'],
    ])
    expect(sheet.saving).toBe('saved')
  })

  it('is laid on what another window has done meanwhile, which is told', async () => {
    const sheet = useSheet()
    server.document = { areas: [], touches: [touch('t1', 1), touch('t9')] }
    server.revision = 8
    sheet.change([insert('t2')], 'Brighten')
    await quiet()
    expect(ids()).toEqual(['t1', 't9', 't2'])
    expect(server.edits[0]!.revision).toBe(8)
    expect(useNotices().list[0]!.text).toContain('another window')
  })

  it('is never out of sight while it is laid on what another window did', async () => {
    const sheet = useSheet()
    server.document = { areas: [], touches: [touch('t9')] }
    server.revision = 8
    sheet.change([insert('t2')], 'Darken')
    const seen: string[][] = []
    watch(
      () => sheet.doc,
      () => seen.push(ids()),
      { flush: 'sync' },
    )
    await quiet()
    expect(seen.length).toBeGreaterThan(0)
    expect(seen.every((list) => list.includes('t2'))).toBe(true)
  })

  it('whose place is gone is named, and the others are kept', async () => {
    const sheet = useSheet()
    server.document = { areas: [], touches: [] }
    server.revision = 8
    sheet.change([setEv('t1', 1)], 'Brighten more')
    sheet.change([insert('t2')], 'Darken')
    await quiet()
    expect(ids()).toEqual(['t2'])
    expect(server.edits.map((e) => e.words)).toEqual(['Darken'])
    expect(
      useNotices()
        .list.map((n) => n.text)
        .join(' '),
    ).toContain('“Brighten more” could not be laid on it')
  })

  it('that the server refuses is taken out again with its reason', async () => {
    const sheet = useSheet()
    server.refuse = { status: 422, detail: 'An area is missing.' }
    sheet.change([insert('t2')], 'Brighten')
    await quiet()
    expect(ids()).toEqual(['t1'])
    expect(useNotices().list[0]!.text).toBe('“Brighten” was not kept: An area is missing.')
    expect(sheet.saving).toBe('saved')
  })

  it('is given up, with what the server said, if the server stumbles over it again and again', async () => {
    const sheet = useSheet()
    const stumbles = vi.spyOn(server, 'refuse', 'get')
    stumbles.mockReturnValue({ status: 500, detail: 'Something went wrong here (no. 1f).' })
    sheet.change([insert('t2')], 'Brighten')
    await quiet()
    expect(sheet.saving).toBe('unreachable')
    expect(ids()).toEqual(['t1', 't2'])
    await vi.advanceTimersByTimeAsync(10_000)
    stumbles.mockRestore()
    sheet.change([insert('t3')], 'Warm')
    await quiet()
    expect(ids()).toEqual(['t1', 't3'])
    expect(useNotices().list[0]!.text).toBe('“Brighten” was not kept: Something went wrong here (no. 1f).')
    expect(sheet.saving).toBe('saved')
  })

  it('is kept in the window when one is signed out', async () => {
    const sheet = useSheet()
    server.refuse = { status: 401, detail: 'You are not signed in.' }
    sheet.change([insert('t2')], 'Brighten')
    await quiet()
    expect(sheet.saving).toBe('signed out')
    await vi.advanceTimersByTimeAsync(2500)
    expect(server.edits).toHaveLength(1)
  })
})

describe('a sheet that another window has changed', () => {
  it('is fetched when it is heard of, with the words of what was done there', async () => {
    const sheet = useSheet()
    sheet.heard({ revision: sheet.revision, words: 'our own' })
    await quiet()
    expect(useNotices().list).toHaveLength(0)
    server.document = { areas: [], touches: [touch('t9')] }
    server.revision = 8
    sheet.heard({ revision: 8, words: 'Brighten the face' })
    await quiet()
    expect(ids()).toEqual(['t9'])
    expect(useNotices().list.map((n) => n.text)).toEqual(['From another window: “Brighten the face”.'])
  })

  it('is fetched and shown, and this is told once', async () => {
    const sheet = useSheet()
    server.document = { areas: [], touches: [touch('t9')] }
    server.revision = 8
    await sheet.catchUp()
    expect(ids()).toEqual(['t9'])
    expect(sheet.revision).toBe(8)
    await sheet.catchUp()
    expect(useNotices().list).toHaveLength(1)
  })
})

describe('another portrait', () => {
  it('is opened once what was changed before is kept, and that stays with its own', async () => {
    const sheet = useSheet()
    server.down = true
    sheet.change([insert('t2')], 'Brighten')
    await vi.advanceTimersByTimeAsync(10)
    const opening = sheet.open('p2')
    server.down = false
    await vi.advanceTimersByTimeAsync(5000)
    await opening
    expect(server.edits.map((edit) => edit.words)).toEqual(['Brighten'])
    const paths = server.answer.mock.calls.map(([request]) => new URL(request.url).pathname)
    expect(paths.indexOf('/api/portraits/p1/edits')).toBeLessThan(paths.indexOf('/api/portraits/p2/sheet'))
    expect(paths.filter((path) => path === '/api/catalogue')).toHaveLength(1)
  })

  it('that was open last stands there at once, as it is on the server', async () => {
    const sheet = useSheet()
    const stood = sheet.doc
    const opening = sheet.open('p1')
    expect(sheet.portrait?.id).toBe('p1')
    await opening
    expect(sheet.doc).toBe(stood)
    server.document = { areas: [], touches: [touch('t9')] }
    server.revision = 8
    await sheet.open('p1')
    expect(ids()).toEqual(['t9'])
  })
})

describe('undo', () => {
  it('does what the server says, after all that was changed before it', async () => {
    const sheet = useSheet()
    sheet.change([insert('t2')], 'Brighten')
    sheet.undo()
    await quiet()
    // The stand-in server took t1 out; what was waiting had been sent before.
    expect(ids()).toEqual(['t2'])
    expect(sheet.revision).toBe(5)
  })

  it('is not asked for when there is nothing to undo', async () => {
    const sheet = useSheet()
    sheet.undoWords = null
    sheet.undo()
    await quiet()
    expect(sheet.revision).toBe(3)
  })
})
