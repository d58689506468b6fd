import { availableParallelism, cpus } from 'node:os'

/** Cores that work on this machine can have. */
export function coresOfMachine(): number {
  return availableParallelism()
}

/** Processor and number of cores, as shown with everything measured on this machine. */
export function machineInWords(): string {
  const all = cpus()
  const model = (all[0]?.model ?? 'unknown processor')
    .replace(/\((R|TM)\)/gi, '')
    .replace(/\s+(CPU\s*)?@.*$/, '')
    .replace(/\s+/g, ' ')
    .trim()
  return `${model}, ${all.length} ${all.length === 1 ? 'core' : 'cores'}`
}

/** Whether a process of this host still runs. */
export function processLives(pid: number): boolean {
  try {
    process.kill(pid, 0)
    return true
  } catch (error) {
    // A process of another user answers "not permitted" and lives.
    return (error as NodeJS.ErrnoException).code === 'EPERM'
  }
}
