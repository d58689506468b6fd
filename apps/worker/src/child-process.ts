import { fork, type ChildProcess } from 'node:child_process'
import { fileURLToPath } from 'node:url'
import type { Assignment, Instruction, Report } from './messages.ts'

/** What became of a child's task. A process that broke off said nothing of why: it crashed or was killed. */
export type Outcome = Extract<Report, { say: 'facts' | 'sample' | 'job' | 'stopped' | 'failed' }> | { say: 'broke off', how: string }

/** The entry file beside this one: TypeScript in development, the bundle otherwise. */
const entry = fileURLToPath(new URL(import.meta.url.endsWith('.ts') ? './child.ts' : './child.mjs', import.meta.url))
/** A child that does not stop when asked is ended after this time. */
const patienceMilliseconds = 5000

/** A child process with one task. */
export class TaskProcess {
  readonly outcome: Promise<Outcome>
  private readonly child: ChildProcess

  constructor(assignment: Assignment, onProgress: (report: Extract<Report, { say: 'progress' }>) => void = () => undefined) {
    this.child = fork(entry, [], { serialization: 'advanced', stdio: ['ignore', 'ignore', 'ignore', 'ipc'] })
    this.outcome = new Promise(resolve => {
      let result: Outcome | null = null
      this.child.on('message', (report: Report) => {
        if (report.say === 'progress') onProgress(report)
        else result = report
      })
      this.child.on('error', error => {
        result ??= { say: 'failed', reason: `The process for this task could not be started: ${error.message}` }
        resolve(result)
      })
      this.child.on('close', (code, signal) => resolve(result ?? { say: 'broke off', how: signal ? `ended by ${signal}` : `ended with code ${code}` }))
    })
    this.tell({ say: 'assign', assignment })
  }

  get pid(): number | undefined {
    return this.child.pid
  }

  pause(): void {
    this.tell({ say: 'pause' })
  }

  goOn(): void {
    this.tell({ say: 'go on' })
  }

  /** Asks the child to stop and ends it when it does not. */
  stop(): void {
    this.tell({ say: 'stop' })
    setTimeout(() => this.child.kill('SIGKILL'), patienceMilliseconds).unref()
  }

  private tell(instruction: Instruction): void {
    if (this.child.connected) this.child.send(instruction, () => undefined)
  }
}

/** The sentence for work that broke off as often as it was tried. */
export function brokeOffSentence(how: string): string {
  return `The process that does the work broke off again and again (${how}). The source is probably damaged in a way that the media libraries do not survive, or memory runs out.`
}
