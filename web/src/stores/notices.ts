import { defineStore } from 'pinia'
import { ref } from 'vue'

export interface Notice {
  id: number
  text: string
  tone: 'calm' | 'care'
}

/** Sentences that must be seen: what happened, what was kept, what to do. */
export const useNotices = defineStore('notices', () => {
  const list = ref<Notice[]>([])
  let next = 1

  function say(text: string, tone: Notice['tone'] = 'calm') {
    if (list.value.some((n) => n.text === text)) return
    const id = next++
    list.value.push({ id, text, tone })
    if (tone === 'calm') setTimeout(() => drop(id), 7000)
  }
  function drop(id: number) {
    list.value = list.value.filter((n) => n.id !== id)
  }
  function complain(error: unknown) {
    say(error instanceof Error ? error.message : String(error), 'care')
  }
  return { list, say, drop, complain }
})
