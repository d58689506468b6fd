import { fork, type ChildProcess } from 'node:child_process'
import { rmSync } from 'node:fs'
import path from 'node:path'
import { afterAll, beforeAll } from 'vitest'
import { projectDirectory } from '../../scripts/lib/bootstrap.mjs'
import { bundle, workerEntries } from '../../scripts/lib/build.ts'
import { childrenOf } from './processes.ts'

/** Built from the sources of this moment, inside the project so that its packages are found. */
const directory = `.hematine/test/worker-${process.pid}`

/** Builds the worker for the tests of a file; what was built goes with them. */
export function useBuiltWorker(): void {
  beforeAll(() => bundle(workerEntries, directory))
  afterAll(() => rmSync(path.join(projectDirectory, directory), { recursive: true, force: true }))
}

/** A real worker process on a test's database. */
export class TestWorker {
  readonly child: ChildProcess

  constructor(databaseUrl: string, scratch: string, readonly name: string, lanes = 1) {
    this.child = fork(path.join(projectDirectory, directory, 'main.mjs'), [], {
      execArgv: [], stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
      env: { PATH: process.env.PATH, HEMATINE_DATABASE_URL: databaseUrl, HEMATINE_DATA_DIR: scratch, HEMATINE_WORKER_NAME: name, HEMATINE_LANES: String(lanes), HEMATINE_LOG_LEVEL: 'error' },
    })
  }

  /** Processes that it started for its tasks, by number. */
  get taskProcesses(): number[] {
    return childrenOf(this.child.pid!, 'child.mjs')
  }

  async end(signal: NodeJS.Signals = 'SIGTERM'): Promise<void> {
    if (this.child.exitCode !== null || this.child.signalCode !== null) return
    const ended = new Promise(resolve => this.child.once('exit', resolve))
    this.child.kill(signal)
    await ended
  }
}
