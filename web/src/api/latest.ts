import { shallowRef } from 'vue'

/** One job in flight; of those that come meanwhile only the latest runs, after it. */
export class Latest {
  private waiting: (() => Promise<void>) | null = null
  /** Whether a job is in flight or waits. */
  readonly busy = shallowRef(false)

  constructor(private readonly complain: (error: unknown) => void) {}

  get idle(): boolean {
    return !this.busy.value
  }

  run(job: () => Promise<void>) {
    this.waiting = job
    if (!this.busy.value) void this.work()
  }

  private async work() {
    this.busy.value = true
    while (this.waiting) {
      const job = this.waiting
      this.waiting = null
      try {
        await job()
      } catch (error) {
        this.complain(error)
      }
    }
    this.busy.value = false
  }
}
