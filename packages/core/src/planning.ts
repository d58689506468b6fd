import { sharedTimePart } from './forecast.ts'
import type { JobRecord } from './records.ts'
import { rangeAround, sumRanges, type Range } from './range.ts'

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
  const work: Range[][] = Array.from({ length: Math.max(1, lanes) }, () => [])
  return jobs.map(job => {
    const loads = work.map(lane => lane.reduce((sum, range) => sum + range.expected, 0))
    const lane = loads.indexOf(Math.min(...loads))
    const before = work[lane]!
    const start = before.length > 0 ? sumRanges(before, sharedTimePart) : noTime
    before.push(job.seconds)
    return { id: job.id, lane, start, end: sumRanges(before, sharedTimePart) }
  })
}

/** Relative half-width of what is left of a running job, whose speed is being seen. */
const runningPart = 0.05

/** Seconds of work that a job still needs, or null while nothing is known of it. */
export function workLeft(job: Pick<JobRecord, 'forecast' | 'progress' | 'state'>): Range | null {
  if (job.state === 'placing') return noTime
  const { progress, forecast } = job
  if (progress && progress.secondsLeft !== null) return rangeAround(progress.secondsLeft, runningPart)
  return forecast?.seconds ?? null
}
