import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'
import { api, type Schema } from '../api/client'
import { lineOf, type Told } from '../sheet/history'
import { useNotices } from './notices'
import { useSheet } from './sheet'

type History = Schema['HistoryOut']
const NOTHING: History = { edits: [], head: null, marks: [], takes: [], take: null }

/** The history of the open sheet, fetched when it is looked at. */
export const useHistory = defineStore('history', () => {
  const sheet = useSheet()
  const notices = useNotices()
  const of = shallowRef('')
  const told = shallowRef<History>(NOTHING)

  const here = computed(() => (of.value === sheet.portrait?.id ? told.value : NOTHING))
  const line = computed<Told[]>(() => lineOf(here.value.edits, here.value.head))
  const marks = computed(() => here.value.marks)
  const takes = computed(() => here.value.takes)
  const take = computed(() => here.value.take)
  const head = computed(() => here.value.head)

  const params = () => ({ path: { portrait_id: sheet.portrait!.id } })
  async function load() {
    if (!sheet.portrait) return
    const id = sheet.portrait.id
    try {
      const { data } = await api.GET('/api/portraits/{portrait_id}/history', { params: params() })
      of.value = id
      told.value = data!
    } catch (error) {
      notices.complain(error)
    }
  }
  /** Do something about marks or takes and show what has become of them. */
  async function then(work: () => Promise<unknown>) {
    try {
      await work()
    } catch (error) {
      notices.complain(error)
    }
    await load()
  }
  const mark = (edit: number | null, name: string) =>
    then(() => api.POST('/api/portraits/{portrait_id}/marks', { params: params(), body: { edit, name } }))
  const unmark = (mark_id: number) =>
    then(() =>
      api.DELETE('/api/portraits/{portrait_id}/marks/{mark_id}', {
        params: { path: { ...params().path, mark_id } },
      }),
    )
  const newTake = (name: string) =>
    then(() =>
      api.POST('/api/portraits/{portrait_id}/takes', {
        params: params(),
        body: { revision: sheet.revision, name },
      }),
    )
  const nameTake = (take_id: number, name: string) =>
    then(() =>
      api.PATCH('/api/portraits/{portrait_id}/takes/{take_id}', {
        params: { path: { ...params().path, take_id } },
        body: { name },
      }),
    )
  const deleteTake = (take_id: number) =>
    then(() =>
      api.DELETE('/api/portraits/{portrait_id}/takes/{take_id}', {
        params: { path: { ...params().path, take_id } },
      }),
    )

  return { line, marks, takes, take, head, load, mark, unmark, newTake, nameTake, deleteTake }
})
