import { fork, type ChildProcess } from 'node:child_process'

export interface Supervised {
  /** Process number at this moment. */
  readonly pid: number | undefined
  stop(): Promise<void>
}

/**
 * Keeps a process running: begun again when it ends by itself, quickly at first and slower when it keeps ending.
 * The process learns by its lost channel that this one is gone.
 */
export function supervise(
  name: string,
  entry: string,
  environment: Record<string, string | undefined>,
  say: (line: string) => void = console.error,
): Supervised {
  let child: ChildProcess
  let stopping = false
  let failures = 0
  let retry: NodeJS.Timeout | undefined

  const begin = () => {
    const begun = Date.now()
    child = fork(entry, [], {
      env: { ...process.env, ...environment },
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      detached: true,
    })
    child.once('exit', (code, signal) => {
      if (stopping) return
      failures = Date.now() - begun > 30_000 ? 0 : failures + 1
      const wait = Math.min(10_000, 200 * 2 ** failures)
      say(`The ${name} ended (${signal ?? `code ${code}`}); it begins again in ${(wait / 1000).toFixed(1)} s.`)
      retry = setTimeout(begin, wait)
    })
  }
  begin()
  return {
    get pid() {
      return child.pid
    },
    async stop() {
      stopping = true
      clearTimeout(retry)
      if (child.exitCode !== null || child.signalCode !== null) return
      const ended = new Promise(resolve => child.once('exit', resolve))
      child.kill('SIGTERM')
      const impatient = setTimeout(() => child.kill('SIGKILL'), 12_000)
      await ended
      clearTimeout(impatient)
    },
  }
}
