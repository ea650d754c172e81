/** One job in flight; of those that come meanwhile only the latest runs, after it. */
export class Latest {
  private waiting: (() => Promise<void>) | null = null
  private running = false

  constructor(private readonly complain: (error: unknown) => void) {}

  get idle(): boolean {
    return !this.running && this.waiting === null
  }

  run(job: () => Promise<void>) {
    this.waiting = job
    if (!this.running) void this.work()
  }

  private async work() {
    this.running = true
    while (this.waiting) {
      const job = this.waiting
      this.waiting = null
      try {
        await job()
      } catch (error) {
        this.complain(error)
      }
    }
    this.running = false
  }
}
