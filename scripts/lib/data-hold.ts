import { mkdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { SetUpProblem } from './bootstrap.mjs'

/** The note of a start command in the directory whose data it works on. */
interface Holder {
  pid: number
  /** When that process began: another one may get its number. */
  began: string
  isEnding: boolean
}

export interface DataHold {
  /** Notes that the end has begun, so that another start waits for it. */
  ending(): void
  release(): void
}

const lookMilliseconds = 200
/** A note that cannot be read is being written at this moment, or was cut off long ago. */
const writtenWithinMilliseconds = 2000

/** When a process began, as nothing else tells apart one that has its number later; null where there is none. */
function beginningOf(pid: number): string | null {
  try {
    const facts = readFileSync(`/proc/${pid}/stat`, 'utf8')
    // proc(5): after the name, which may hold anything, its state, and as the twentieth when it began.
    const fields = facts.slice(facts.lastIndexOf(')') + 2).split(' ')
    return fields[0] === 'Z' ? null : `${readFileSync('/proc/sys/kernel/random/boot_id', 'utf8').trim()} ${fields[19]}`
  } catch {
    return null
  }
}

/** Who holds a directory; 'unknown' where that is being written, null for nobody who lives. */
function holderOf(file: string): Holder | 'unknown' | null {
  try {
    const holder = JSON.parse(readFileSync(file, 'utf8')) as Holder
    return beginningOf(holder.pid) === holder.began ? holder : null
  } catch {
    const written = statSync(file, { throwIfNoEntry: false })?.mtimeMs
    return written !== undefined && Date.now() - written < writtenWithinMilliseconds ? 'unknown' : null
  }
}

/**
 * Holds a data directory for this process: two on one directory would end each other's database. One that is ending is waited for, one that was killed is not.
 * @param patience how long one that ends is waited for, in milliseconds
 * @throws SetUpProblem while another process works on it
 */
export async function holdData(directory: string, say: (line: string) => void, patience = 60_000): Promise<DataHold> {
  const file = path.join(directory, 'in-use.json')
  const mine: Holder = { pid: process.pid, began: beginningOf(process.pid)!, isEnding: false }
  const write = () => {
    const beside = `${file}.${process.pid}`
    writeFileSync(beside, JSON.stringify(mine))
    renameSync(beside, file)
  }
  const isMine = () => {
    const holder = holderOf(file)
    return holder !== null && holder !== 'unknown' && holder.pid === process.pid
  }
  mkdirSync(directory, { recursive: true })
  const begun = Date.now()
  let isSaid = false
  for (;;) {
    const holder = holderOf(file)
    if (holder === null) {
      write()
      // Of two that came at once the later one has it.
      await new Promise(resolve => setTimeout(resolve, lookMilliseconds))
      if (isMine()) break
      continue
    }
    if (holder !== 'unknown' && !holder.isEnding)
      throw new SetUpProblem(
        `Hematine already works on the data in ${directory} (process ${holder.pid}). Go on with that one, end it first, or give this one a directory of its own: HEMATINE_DATA_DIR=/some/directory npm start`,
      )
    if (Date.now() - begun > patience)
      throw new SetUpProblem(
        `The Hematine that worked on the data in ${directory} has been ending for ${Math.round(patience / 1000)} s. Look at what it waits for, or end its process by hand, and start again.`,
      )
    if (holder !== 'unknown' && !isSaid) {
      isSaid = true
      say('Another Hematine on this data is ending; waiting for it ...')
    }
    await new Promise(resolve => setTimeout(resolve, lookMilliseconds))
  }
  return {
    ending() {
      mine.isEnding = true
      if (isMine()) write()
    },
    release() {
      if (isMine()) rmSync(file)
    },
  }
}
