/** Work that shares the machine, and can be paused: for somebody who must have it alone, or because jobs rest at this hour. */
export interface Pausable {
  pause(): void
  goOn(): void
}

/** What work is paused for: measurements alone, or the hours out of which jobs rest, too. */
export type PausedFor = 'measurements' | 'measurements and hours'

/** The machine, which other workers may be on as well. */
export interface SharedMachine {
  /** Waits until a measurement has the machine to itself, the others' work being paused. @returns ends that */
  enter(): Promise<() => Promise<void>>
}

const nobodyElse: SharedMachine = { enter: async () => async () => undefined }

/**
 * Keeps measurements honest, and working hours: a measurement has the machine to itself. Jobs that run are paused meanwhile, short tasks that run are
 * waited for, and nothing new begins. Between two measurements paused work gets as long a turn as the last one took. Out of hours jobs are paused, and measurements
 * go on.
 */
export class Turnstile {
  private readonly pausable = new Map<Pausable, PausedFor>()
  private open = true
  private shortTasks = 0
  /** Whether a measurement here waits for the machine, or has it. */
  private claimed = false
  private measuring = false
  private othersMeasure = false
  private lastMeasured = { until: 0, lasted: 0 }
  private waiting: (() => void)[] = []

  constructor(
    private readonly now: () => number = () => performance.now(),
    private readonly machine: SharedMachine = nobodyElse,
  ) {}

  private get isQuiet(): boolean {
    return this.measuring || this.othersMeasure
  }

  /** Whether work here rests for another worker's measurement. */
  get isQuietForOthers(): boolean {
    return this.othersMeasure
  }

  /** Pauses work here while another worker of the machine measures. @returns resolves when all is quiet */
  async letOthersMeasure(measure: boolean): Promise<void> {
    if (measure === this.othersMeasure) return
    this.othersMeasure = measure
    if (!measure) {
      if (!this.measuring) for (const work of this.working) work.goOn()
      this.changed()
      return
    }
    for (const work of this.working) work.pause()
    while (this.othersMeasure && this.shortTasks > 0) await this.change()
  }

  /** Runs a short task beside others, after any measurement. */
  async beside<T>(task: () => Promise<T>): Promise<T> {
    while (this.isQuiet) await this.change()
    this.shortTasks++
    try {
      return await task()
    } finally {
      this.shortTasks--
      this.changed()
    }
  }

  /** Lets long work be paused from now on, until the returned function is called. */
  join(work: Pausable, pausedFor: PausedFor = 'measurements'): () => void {
    this.pausable.set(work, pausedFor)
    if (this.isQuiet || this.rests(pausedFor)) work.pause()
    return () => {
      this.pausable.delete(work)
      this.changed()
    }
  }

  /** Whether jobs are worked on at this hour. */
  get isOpen(): boolean {
    return this.open
  }

  /** Lets jobs work, or rest. */
  set isOpen(open: boolean) {
    if (open === this.open) return
    this.open = open
    for (const [work, pausedFor] of this.pausable) {
      if (this.isQuiet || pausedFor === 'measurements') continue
      if (open) work.goOn()
      else work.pause()
    }
    this.changed()
  }

  private rests(pausedFor: PausedFor): boolean {
    return !this.open && pausedFor === 'measurements and hours'
  }

  /** What works while nothing is measured. */
  private get working(): Pausable[] {
    return [...this.pausable].flatMap(([work, pausedFor]) => (this.rests(pausedFor) ? [] : [work]))
  }

  /** Runs a measurement alone. */
  async alone<T>(measure: () => Promise<T>): Promise<T> {
    for (;;) {
      if (this.claimed) {
        await this.change()
        continue
      }
      const turn = this.working.length > 0 ? this.lastMeasured.until + this.lastMeasured.lasted - this.now() : 0
      if (turn <= 0) break
      const isOver = setTimeout(() => this.changed(), turn)
      // Work that ends, or rests, leaves the machine to the next measurement at once.
      await this.change()
      clearTimeout(isOver)
    }
    this.claimed = true
    try {
      const leave = await this.machine.enter()
      this.measuring = true
      for (const work of this.working) work.pause()
      while (this.shortTasks > 0) await this.change()
      const begin = this.now()
      try {
        return await measure()
      } finally {
        const until = this.now()
        this.lastMeasured = { until, lasted: until - begin }
        this.measuring = false
        for (const work of this.working) work.goOn()
        await leave()
      }
    } finally {
      this.claimed = false
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
