import { defineStore } from 'pinia'
import { ref, watch } from 'vue'
import { Problem } from '../api/client'

export interface Notice {
  id: number
  text: string
  tone: 'calm' | 'care'
  /** A way on: its words, and what it does. */
  way?: { words: string; go: () => void }
}

/** The status of an answer to what rests on faces that are still being looked for. */
export const STILL_SEARCHING = 425

const bare = (text: string) => text.replace(/\(no\. \w+\)/, '')

/** Sentences that must be seen: what happened, what was kept, what to do. */
export const useNotices = defineStore('notices', () => {
  const list = ref<Notice[]>([])
  let next = 1

  /** Say something; with `holds`, as long as it is true. */
  function say(text: string, tone: Notice['tone'] = 'calm', way?: Notice['way'], holds?: () => boolean) {
    // The same again, with another number in the log, is said once.
    if (list.value.some((n) => bare(n.text) === bare(text))) return
    const id = next++
    list.value.push({ id, text, tone, way })
    if (tone === 'calm') setTimeout(() => drop(id), 7000)
    if (holds) {
      const stop = watch(holds, (now) => {
        if (now) return
        drop(id)
        stop()
      })
    }
  }
  function drop(id: number) {
    list.value = list.value.filter((n) => n.id !== id)
  }
  /** Say what went wrong; that faces are still looked for, only while `searching`. */
  function complain(error: unknown, searching?: () => boolean) {
    const holds = error instanceof Problem && error.status === STILL_SEARCHING ? searching : undefined
    say(error instanceof Error ? error.message : String(error), 'care', undefined, holds)
  }
  /** What nobody expected: the one place where it is said, with a way on. */
  function unexpected(error: unknown) {
    if (error instanceof Problem) {
      complain(error)
      return
    }
    console.error(error)
    const said = error instanceof Error ? error.message : String(error)
    say(`Something went wrong in this window (${said}). Everything that says “saved” is kept.`, 'care', {
      words: 'reload',
      go: () => location.reload(),
    })
  }
  return { list, say, drop, complain, unexpected }
})
