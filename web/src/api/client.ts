import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schema = components['schemas']
export type Sheet = Schema['Sheet']
export type Area = Schema['Area']
export type Operation = Schema['EditIn']['operations'][number]
export type Portrait = Schema['PortraitOut']
export type Sitting = Schema['SittingOut']
export type Kind = Schema['KindOut']
export type Setting = Schema['SettingOut']
export type Source = Schema['SourceOut']
export type Export = Schema['ExportOut']
export type FrameIn = Schema['FrameIn']

/** What the server said, in a sentence for the photographer. */
export class Problem extends Error {
  constructor(
    message: string,
    readonly status: number,
    readonly revision?: number,
  ) {
    super(message)
  }
}

export const UNREACHABLE = 0

export function csrf(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? ''
}

async function patient(request: Request): Promise<Response> {
  try {
    return await fetch(request)
  } catch {
    throw new Problem('The server does not answer. Is it still running?', UNREACHABLE)
  }
}

export const api = createClient<paths>({ baseUrl: '/', fetch: patient })

api.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrf())
    return request
  },
  async onResponse({ response }) {
    if (!response.ok) throw await problem(response)
    return response
  },
})

async function problem(response: Response): Promise<Problem> {
  const body = (await response.json().catch(() => null)) as { detail?: unknown; revision?: number } | null
  const detail =
    typeof body?.detail === 'string' ? body.detail : `The server could not do this (${response.status}).`
  return new Problem(detail, response.status, body?.revision)
}

/** A picture from the server: its bytes and the headers that came with it. */
export async function picture(path: string, body: unknown): Promise<{ blob: Blob; headers: Headers }> {
  const response = await patient(
    new Request(path, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', 'X-CSRFToken': csrf() },
      body: JSON.stringify(body),
    }),
  )
  if (!response.ok) throw await problem(response)
  return { blob: await response.blob(), headers: response.headers }
}

/** A mask picture as the settings of a part; nothing is kept yet. */
export async function maskFrom(portrait: string, file: File): Promise<Schema['MaskOut']> {
  const form = new FormData()
  form.append('file', file)
  const headers = { 'X-CSRFToken': csrf() }
  const response = await patient(
    new Request(`/api/portraits/${portrait}/masks`, { method: 'POST', headers, body: form }),
  )
  if (!response.ok) throw await problem(response)
  return (await response.json()) as Schema['MaskOut']
}

/** Send one file with progress, which fetch does not tell. */
export function upload(sitting: string, file: File, progress: (share: number) => void): Promise<Portrait> {
  return new Promise((done, fail) => {
    const request = new XMLHttpRequest()
    request.open('POST', `/api/sittings/${sitting}/portraits`)
    request.setRequestHeader('X-CSRFToken', csrf())
    request.upload.onprogress = (event) => event.lengthComputable && progress(event.loaded / event.total)
    request.onerror = () => fail(new Problem('The connection broke off. Drop the file again.', UNREACHABLE))
    request.onload = () => {
      const body = JSON.parse(request.responseText || 'null') as Portrait | { detail?: string } | null
      if (request.status === 201) done(body as Portrait)
      else {
        const detail = (body as { detail?: string } | null)?.detail
        fail(new Problem(detail ?? 'The server could not take this file.', request.status))
      }
    }
    const form = new FormData()
    form.append('file', file)
    request.send(form)
  })
}
