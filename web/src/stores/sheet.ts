import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import {
  api,
  type Kind,
  type Operation,
  type Source,
  type Portrait,
  type Schema,
  Problem,
  UNREACHABLE,
} from '../api/client'
import { applied, Lost } from '../sheet/changes'
import type { Area, Doc, Touch } from '../sheet/types'
import { walkTouches } from '../sheet/types'
import { inPixels } from '../sheet/words'
import { useNotices } from './notices'

interface Change {
  operations: Operation[]
  words: string
}
/** To another point of the history (null: the beginning), or to another take. */
export type Jump = { to: 'edit'; edit: number | null } | { to: 'take'; take: number }
type Job = ({ does: 'change' } & Change) | { does: 'undo' } | { does: 'redo' } | { does: 'jump'; jump: Jump }
export type Saving = 'saved' | 'saving' | 'unreachable' | 'signed out'

const RETRY = 2000
/** The server stumbled: after so many times over one change it will not take it. */
const [FAULT, STUMBLES] = [500, 4]
/** The studio's disk is full. */
const FULL = 507

/**
 * The sheet in this window: what the server has confirmed, the changes on their way to it, and what is only being
 * tried while something is dragged.
 */
export const useSheet = defineStore('sheet', () => {
  const notices = useNotices()
  const portrait = shallowRef<Portrait | null>(null)
  const kinds = shallowRef<Kind[]>([])
  const blends = shallowRef<string[]>([])
  const sources = shallowRef<Source[]>([])
  const doc = shallowRef<Doc>({ areas: [], touches: [] })
  const revision = ref(0)
  const undoWords = ref<string | null>(null)
  const redoWords = ref<string | null>(null)
  const queue = shallowRef<Job[]>([])
  const trial = shallowRef<Operation[]>([])
  const saving = ref<Saving>('saved')
  let pumping = false
  let pumped: Promise<void> = Promise.resolve()
  let stumbled = 0
  let opened = 0
  /** What there is to lay on any sheet: asked for once. */
  let catalogue: ReturnType<typeof fetchCatalogue> | null = null

  const shown = computed<Doc>(() => {
    try {
      return applied(doc.value, trial.value)
    } catch {
      return doc.value
    }
  })
  /** The changes that are kept here and on their way to the server. */
  const waiting = computed<Operation[]>(() =>
    queue.value.flatMap((job) => (job.does === 'change' ? job.operations : [])),
  )
  /** What the server must lay on its revision to see what this window shows. */
  const ahead = computed<Operation[]>(() => [...waiting.value, ...trial.value])
  const areas = computed(() => shown.value.areas)
  const steps = computed(() => walkTouches(shown.value.touches))

  function touch(id: string | null): { touch: Touch; path: (string | number)[] } | undefined {
    return steps.value.find((s) => s.touch.id === id)
  }
  function area(id: string | null): Area | undefined {
    return areas.value.find((a) => a.id === id)
  }
  function usersOf(id: string): number[] {
    return steps.value.flatMap((s, i) => (s.touch.area === id ? [i + 1] : []))
  }

  const fetchCatalogue = async () => (await api.GET('/api/catalogue')).data!

  /** Open a portrait. The one that was open last stands there at once, and is brought up to date. */
  async function open(id: string) {
    trial.value = []
    // What is on its way belongs to the sheet that was open.
    await pumped
    const mine = ++opened
    if (portrait.value?.id !== id) portrait.value = null
    const params = { params: { path: { portrait_id: id } } }
    try {
      const [card, list, kept] = await Promise.all([
        api.GET('/api/portraits/{portrait_id}', params),
        (catalogue ??= fetchCatalogue()),
        api.GET('/api/portraits/{portrait_id}/sheet', params),
      ])
      if (mine !== opened) return
      const { width = 1, height = 1 } = card.data!.facts ?? {}
      kinds.value = list.kinds.map((k) => inPixels(k, Math.max(width, height)))
      blends.value = list.blends
      sources.value = list.sources
      if (!portrait.value || revision.value !== kept.data!.revision) stand(kept.data!)
      portrait.value = card.data!
    } catch (error) {
      catalogue = null
      portrait.value = null
      throw error
    }
  }
  function stand(
    at: Pick<Schema['SheetOut'], 'revision' | 'undo' | 'redo'> & { document: unknown },
    document = at.document as Doc,
  ) {
    doc.value = document
    revision.value = at.revision
    undoWords.value = at.undo
    redoWords.value = at.redo
  }

  /** `laid`: what is laid on the server's sheet before it is shown, so that what is open here does not close. */
  async function fetchSheet(id: string, laid: (doc: Doc) => Doc) {
    const { data } = await api.GET('/api/portraits/{portrait_id}/sheet', {
      params: { path: { portrait_id: id } },
    })
    stand(data!, laid(data!.document as unknown as Doc))
  }

  /** Show a change without keeping it; `[]` ends it. */
  function attempt(operations: Operation[]) {
    trial.value = operations
  }

  /** Keep a change: at once here, and on the server as soon as it answers. */
  function change(operations: Operation[], words: string) {
    trial.value = []
    try {
      doc.value = applied(doc.value, operations)
    } catch (error) {
      if (error instanceof Lost)
        notices.say(`“${words}” could not be done: its place is no longer there.`, 'care')
      else throw error
      return
    }
    queue.value = [...queue.value, { does: 'change', operations, words }]
    undoWords.value = words
    redoWords.value = null
    pump()
  }

  function undo() {
    if (undoWords.value === null) return
    queue.value = [...queue.value, { does: 'undo' }]
    pump()
  }
  function redo() {
    if (redoWords.value === null) return
    queue.value = [...queue.value, { does: 'redo' }]
    pump()
  }

  /** Let the sheet stand elsewhere in its history; changes on their way are kept first. */
  function jump(jump: Jump) {
    queue.value = [...queue.value, { does: 'jump', jump }]
    pump()
  }

  function pump() {
    if (!pumping) pumped = keepAll()
  }
  async function keepAll() {
    pumping = true
    saving.value = 'saving'
    while (queue.value.length > 0 && portrait.value) {
      const job = queue.value[0]!
      try {
        await send(job, portrait.value.id)
      } catch (error) {
        if (!(await survive(error, job, portrait.value.id))) break
      }
    }
    pumping = false
    if (queue.value.length === 0) saving.value = 'saved'
  }

  async function send(job: Job, id: string) {
    const params = { path: { portrait_id: id } }
    const at = { revision: revision.value }
    if (job.does === 'jump') {
      if (job.jump.to === 'edit')
        await api.POST('/api/portraits/{portrait_id}/go', { params, body: { ...at, edit: job.jump.edit } })
      else
        await api.POST('/api/portraits/{portrait_id}/takes/{take_id}/open', {
          params: { path: { ...params.path, take_id: job.jump.take } },
          body: at,
        })
      queue.value = queue.value.slice(1)
      return rebase(id)
    }
    const { data } =
      job.does === 'change'
        ? await api.POST('/api/portraits/{portrait_id}/edits', {
            params,
            body: { ...at, operations: job.operations, words: job.words },
          })
        : job.does === 'undo'
          ? await api.POST('/api/portraits/{portrait_id}/undo', { params, body: at })
          : await api.POST('/api/portraits/{portrait_id}/redo', { params, body: at })
    queue.value = queue.value.slice(1)
    saving.value = 'saving'
    stumbled = 0
    if (job.does !== 'change') {
      // What was changed meanwhile stands on the sheet before this step: start from the server's.
      if (queue.value.length > 0) return rebase(id)
      doc.value = applied(doc.value, data!.operations)
    }
    revision.value = data!.revision
    if (queue.value.length === 0) {
      undoWords.value = data!.undo
      redoWords.value = data!.redo
    }
  }

  /** Whether the queue can go on after an error. */
  async function survive(error: unknown, job: Job, id: string): Promise<boolean> {
    const problem = error instanceof Problem ? error : new Problem(String(error), 500)
    stumbled = problem.status === FAULT ? stumbled + 1 : 0
    if (problem.status === UNREACHABLE || (problem.status >= 500 && stumbled < STUMBLES)) {
      saving.value = 'unreachable'
      if (problem.status === FULL)
        notices.say(problem.message, 'care', undefined, () => saving.value === 'unreachable')
      await new Promise((again) => setTimeout(again, RETRY))
      return true
    }
    if (problem.status === 401) {
      saving.value = 'signed out'
      const words = 'You are signed out. Sign in again in another window; your last changes wait here.'
      notices.say(words, 'care', undefined, () => saving.value === 'signed out')
      await new Promise((again) => setTimeout(again, RETRY))
      return true
    }
    if (problem.status === 409) {
      if (job.does !== 'change') queue.value = queue.value.slice(1)
      notices.say(
        'This sheet was changed in another window. Its changes are shown here now, with yours on top.',
      )
    } else {
      stumbled = 0
      queue.value = queue.value.slice(1)
      const what = job.does === 'change' ? `“${job.words}” was not kept: ${problem.message}` : problem.message
      notices.say(what, 'care')
    }
    try {
      await rebase(id)
    } catch {
      saving.value = 'unreachable'
      await new Promise((again) => setTimeout(again, RETRY))
    }
    return true
  }

  /** Take the server's sheet and lay the waiting changes on it; say which no longer fit. */
  async function rebase(id: string) {
    await fetchSheet(id, (sheet) => {
      queue.value = queue.value.filter((job) => {
        if (job.does !== 'change') return true
        try {
          sheet = applied(sheet, job.operations)
          return true
        } catch {
          notices.say(`“${job.words}” could not be laid on it: its place is gone.`, 'care')
          return false
        }
      })
      return sheet
    })
  }

  /** Where the server says that the sheet stands, and the words of its last edit. */
  function heard({ revision: now, words }: { revision: number; words: string }) {
    if (now > revision.value) void catchUp(words)
  }
  /** Another window has moved the sheet on: show what it did, unless a change of ours is about to find out itself. */
  async function catchUp(words = '') {
    if (pumping || queue.value.length || !portrait.value) return
    const before = revision.value
    try {
      await rebase(portrait.value.id)
    } catch (error) {
      notices.complain(error)
      return
    }
    if (revision.value !== before)
      notices.say(
        words
          ? `From another window: “${words}”.`
          : 'This sheet was changed in another window; its changes are shown here.',
      )
  }

  /** Something that was asked of the sheet did not come: another window's changes are fetched, all else is said. */
  function trouble(error: unknown) {
    if (error instanceof Problem && error.status === 409) void catchUp()
    else notices.complain(error)
  }

  return {
    portrait, kinds, blends, sources, doc, shown, areas, steps, revision, undoWords, redoWords, queue, trial, waiting, ahead, saving,
    touch, area, usersOf, open, attempt, change, undo, redo, jump, heard, catchUp, trouble,
  } // prettier-ignore
})
