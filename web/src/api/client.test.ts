import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { away, maskFrom, picture } from './client'

const answer = (status: number, headers: Record<string, string> = {}) =>
  new Response(JSON.stringify({ detail: 'One moment' }), { status, headers })

describe('a studio that is away', () => {
  beforeEach(() => {
    vi.useFakeTimers()
    const Real = Request
    vi.stubGlobal('Request', class extends Real {
      constructor(to: string | Request, init?: RequestInit) {
        super(typeof to === 'string' ? new URL(to, 'http://studio.example') : to, init)
      }
    }) // prettier-ignore
  })
  afterEach(() => {
    vi.useRealTimers()
    vi.unstubAllGlobals()
    away.value = false
  })

  it('is asked again until it answers, and what was sent is sent whole', async () => {
    const bodies: string[] = []
    const answers = [answer(503), null, answer(200)]
    vi.stubGlobal('fetch', async (request: Request) => {
      bodies.push(await request.text())
      const next = answers.shift()
      if (!next) throw new TypeError('no connection')
      return next
    })
    const asking = picture('/api/view', { wide: 3 })
    await vi.advanceTimersByTimeAsync(100)
    expect(away.value).toBe(true)
    await vi.advanceTimersByTimeAsync(5000)
    expect((await asking).status).toBe(200)
    expect(away.value).toBe(false)
    expect(bodies).toEqual(Array(3).fill('{"wide":3}'))
  })

  it('is not asked again for what may have been done', async () => {
    const fetched = vi.fn(async () => answer(503))
    vi.stubGlobal('fetch', fetched)
    await expect(maskFrom('p', new File(['x'], 'x.png'))).rejects.toThrow('One moment')
    expect(fetched).toHaveBeenCalledTimes(1)
  })
})
