import { computed, ref, shallowRef, type Ref } from 'vue'
import { api, type Portrait } from '../api/client'
import { useNotices } from '../stores/notices'

/** How many portraits are fetched at once. */
export const PART = 24

export interface Listed {
  only: 'all' | 'touched' | 'untouched' | 'unflagged' | 'keep' | 'maybe' | 'leave out'
  sitter: number | null
  order: 'added' | 'name' | 'taken'
}

/** The portraits of a sitting as they are listed: fetched in parts, as they come into view. */
export function useListing(sitting: string, wanted: Ref<Listed>) {
  const notices = useNotices()
  const count = ref<number | null>(null)
  const cards = shallowRef<(Portrait | undefined)[]>([])
  let list = 0
  let asked = new Set<number>()
  let shown: [number, number] = [0, PART - 1]
  const query = computed(() => {
    const { only, order, sitter } = wanted.value
    return { only, order, ...(sitter === null ? {} : { sitter }) }
  })

  async function fetch(start: number) {
    const mine = list
    asked.add(start)
    try {
      const { data } = await api.GET('/api/sittings/{sitting_id}/cards', {
        params: { path: { sitting_id: sitting }, query: { ...query.value, start, many: PART } },
      })
      if (mine !== list) return
      count.value = data!.count
      const now = cards.value.slice(0, data!.count)
      data!.portraits.forEach((p, i) => (now[start + i] = p))
      cards.value = now
    } catch (error) {
      asked.delete(start)
      notices.complain(error)
    }
  }
  /** Have the portraits with these numbers. */
  async function need(first: number, last: number) {
    shown = [first, last]
    const parts = []
    for (let start = first - (first % PART); start <= last; start += PART)
      if (!asked.has(start)) parts.push(fetch(start))
    await Promise.all(parts)
  }
  /** Fetch what is in view again; what is not, when it comes into view. */
  async function again() {
    asked = new Set()
    await need(...shown)
  }
  /** Begin another list. */
  async function anew() {
    list += 1
    asked = new Set()
    cards.value = []
    count.value = null
    shown = [0, PART - 1]
    await need(...shown)
  }
  /** Ids and names of all that are prepared, as they are listed. */
  async function index() {
    const { data } = await api.GET('/api/sittings/{sitting_id}/index', {
      params: { path: { sitting_id: sitting }, query: query.value },
    })
    return data!
  }
  return { count, cards, need, again, anew, index }
}
