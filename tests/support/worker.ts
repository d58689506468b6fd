import { fork, type ChildProcess } from 'node:child_process'
import { existsSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { afterAll, beforeAll } from 'vitest'
import { projectDirectory } from '../../scripts/lib/bootstrap.mjs'
import { bundle, workerEntries } from '../../scripts/lib/build.ts'
import { holdFile, pausedFile, type HeldStage } from './held-media.ts'
import { childrenOf } from './processes.ts'

/** Built from the sources of this moment, inside the project so that its packages are found. */
const directory = `.hematine/test/worker-${process.pid}`
const built = (name: string) => path.join(projectDirectory, directory, name)

/** Builds the worker for the tests of a file, with jobs that can be held at a frame; what was built goes with them. */
export function useBuiltWorker(): void {
  beforeAll(() => bundle(workerEntries, directory, { '@hematine/media': 'tests/support/held-media.ts' }))
  afterAll(() => rmSync(path.join(projectDirectory, directory), { recursive: true, force: true }))
}

/** Jobs of this file's workers, held at a frame of a stage until they are let go. */
export const jobsHeld = {
  at: (stage: HeldStage, frame: number) => writeFileSync(built(holdFile(stage)), String(frame)),
  /** Whether held work was paused by its worker since. */
  get paused() {
    return existsSync(built(pausedFile))
  },
  forgetPause: () => rmSync(built(pausedFile), { force: true }),
  letGo() {
    for (const name of [holdFile('encode'), holdFile('check'), holdFile('segment'), holdFile('sound'), pausedFile])
      rmSync(built(name), { force: true })
  },
}

/** A real worker process on a test's database. */
export class TestWorker {
  readonly child: ChildProcess

  constructor(
    databaseUrl: string,
    scratch: string,
    readonly name: string,
    settings: Record<string, string> = {},
  ) {
    this.child = fork(built('main.mjs'), [], {
      execArgv: [],
      stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
      env: {
        PATH: process.env.PATH,
        HEMATINE_DATABASE_URL: databaseUrl,
        HEMATINE_DATA_DIR: scratch,
        HEMATINE_WORKER_NAME: name,
        HEMATINE_LANES: '1',
        // So that every process of it is one that does something.
        HEMATINE_READY: '0',
        HEMATINE_LOG_LEVEL: 'error',
        HEMATINE_DEVICE: 'none',
        ...settings,
      },
    })
  }

  /** Processes that it started for its tasks, by number. */
  get taskProcesses(): number[] {
    return childrenOf(this.child.pid!, 'child.mjs')
  }

  get lives(): boolean {
    return this.child.exitCode === null && this.child.signalCode === null
  }

  async end(signal: NodeJS.Signals = 'SIGTERM'): Promise<void> {
    if (!this.lives) return
    const ended = new Promise(resolve => this.child.once('exit', resolve))
    this.child.kill(signal)
    await ended
  }
}
