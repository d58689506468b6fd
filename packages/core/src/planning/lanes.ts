import { sharedTimePart } from '../forecast/forecast.ts'
import { RangeSum, type Range, type SharedError } from '../range.ts'

/** A job's place in the plan, in seconds from when it was made. */
export interface PlannedJob {
  id: number
  /** Counted from 0. */
  lane: number
  start: Range
  end: Range
}

/** A job to be planned. */
export interface LaneWork {
  id: number
  seconds: Range
  /** What its time's error has in common with others'. */
  shared?: SharedError | null
}

/**
 * When each job begins and ends, jobs taken in order by the first lane that is free.
 * Ranges along a lane add as those of a batch do: independent errors in quadrature, those of a group and the machine's own in proportion.
 */
export class Lanes {
  private readonly held: { sum: RangeSum; end: Range }[]

  /** @param count of lanes; one at least */
  constructor(count: number) {
    this.held = Array.from({ length: Math.max(1, count) }, () => ({ sum: new RangeSum(), end: new RangeSum().range() }))
  }

  /** Until when each lane is taken, in seconds. */
  get takenUntil(): number[] {
    return this.held.map(({ sum }) => sum.total)
  }

  /** Gives the next job its place. */
  place(job: LaneWork): PlannedJob {
    const { held } = this
    const lane = held.reduce((least, { sum }, index) => (sum.total < held[least]!.sum.total ? index : least), 0)
    const entry = held[lane]!
    const start = entry.end
    entry.sum.add(job.seconds, job.shared)
    entry.end = entry.sum.range(sharedTimePart)
    return { id: job.id, lane, start, end: entry.end }
  }
}
