/** Work that shares the machine, and can be paused for somebody who must have it alone. */
export interface Pausable {
  pause(): void
  goOn(): void
}

/**
 * Keeps measurements honest: a measurement has the machine to itself. Jobs that run are paused meanwhile, short tasks that run are
 * waited for, and nothing new begins. Between two measurements paused work gets as long a turn as the last one took.
 */
export class Turnstile {
  private readonly pausable = new Set<Pausable>()
  private shortTasks = 0
  private measuring = false
  private lastMeasured = { until: 0, lasted: 0 }
  private waiting: (() => void)[] = []

  constructor(private readonly now: () => number = () => performance.now()) {}

  /** Runs a short task beside others, after any measurement. */
  async beside<T>(task: () => Promise<T>): Promise<T> {
    while (this.measuring) await this.change()
    this.shortTasks++
    try {
      return await task()
    } finally {
      this.shortTasks--
      this.changed()
    }
  }

  /** Lets long work be paused by measurements from now on, until the returned function is called. */
  join(work: Pausable): () => void {
    this.pausable.add(work)
    if (this.measuring) work.pause()
    return () => this.pausable.delete(work)
  }

  /** Runs a measurement alone. */
  async alone<T>(measure: () => Promise<T>): Promise<T> {
    for (;;) {
      if (this.measuring) {
        await this.change()
        continue
      }
      const turn = this.pausable.size > 0 ? this.lastMeasured.until + this.lastMeasured.lasted - this.now() : 0
      if (turn <= 0) break
      await new Promise(resolve => setTimeout(resolve, turn))
    }
    this.measuring = true
    for (const work of this.pausable) work.pause()
    while (this.shortTasks > 0) await this.change()
    const begin = this.now()
    try {
      return await measure()
    } finally {
      const until = this.now()
      this.lastMeasured = { until, lasted: until - begin }
      this.measuring = false
      for (const work of this.pausable) work.goOn()
      this.changed()
    }
  }

  private change(): Promise<void> {
    return new Promise(resolve => this.waiting.push(resolve))
  }

  private changed(): void {
    const waiting = this.waiting
    this.waiting = []
    for (const resolve of waiting) resolve()
  }
}
