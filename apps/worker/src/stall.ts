import { readFileSync } from 'node:fs'

/** Looks at a process this often. */
const lookMilliseconds = 5000
/** A process that has done nothing for so long waits for a disk or network that does not answer. */
const stallMilliseconds = 60_000
/** Clock ticks (hundredths of a second) that an idle process may use between two looks: its own housekeeping. */
const idleTicks = 2

/** Processor time and bytes read and written by a process so far; null when it is gone. */
function activityOf(pid: number): { ticks: number; bytes: number } | null {
  try {
    // The name in parentheses may hold spaces; the fields after it are counted from the state, which is the third.
    const fields = readFileSync(`/proc/${pid}/stat`, 'utf8')
      .replace(/^.*\) /s, '')
      .split(' ')
    const io = readFileSync(`/proc/${pid}/io`, 'utf8')
    const bytes = (name: string) => Number(new RegExp(`^${name}: (\\d+)$`, 'm').exec(io)?.[1] ?? 0)
    return { ticks: Number(fields[11]) + Number(fields[12]), bytes: bytes('rchar') + bytes('wchar') }
  } catch {
    return null
  }
}

/**
 * Watches a process that should be working, and tells when it has neither used the processor nor read or written anything for a while. That does not depend
 * on how fast the machine is: a slow process still does something.
 * @param isWaiting whether it has been told to wait; that time does not count
 * @param onStall called once
 * @returns ends the watching
 */
export function watchForStall(
  pid: number,
  isWaiting: () => boolean,
  onStall: () => void,
  { everyMilliseconds = lookMilliseconds, afterMilliseconds = stallMilliseconds } = {},
): () => void {
  let before = activityOf(pid)
  let idleMilliseconds = 0
  const timer = setInterval(() => {
    const now = activityOf(pid)
    const isIdle =
      now !== null && before !== null && now.ticks - before.ticks <= idleTicks && now.bytes === before.bytes
    before = now
    idleMilliseconds = isIdle && !isWaiting() ? idleMilliseconds + everyMilliseconds : 0
    if (idleMilliseconds < afterMilliseconds) return
    clearInterval(timer)
    onStall()
  }, everyMilliseconds)
  timer.unref()
  return () => clearInterval(timer)
}
