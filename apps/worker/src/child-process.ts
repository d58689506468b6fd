import { fork, type ChildProcess } from 'node:child_process'
import { fileURLToPath } from 'node:url'
import type { Assignment, Instruction, Report } from './messages.ts'
import { watchForStall } from './stall.ts'

/** What became of a child's task. A process that broke off said nothing of why: it crashed or was killed. */
export type Outcome =
  | Extract<
      Report,
      {
        say:
          | 'devices'
          | 'facts'
          | 'poster'
          | 'measured'
          | 'sample'
          | 'curve'
          | 'compared'
          | 'tried'
          | 'job'
          | 'unit'
          | 'stopped'
          | 'failed'
      }
    >
  | { say: 'broke off'; how: string }

/** The entry file beside this one: TypeScript in development, the bundle otherwise. */
const entry = fileURLToPath(new URL(import.meta.url.endsWith('.ts') ? './child.ts' : './child.mjs', import.meta.url))
/** A child that does not stop when asked is ended after this time. */
const patienceMilliseconds = 5000

/** Why work ended whose process neither computed nor read or wrote anything for a minute. */
export const stoodStill =
  'Nothing was done for a minute: the disk or network that a file lies on does not answer, or a media library waits for itself. See that the disk is connected, then try again.'

/** Either passes, most often: what can be tried again is. */
const stalled: Outcome = { say: 'failed', reason: stoodStill, isAway: true }

function forkChild(): ChildProcess {
  return fork(entry, [], { serialization: 'advanced', stdio: ['ignore', 'ignore', 'ignore', 'ipc'] })
}

function tell(child: ChildProcess, instruction: Instruction): void {
  if (child.connected) child.send(instruction, () => undefined)
}

/** What a child says while it works. */
export type OnTheWay = Extract<Report, { say: 'progress' | 'measuring' | 'look' | 'moment' }>

/** What a child says of the task it was given, once: its result, or how it broke off. One that hangs is ended. */
function outcomeOf(
  child: ChildProcess,
  onProgress: (report: OnTheWay) => void,
  isWaiting: () => boolean = () => false,
): Promise<Outcome> {
  return new Promise(resolve => {
    const endWatch =
      child.pid === undefined
        ? () => undefined
        : watchForStall(child.pid, isWaiting, () => {
            child.kill('SIGKILL')
            end(stalled)
          })
    const end = (outcome: Outcome) => {
      endWatch()
      child.off('message', onMessage).off('error', onError).off('close', onClose)
      resolve(outcome)
    }
    const onMessage = (report: Report) => {
      if (report.say === 'progress' || report.say === 'measuring' || report.say === 'look' || report.say === 'moment')
        onProgress(report)
      else end(report)
    }
    const onError = (error: Error) =>
      end({ say: 'failed', reason: `The process for this task could not be started: ${error.message}` })
    const onClose = (code: number | null, signal: string | null) =>
      end({ say: 'broke off', how: signal ? `ended by ${signal}` : `ended with code ${code}` })
    child.on('message', onMessage).on('error', onError).on('close', onClose)
  })
}

/** A process that stands ready has gone after so long without a task. */
const spareMilliseconds = 10_000

/**
 * Keeps one process ready for the next task, begun while the one before works: of a thousand stills each takes less time than starting a process does.
 * Every task still has a process of its own.
 */
export class SpareProcess {
  private child: ChildProcess | null = null
  private idle: NodeJS.Timeout | undefined

  /** A process for a task: the one that stands ready, or a new one; and the next is begun. */
  take(): ChildProcess {
    const { child } = this
    this.leave(child)
    this.begin()
    return child ?? forkChild()
  }

  private begin(): void {
    const child = forkChild()
    this.child = child
    // One that was killed, or could not be started, is not handed out.
    for (const end of ['close', 'error'] as const) child.once(end, () => this.leave(child))
    this.idle = setTimeout(() => this.stop(), spareMilliseconds).unref()
  }

  private leave(child: ChildProcess | null): void {
    if (child !== this.child) return
    clearTimeout(this.idle)
    this.child = null
  }

  /** Ends the process that stands ready. */
  stop(): void {
    const { child } = this
    this.leave(child)
    if (child) tell(child, { say: 'leave' })
  }
}

/** A child process with one task. */
export class TaskProcess {
  readonly outcome: Promise<Outcome>
  private readonly child: ChildProcess
  private isPaused = false

  /** @param spare where a process may stand ready */
  constructor(
    assignment: Assignment,
    onProgress: (report: OnTheWay) => void = () => undefined,
    spare: SpareProcess | null = null,
  ) {
    this.child = spare?.take() ?? forkChild()
    const closed = new Promise<void>(resolve =>
      this.child.once('close', () => resolve()).once('error', () => resolve()),
    )
    this.outcome = outcomeOf(this.child, onProgress, () => this.isPaused).then(async outcome => {
      // A process that waits for a disk in the kernel cannot even be killed; it is left to itself.
      if (outcome === stalled) return outcome
      tell(this.child, { say: 'leave' })
      // What is done must not wait for libraries that never end.
      const kill = setTimeout(() => this.child.kill('SIGKILL'), patienceMilliseconds)
      // The next task finds this one's memory and processor free.
      await closed
      clearTimeout(kill)
      return outcome
    })
    tell(this.child, { say: 'assign', assignment })
  }

  get pid(): number | undefined {
    return this.child.pid
  }

  pause(): void {
    this.isPaused = true
    tell(this.child, { say: 'pause' })
  }

  goOn(): void {
    this.isPaused = false
    tell(this.child, { say: 'go on' })
  }

  /** Asks the child to stop and ends it when it does not. */
  stop(): void {
    tell(this.child, { say: 'stop' })
    setTimeout(() => this.child.kill('SIGKILL'), patienceMilliseconds).unref()
  }
}

/** Tasks that one reading process does before a fresh one takes its place, so that nothing it may have leaked adds up. */
const tasksEach = 200
/** A reading process that has nothing to do for so long gives its memory back; one that is kept ready, after longer. */
const idleMilliseconds = 3000
const readyMilliseconds = 600_000

/** A child process for short tasks, one after another: starting it takes longer than reading a small file. It is started when needed, and anew after a crash. */
export class ReadingProcess {
  private child: ChildProcess | null = null
  private done = 0
  private isPaused = false
  private idle: NodeJS.Timeout | undefined

  /** @param isReady whether it is begun before there is anything to do, and stays longer when there is nothing */
  constructor(private readonly isReady = false) {
    if (isReady) this.child = this.begin()
  }

  /** @param onPart told the part of a measurement that is done */
  async perform(assignment: Assignment, onPart: (part: number) => void = () => undefined): Promise<Outcome> {
    clearTimeout(this.idle)
    const child = (this.child ??= this.begin())
    const outcome = outcomeOf(
      child,
      report => {
        if (report.say === 'measuring') onPart(report.part)
      },
      () => this.isPaused,
    )
    // One that was begun anew meanwhile does not know yet.
    if (this.isPaused) tell(child, { say: 'pause' })
    tell(child, { say: 'assign', assignment })
    const result = await outcome
    // One that was told to stop takes no more.
    if (result === stalled) this.child = null
    else if (result.say === 'broke off' || result.say === 'stopped' || ++this.done >= tasksEach) this.leave()
    else this.idle = setTimeout(() => this.leave(), this.isReady ? readyMilliseconds : idleMilliseconds).unref()
    return result
  }

  private begin(): ChildProcess {
    const child = forkChild()
    // One that is killed while it has nothing to do must not be given the next task.
    child.once('close', () => {
      if (this.child === child) this.child = null
    })
    return child
  }

  /** Ends the process; the next task starts another. */
  private leave(): void {
    if (this.child) tell(this.child, { say: 'leave' })
    this.child = null
    this.done = 0
  }

  pause(): void {
    this.isPaused = true
    if (this.child) tell(this.child, { say: 'pause' })
  }

  goOn(): void {
    if (!this.isPaused) return
    this.isPaused = false
    if (this.child) tell(this.child, { say: 'go on' })
  }

  /** Asks the process to stop what it does. */
  interrupt(): void {
    if (this.child) tell(this.child, { say: 'stop' })
  }

  /** Ends the process at once, whatever it does. */
  stop(): void {
    this.child?.kill('SIGKILL')
    this.child = null
  }
}

/** The sentence for work that broke off as often as it was tried. */
export function brokeOffSentence(how: string): string {
  return `The process that does the work broke off again and again (${how}). The source is probably damaged in a way that the media libraries do not survive, or memory runs out.`
}
