import { ref } from 'vue'

/** Something that a form does: whether it is on its way, and in a sentence why it could not be done. */
export function useAttempt() {
  const [problem, busy] = [ref(''), ref(false)]
  async function attempt(work: () => Promise<unknown>) {
    busy.value = true
    problem.value = ''
    try {
      await work()
    } catch (error) {
      problem.value = (error as Error).message
    } finally {
      busy.value = false
    }
  }
  return { problem, busy, attempt }
}
