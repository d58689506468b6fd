import { fork, type ChildProcess } from 'node:child_process'
import { readdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { fileURLToPath } from 'node:url'

const entry = fileURLToPath(new URL('../../apps/worker/src/main.ts', import.meta.url))

/** A real worker process on a test's database. */
export class TestWorker {
  readonly child: ChildProcess

  constructor(databaseUrl: string, scratch: string, readonly name: string, lanes = 1) {
    this.child = fork(entry, [], {
      execArgv: ['--import', 'tsx'], stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
      env: { PATH: process.env.PATH, HEMATINE_DATABASE_URL: databaseUrl, HEMATINE_DATA_DIR: scratch, HEMATINE_WORKER_NAME: name, HEMATINE_LANES: String(lanes), HEMATINE_LOG_LEVEL: 'error' },
    })
  }

  /** Processes that it started for its tasks, by number. */
  get taskProcesses(): number[] {
    return readdirSync('/proc').filter(name => /^\d+$/.test(name)).map(Number).filter(pid => {
      try {
        const [, parent] = /^\d+ \(.*\) \S (\d+)/s.exec(readFileSync(path.join('/proc', String(pid), 'stat'), 'utf8')) ?? []
        return Number(parent) === this.child.pid && readFileSync(path.join('/proc', String(pid), 'cmdline'), 'utf8').includes('child.ts')
      } catch {
        return false
      }
    })
  }

  async end(signal: NodeJS.Signals = 'SIGTERM'): Promise<void> {
    if (this.child.exitCode !== null || this.child.signalCode !== null) return
    const ended = new Promise(resolve => this.child.once('exit', resolve))
    this.child.kill(signal)
    await ended
  }
}
