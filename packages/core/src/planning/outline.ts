import type { JobExtent, JobForecast } from '../forecast/forecast.ts'
import { forecastByLike, type LikeRate } from '../forecast/by-like.ts'
import type { JobProgress, JobState } from '../job.ts'
import { rangeAround, type Range, type SharedError } from '../range.ts'
import type { Verdict } from '../check/records.ts'
import type { SampleState } from '../sample-state.ts'

/** A job as far as plans, totals and the order of lists need it: light enough to hold tens of thousands. */
export interface JobOutline {
  id: number
  orderId: number
  sourceId: number
  sourceName: string
  sourceBytes: number
  lotId: number | null
  specKey: string
  specName: string
  state: JobState
  position: number
  progress: JobProgress | null
  /** Its measurement. */
  sampleId: number | null
  sampleState: SampleState
  /** From its own source's measurement. */
  measured: JobForecast | null
  /** Group of like work that it may be forecast with. */
  likeKey: string | null
  extent: JobExtent
  verdict: Verdict | null
  outputBytes: number | null
  outputPath: string | null
  workSeconds: number | null
}

/** What changes of a job while it is worked on, or moved, held and released with many others. */
export type JobCourse = Pick<
  JobOutline,
  | 'id'
  | 'specKey'
  | 'specName'
  | 'state'
  | 'position'
  | 'progress'
  | 'sampleId'
  | 'verdict'
  | 'outputBytes'
  | 'outputPath'
  | 'workSeconds'
>

export type LikeRates = ReadonlyMap<string, LikeRate>

/** The forecast that counts: from its own source, else from its like, else none. */
export function forecastOf(
  { measured, likeKey, extent }: Pick<JobOutline, 'measured' | 'likeKey' | 'extent'>,
  rates: LikeRates,
): JobForecast | null {
  if (measured) return measured
  const rate = likeKey === null ? undefined : rates.get(likeKey)
  return rate ? forecastByLike(rate, extent) : null
}

/** Relative half-width of what is left of a running job, whose speed is being seen. */
const runningPart = 0.05

/** Seconds of work that a job still needs, or null while nothing is known of it. */
export function workLeft(job: {
  state: JobState
  progress: JobProgress | null
  forecast: Pick<JobForecast, 'seconds'> | null
}): Range | null {
  if (job.state === 'placing') return { expected: 0, low: 0, high: 0 }
  const { progress, forecast } = job
  if (progress && progress.secondsLeft !== null) return rangeAround(progress.secondsLeft, runningPart)
  return forecast?.seconds ?? null
}

/** What a forecast's time has in common with those of its group. */
export function sharedTime({ carried }: Pick<JobForecast, 'carried'>): SharedError | null {
  return carried && { group: carried.group, part: carried.timePart }
}

/** What a forecast's size has in common with those of its group. */
export function sharedSize({ carried }: Pick<JobForecast, 'carried'>): SharedError | null {
  return carried && { group: carried.group, part: carried.sizePart }
}
