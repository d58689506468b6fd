import { MissingAsset } from '@hematine/core'
import { VolumeProblem } from '@hematine/media/volumes/volume-files'
import {
  brokeOffSentence,
  ReadingProcess,
  TaskProcess,
  type OnTheWay,
  type Outcome,
  type SpareProcess,
} from './child-process.ts'
import type { Assignment } from './messages.ts'
import type { PausedFor, Turnstile } from './turnstile.ts'

/** Times that a task whose process broke off is tried. */
const tries = 3

/** The processes that do a worker's short tasks: some kept between them, some with one each. */
export class Children {
  private readonly readers: ReadingProcess[]
  private readonly freeReaders: ReadingProcess[]
  private readonly tasks = new Set<TaskProcess>()
  private isStopping = false

  /**
   * @param turnstile where long tasks are paused
   * @param kept processes kept for short assignments: as many as may be used at once
   * @param ready of those, how many are begun at once: starting one takes longer than reading a small file
   * @param spare a process for the next long task, where processes are kept ready
   */
  constructor(
    private readonly turnstile: Turnstile,
    kept: number,
    ready: number,
    private readonly spare: SpareProcess | null,
  ) {
    this.readers = Array.from({ length: kept }, (_, index) => new ReadingProcess(index < ready))
    // The last is taken first, so that those that are ready come before those that are not.
    this.freeReaders = [...this.readers].reverse()
  }

  /** See `Hands.inChild`. */
  inChild(
    assignment: () => Promise<Assignment>,
    onTheWay: (report: OnTheWay, task: TaskProcess) => void = () => undefined,
    pausedFor: PausedFor | null = null,
  ): Promise<Outcome> {
    return this.untilDone(assignment, async given => {
      const task: TaskProcess = new TaskProcess(given, report => onTheWay(report, task), pausedFor ? this.spare : null)
      this.tasks.add(task)
      const leave = pausedFor ? this.turnstile.join(task, pausedFor) : () => undefined
      const outcome = await task.outcome
      leave()
      this.tasks.delete(task)
      return outcome
    })
  }

  /** See `Hands.inReader`. */
  async inReader(
    assignment: () => Promise<Assignment>,
    onPart: (part: number) => Promise<boolean> = async () => true,
    pausedFor: PausedFor | null = null,
  ): Promise<Outcome> {
    const reader = this.freeReaders.pop()!
    const parts = new Parts(onPart, () => reader.interrupt())
    const leave = pausedFor ? this.turnstile.join(reader, pausedFor) : () => undefined
    try {
      return await this.untilDone(assignment, given => reader.perform(given, part => parts.tell(part)))
    } finally {
      leave()
      // What it does next may be nothing to pause.
      reader.goOn()
      parts.end()
      this.freeReaders.push(reader)
    }
  }

  private async untilDone(
    assignment: () => Promise<Assignment>,
    attempt: (given: Assignment) => Promise<Outcome>,
  ): Promise<Outcome> {
    let given: Assignment
    try {
      given = await assignment()
    } catch (error) {
      if (error instanceof VolumeProblem || error instanceof MissingAsset)
        return { say: 'failed', reason: error.message }
      throw error
    }
    for (let count = 1; ; count++) {
      const outcome = await attempt(given)
      if (outcome.say !== 'broke off') return outcome
      if (this.isStopping) return { say: 'stopped' }
      if (count === tries) return { say: 'failed', reason: brokeOffSentence(outcome.how) }
    }
  }

  /** Ends what the tasks do, for this time: their outcome is that they were stopped. */
  stopTasks(): void {
    for (const task of this.tasks) task.stop()
  }

  /** Ends everything for good. */
  stop(): void {
    this.isStopping = true
    this.stopTasks()
    for (const reader of this.readers) reader.stop()
  }
}

/** Tells how far a task is, and stops it when nobody wants it any more; but never the next one, for an answer that came late. */
export class Parts {
  private isOver = false

  /** @param wanted told a part, 0 to 1, and answers whether the task is still wanted */
  constructor(
    private readonly wanted: (part: number) => Promise<boolean>,
    private readonly stop: () => void,
  ) {}

  tell(part: number): void {
    void this.wanted(part).then(
      goOn => {
        if (!goOn && !this.isOver) this.stop()
      },
      () => undefined,
    )
  }

  end(): void {
    this.isOver = true
  }
}
