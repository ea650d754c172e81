import { describe, expect, it } from 'vitest'
import { Pace } from './pace'

/** A server whose time follows the pixels that it draws: `full` milliseconds for all of them. */
function drag(pace: Pace, full: number, pictures = 30): number[] {
  return Array.from({ length: pictures }, () => {
    const share = pace.share
    pace.told(share, full * share ** 2)
    return share
  })
}

describe('the pace of drafts', () => {
  it('stays sharp where pictures come in time, and does not waver', () => {
    expect(new Set(drag(new Pace(), 200))).toEqual(new Set([1 / 2]))
  })
  it('becomes as coarse as is needed and stays there', () => {
    const shares = drag(new Pace(), 1000)
    expect(shares.slice(-20).every((s) => s === 1 / 4)).toBe(true)
    expect(1000 * shares.at(-1)! ** 2).toBeLessThan(65)
  })
  it('becomes sharp again once the work is light', () => {
    const pace = new Pace()
    drag(pace, 3000)
    expect(pace.share).toBe(1 / 6)
    drag(pace, 150)
    expect(pace.share).toBe(1 / 2)
  })
  it('stays sharp where it is not the pixels that take the time', () => {
    const pace = new Pace()
    const shares = Array.from({ length: 40 }, () => {
      const share = pace.share
      pace.told(share, 150 + 20 * share ** 2)
      return share
    })
    expect(shares.filter((s) => s === 1 / 2).length).toBeGreaterThan(30)
  })
  it('becomes coarser after all when its first pictures came quicker than those that follow', () => {
    const pace = new Pace()
    drag(pace, 4 * 140, 3)
    const shares = drag(pace, 4 * 300, 40)
    expect(shares.slice(-10).every((s) => s < 1 / 2)).toBe(true)
  })
  it('is not kept from a size by its first picture, which makes what lies below as well', () => {
    const pace = new Pace()
    let before = 0
    const shares = Array.from({ length: 12 }, () => {
      const share = pace.share
      pace.told(share, 500 * share ** 2 * (share === before ? 1 : 4))
      before = share
      return share
    })
    expect(shares.slice(-5)).toEqual(Array(5).fill(1 / 3))
  })
  it('does not listen to one late picture, nor to one of another size', () => {
    const pace = new Pace()
    drag(pace, 100)
    pace.told(1 / 2, 900)
    pace.told(1, 900)
    pace.told(1, 900)
    expect(pace.share).toBe(1 / 2)
  })
})
