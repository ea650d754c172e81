import createClient from 'openapi-fetch'
import { shallowRef } from 'vue'
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
export type Preset = Schema['PresetOut']
export type CarryOver = Schema['CarryOverOut']
export type Carried = Schema['CarriedOut']
export type Batch = Schema['BatchOut']
export type FileIn = Omit<Schema['OrderIn'], 'revision'>
/** The file that is usual. */
export const FILE: FileIn = {
  form: 'jpeg', bits: 8, into: 'srgb', quality: 92, by: 'full', amount: 0, dpi: 300, sharpen: 'no',
  place: false, with_sheet: false,
} // prettier-ignore
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
  return /(?:^|; )(?:__Host-)?csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? ''
}

/** How many requests have not been answered yet. */
export const asked = shallowRef(0)

/** The studio does not answer, and is asked again until it does. */
export const away = shallowRef(false)
/** How long something is asked again, and after which pauses. */
const [PATIENCE, PAUSE] = [60_000, 700]

/**
 * Ask, and ask again while the studio cannot be reached: if it says that nothing was done (its database is away), or
 * if what is asked changes nothing whatever became of it.
 */
async function patient(request: Request, asks = request.method === 'GET'): Promise<Response> {
  const until = Date.now() + PATIENCE
  asked.value++
  try {
    for (;;) {
      const next = request.clone()
      const response = await fetch(request).catch(() => null)
      const told = response?.headers.has('Retry-After') ?? false
      const undone = response === null ? asks : response.status === 503 && (asks || told)
      if (!undone || request.signal.aborted || Date.now() > until) {
        if (!request.signal.aborted) away.value = response === null
        if (response) return response
        throw new Problem('The server does not answer. Is it still running?', UNREACHABLE)
      }
      away.value = true
      await new Promise((again) => setTimeout(again, PAUSE))
      request = next
    }
  } finally {
    asked.value--
  }
}

export const api = createClient<paths>({ baseUrl: '/', fetch: (request) => patient(request) })

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
export async function picture(
  path: string,
  body: unknown,
): Promise<{ blob: Blob; headers: Headers; status: number }> {
  const response = await patient(
    new Request(path, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', 'X-CSRFToken': csrf() },
      body: JSON.stringify(body),
    }),
    true,
  )
  if (!response.ok) throw await problem(response)
  return { blob: await response.blob(), headers: response.headers, status: response.status }
}

/** Send a file to be read; nothing is kept yet. */
async function readBy<T>(path: string, file: File): Promise<T> {
  const form = new FormData()
  form.append('file', file)
  const headers = { 'X-CSRFToken': csrf() }
  const response = await patient(new Request(path, { method: 'POST', headers, body: form }))
  if (!response.ok) throw await problem(response)
  return (await response.json()) as T
}
/** A mask picture as the settings of a part. */
export const maskFrom = (portrait: string, file: File) =>
  readBy<Schema['MaskOut']>(`/api/portraits/${portrait}/masks`, file)
/** An SVG drawing as the settings of an outline. */
export const outlineFrom = (portrait: string, file: File) =>
  readBy<Schema['OutlineOut']>(`/api/portraits/${portrait}/outlines`, file)

/** A sheet from a file, or out of a finished picture, as what lays it on a portrait's. */
export const sheetFrom = (portrait: string, file: File) =>
  readBy<Schema['LaidOut']>(`/api/portraits/${portrait}/sheets`, file)

/** A press by its ICC profile, taken in among one's own. */
export const pressFrom = (file: File) => readBy<Schema['PressOut']>('/api/presses', file)

/** A preset's file, taken in among one's own. */
export const presetFrom = (file: File) => readBy<Preset>('/api/presets', file)

/** Hand a file made here or fetched to the browser, to be kept. */
export function handOut(blob: Blob, name: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}

/** What is said of an upload that never came to the studio, by the status with which something before it answered. */
const NOT_TAKEN: Record<number, string> = {
  0: 'The server could not take this file. Nothing of it was kept: drop it again.',
  413: 'This file is larger than the way to the server lets through. Nothing of it was kept.',
  502: 'The server did not answer. Nothing of this file was kept: drop it again in a moment.',
  503: 'The server is busy. Nothing of this file was kept: drop it again in a moment.',
  504: 'The server took too long to answer. Look whether the picture is here; if not, drop it again.',
}

/** What an answer says; one that is not the studio's own (a proxy's page) says nothing. */
function answerOf(text: string): { portrait?: Portrait; detail?: string } {
  try {
    const body = JSON.parse(text) as (Portrait & { detail?: unknown }) | null
    if (typeof body?.detail === 'string') return { detail: body.detail }
    return body ? { portrait: body } : {}
  } catch {
    return {}
  }
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
      const { portrait, detail } = answerOf(request.responseText)
      if (request.status === 201 && portrait) done(portrait)
      else fail(new Problem(detail ?? NOT_TAKEN[request.status] ?? NOT_TAKEN[0]!, request.status))
    }
    request.ontimeout = request.onabort = request.onerror
    const form = new FormData()
    form.append('file', file)
    request.send(form)
  })
}
