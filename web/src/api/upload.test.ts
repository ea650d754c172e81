import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { upload } from './client'

/** A connection that answers as it is told, once the file is sent. */
class Connection {
  static answer: { status: number; responseText: string } | 'broken'
  upload: { onprogress?: (event: object) => void } = {}
  status = 0
  responseText = ''
  onload?: () => void
  onerror?: () => void
  open() {}
  setRequestHeader() {}
  send() {
    this.upload.onprogress?.({ lengthComputable: true, loaded: 3, total: 4 })
    if (Connection.answer === 'broken') return this.onerror?.()
    Object.assign(this, Connection.answer)
    this.onload?.()
  }
}
const shares: number[] = []
const send = () => upload('s1', new File(['.'], 'Alto 2.jpg'), (share) => shares.push(share))

beforeEach(() => vi.stubGlobal('XMLHttpRequest', Connection))
afterEach(() => vi.unstubAllGlobals())

it('gives the card of a file that was taken in, and says how far it is', async () => {
  Connection.answer = { status: 201, responseText: '{"id": "p1"}' }
  expect(await send()).toEqual({ id: 'p1' })
  expect(shares).toEqual([0.75])
})

it.each([
  { status: 413, responseText: '<html>413 Request Entity Too Large</html>', says: /larger than/ },
  { status: 502, responseText: '<html>Bad Gateway</html>', says: /did not answer/ },
  { status: 504, responseText: '', says: /took too long/ },
  { status: 201, responseText: '<html>a proxy of another mind</html>', says: /could not take/ },
  { status: 422, responseText: '{"detail": "This is no picture."}', says: /This is no picture/ },
])('ends with a sentence when $status is answered', async ({ says, ...answer }) => {
  Connection.answer = answer
  await expect(send()).rejects.toThrow(says)
})

it('ends with a sentence when the connection breaks off', async () => {
  Connection.answer = 'broken'
  await expect(send()).rejects.toThrow(/broke off/)
})
