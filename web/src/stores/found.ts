import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { api, type Schema } from '../api/client'
import { useNotices } from './notices'
import { useRoom } from './room'
import { Regions } from '../sheet/regions'

const AGAIN = 1000
/** Answers of "waiting" after which it is asked for anew: should its job be lost, another one begins. */
const PATIENT = 15
const NONE = 404

type Face = Omit<Schema['FaceOut'], 'box' | 'eyes' | 'axis'> & {
  box: number[]
  eyes: number[][]
  axis: number[][]
}
type State = Omit<Schema['FoundOut'], 'faces'> & { faces?: Face[] }

/** What the program found on the open portrait by itself; asked for until the search is over. */
export const useFound = defineStore('found', () => {
  const room = useRoom()
  const portrait = ref('')
  const state = shallowRef<State>({ search: 'none', progress: 0, person: false, faces: [] })
  const regions = shallowRef<Regions | null>(null)
  /** Whose areas the column shows: the number of a face, 0 everybody's. */
  const of = ref(0)
  /** How often something was found that was not there yet when its portrait was drawn. */
  const came = ref(0)
  let following = false
  let looked = false
  let waits = 0
  let timer: ReturnType<typeof setTimeout> | undefined

  const searching = computed(() => ['none', 'waiting', 'running'].includes(state.value.search))
  const faces = computed(() => state.value.faces ?? [])

  function open(id: string) {
    clearTimeout(timer)
    following = true
    of.value = 0
    // What was found on the one that was open last is there still.
    if (portrait.value !== id) {
      portrait.value = id
      looked = false
      waits = 0
      regions.value = null
      state.value = { search: 'none', progress: 0, person: false, faces: [] }
    }
    void ask(id)
  }
  async function ask(id: string, again = false) {
    const params = { params: { path: { portrait_id: id } } }
    try {
      let { data } = again
        ? await api.POST('/api/portraits/{portrait_id}/found', params)
        : await api.GET('/api/portraits/{portrait_id}/found', params)
      waits = data!.search === 'waiting' ? waits + 1 : 0
      // Nobody looked yet, or what was found is lost.
      if (!again && (data!.search === 'none' || waits % PATIENT === PATIENT - 1))
        data = (await api.POST('/api/portraits/{portrait_id}/found', params)).data
      if (id !== portrait.value) return
      const ready = data!.search === 'ready'
      const fresh = searching.value && ready
      // While the rest is looked for, people and skin are known already.
      const first = !ready && data!.person && !state.value.person
      if ((fresh || first) && (looked || room.pictured)) came.value++
      looked = true
      if (JSON.stringify(state.value) !== JSON.stringify(data)) state.value = data!
      // Looked for again, it has other regions.
      if (fresh || (ready && !regions.value)) void fetchRegions(id)
    } catch {
      // The server is away for a moment; what was found is not lost.
    }
    if (following && id === portrait.value && searching.value) timer = setTimeout(() => void ask(id), AGAIN)
  }
  async function fetchRegions(id: string) {
    const answer = await fetch(`/api/portraits/${id}/regions`)
    if (!answer.ok) {
      // Without them things can still be taken by a box.
      if (answer.status !== NONE)
        useNotices().say('Things cannot be pointed at here now; a box still works.', 'care')
      return
    }
    const read = await Regions.read(await answer.blob())
    if (id === portrait.value) regions.value = read
  }
  function close() {
    clearTimeout(timer)
    following = false
  }
  return { state, faces, of, regions, came, searching, open, close, again: () => ask(portrait.value, true) }
})
