import type { ShortKind, TaskPayloads, TaskQueue, EntityManager, WorkerIdentity } from '@hematine/database'
import type { Logger } from 'pino'
import type { OnTheWay, Outcome, TaskProcess } from '../child-process.ts'
import type { GivenDevice } from '../devices.ts'
import type { Assignment } from '../messages.ts'
import type { PausedFor } from '../turnstile.ts'

/** What a worker lends to the task that it does. */
export interface Hands {
  /** A fresh unit of work. */
  readonly em: EntityManager
  readonly queue: TaskQueue
  readonly identity: WorkerIdentity
  readonly log: Logger
  /** Where sample encodes are written; each is removed right after. */
  readonly scratchDirectory: string
  /** Whether the worker leaves: what is under way is given back, and nothing is begun. */
  readonly isStopping: boolean
  /** A graphics device did not do what it was asked: it takes nothing more until it works again. */
  noteTrouble(device: string, reason: string): void
  /** Writes to the database for as long as it takes. */
  persist<Result>(work: () => Promise<Result>): Promise<Result>
  /**
   * Does an assignment in a process of its own. A volume that is not there becomes a failure with its sentence.
   * @param pausedFor what pauses it; without, measurements wait for its end
   */
  inChild(
    assignment: () => Promise<Assignment>,
    onTheWay?: (report: OnTheWay, task: TaskProcess) => void,
    pausedFor?: PausedFor,
  ): Promise<Outcome>
  /**
   * Does an assignment in one of the processes that are kept for short ones.
   * @param onPart told how far it is; false ends it
   * @param pausedFor see `inChild`
   */
  inReader(
    assignment: () => Promise<Assignment>,
    onPart?: (part: number) => Promise<boolean>,
    pausedFor?: PausedFor,
  ): Promise<Outcome>
}

/** A kind of task: what it needs, and how it is done and ends. */
export interface Kind<Name extends ShortKind = ShortKind> {
  readonly name: Name
  /** Tasks of the kind that a worker does at the same time; or those of jobs, which it has in common with them. */
  readonly lanes: number | 'of jobs'
  /** Tasks taken under one claim; 1 unless said otherwise. */
  readonly atOnce?: number
  /** Whether running jobs pause for it, because it measures how long work takes; null for what is paused itself then, or hardly uses the processor. */
  readonly processor: 'alone' | 'beside' | null
  /** Whether it is done in one of the processes that are kept. */
  readonly usesReader?: boolean
  /** Kinds that go first: none of it is begun while one of those is under way. */
  readonly after?: readonly ShortKind[]
  /** Kinds whose tasks it sends: they are looked for at once when it is done. */
  readonly leadsTo?: readonly ShortKind[]
  /**
   * Does one task to its end, good or bad. An error means that it was not ended, and it is queued again.
   * @param onDevice the session of a graphics device, for tasks that need one
   */
  run(payload: TaskPayloads[Name], hands: Hands, onDevice: GivenDevice | null): Promise<void>
}
