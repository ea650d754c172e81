import { describe, expect, it } from 'vitest'
import { Latest } from './latest'

function gate() {
  let open = () => {}
  const wait = new Promise<void>((done) => (open = done))
  return { wait, open }
}

describe('Latest', () => {
  it('runs the first and the last, one at a time', async () => {
    const done: number[] = []
    const latest = new Latest(() => {})
    const first = gate()
    latest.run(() => first.wait.then(() => void done.push(1)))
    for (const n of [2, 3, 4]) latest.run(async () => void done.push(n))
    first.open()
    await expect.poll(() => latest.idle).toBe(true)
    expect(done).toEqual([1, 4])
  })

  it('goes on after an error, which is told', async () => {
    const told: unknown[] = []
    const latest = new Latest((error) => told.push(error))
    latest.run(() => Promise.reject(new Error('no')))
    await expect.poll(() => told.length).toBe(1)
    let ran = false
    latest.run(async () => void (ran = true))
    await expect.poll(() => ran).toBe(true)
  })
})
