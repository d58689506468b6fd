import { z } from 'zod'
import { sharedTimePart } from './forecast.ts'
import type { JobRecord } from './records.ts'
import { addRanges, Range, rangeAround, sumRanges } from './range.ts'

/** A job's place in the plan, in seconds from now. */
export interface PlannedJob {
  id: number
  /** Counted from 0. */
  lane: number
  start: Range
  end: Range
}

const noTime: Range = { expected: 0, low: 0, high: 0 }

/**
 * When each job begins and ends, jobs taken in order by the first lane that is free.
 * Ranges along a lane add as those of a batch do: independent errors in quadrature, the machine's own in proportion.
 */
export function planLanes(jobs: readonly { id: number; seconds: Range }[], lanes: number): PlannedJob[] {
  // What a lane holds so far, its errors apart from what all share: sums of sums are the sums of all.
  const held = Array.from({ length: Math.max(1, lanes) }, () => noTime)
  const withShared = (range: Range) => sumRanges([range], sharedTimePart)
  return jobs.map(job => {
    const loads = held.map(range => range.expected)
    const lane = loads.indexOf(Math.min(...loads))
    const before = held[lane]!
    const after = addRanges(before, job.seconds)
    held[lane] = after
    return { id: job.id, lane, start: before === noTime ? noTime : withShared(before), end: withShared(after) }
  })
}

/** A job of another order that takes its turn on the same lanes. */
export const OtherWork = z.object({
  id: z.int(),
  position: z.number(),
  /** Whether it is being done, or about to be. */
  isActive: z.boolean(),
  /** What it still needs; null while nothing is known of it. */
  seconds: Range.nullable(),
})
export type OtherWork = z.infer<typeof OtherWork>

/** Relative half-width of what is left of a running job, whose speed is being seen. */
const runningPart = 0.05

/** Seconds of work that a job still needs, or null while nothing is known of it. */
export function workLeft(job: Pick<JobRecord, 'forecast' | 'progress' | 'state'>): Range | null {
  if (job.state === 'placing') return noTime
  const { progress, forecast } = job
  if (progress && progress.secondsLeft !== null) return rangeAround(progress.secondsLeft, runningPart)
  return forecast?.seconds ?? null
}
