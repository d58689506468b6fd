/** Work that is done a little at a time: it yields in between, so that whoever drives it can let others have their turn, and returns what it made. */
export type Turns<Made> = Generator<void, Made, void>

/** Jobs that are gone through before others may have their turn: less than a millisecond's work. */
const jobsOfTurn = 100

/** Goes through jobs and lets others in now and then. */
export function* each<T>(entries: readonly T[], take: (entry: T) => void): Turns<void> {
  for (const [index, entry] of entries.entries()) {
    if (index % jobsOfTurn === jobsOfTurn - 1) yield
    take(entry)
  }
}
