import type { EncoderNeed } from '../devices/device.ts'
import { calibrated, calibrationFor, type Calibrations } from '../forecast/calibration.ts'
import type { JobExtent, JobForecast } from '../forecast/forecast.ts'
import { forecastByLike, type LikeRate } from '../forecast/by-like.ts'
import { kindOfWork, type WorkTraits } from '../forecast/kind-of-work.ts'
import type { Promised } from '../forecast/outcome.ts'
import { isInHand, lanesOf, type JobProgress, type JobState } from '../job.ts'
import { scaled, type Range, type SharedError } from '../range.ts'
import { segmentCount } from '../work/segments.ts'
import { secondsLeft } from './seconds-left.ts'
import type { Verdict } from '../check/records.ts'
import type { LaneWork } from './lanes.ts'
import type { Machine } from './shared-lanes.ts'
import type { SampleState } from '../sample-state.ts'
import type { Waiting } from './work-to-order.ts'

/** A job as far as plans, totals and the order of lists need it: light enough to hold tens of thousands. */
export interface JobOutline {
  id: number
  orderId: number
  sourceId: number
  sourceName: string
  sourceBytes: number
  lotId: number | null
  deliveryVolumeId: number
  specKey: string
  specName: string
  /** The codec that a graphics device is to encode, where one is. */
  need?: EncoderNeed | undefined
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
  traits: WorkTraits
  /** Its forecast when it was begun; it stays so. */
  promised: JobForecast | null
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
  | 'need'
  | 'state'
  | 'position'
  | 'deliveryVolumeId'
  | 'progress'
  | 'sampleId'
  | 'verdict'
  | 'outputBytes'
  | 'outputPath'
  | 'workSeconds'
  | 'promised'
>

/** Jobs by their places. */
export function byPlace(a: Pick<JobOutline, 'position' | 'id'>, b: Pick<JobOutline, 'position' | 'id'>): number {
  return a.position - b.position || a.id - b.id
}

/** The order in which lanes take jobs: what is in hand, what waits, then the others. */
export function byTurn(a: JobOutline, b: JobOutline): number {
  return turnOf(a) - turnOf(b) || byPlace(a, b)
}
const turnOf = ({ state }: JobOutline) => (isInHand(state) ? 0 : state === 'waiting' ? 1 : 2)

export type LikeRates = ReadonlyMap<string, LikeRate>

/** What forecasts are made of beside a job's own measurement: the rates of its like, and how forecasts of its kind did. */
export interface ForecastGround {
  rates: LikeRates
  calibrations: Calibrations
}

/** What a forecast is made from. */
export type ForecastSeed = Pick<JobOutline, 'measured' | 'likeKey' | 'extent' | 'traits'>

/** The forecast of a job that is about to begin, with what it is to be held against; null while nothing is known. */
export function promise({ measured, likeKey, extent, traits }: ForecastSeed, ground: ForecastGround): Promised | null {
  const rate = likeKey === null ? undefined : ground.rates.get(likeKey)
  const raw = measured ?? (rate ? forecastByLike(rate, extent) : null)
  if (!raw) return null
  const kind = kindOfWork(traits, measured ? 'own' : 'like')
  const { seconds, bytes } = raw
  return {
    kind,
    forecast: calibrated(raw, calibrationFor(kind, ground.calibrations)),
    raw: { seconds, bytes },
  }
}

/** The forecast that counts: what was told when it was begun, else from its own source, else from its like, else none. */
export function forecastOf(
  { promised, ...seed }: ForecastSeed & Pick<JobOutline, 'promised'>,
  ground: ForecastGround,
): JobForecast | null {
  return promised ?? promise(seed, ground)?.forecast ?? null
}

/** A running job as far as it says how much of its machine it takes. */
type Running = Pick<JobOutline, 'state' | 'progress'>

/** How many times as long as alone running jobs take, because they want more cores together than there are. @param cores null where nobody knows */
export function presentSlowing<Job extends Running>(
  jobs: readonly Job[],
  forecastFor: (job: Job) => Pick<JobForecast, 'busyCores'> | null,
  cores: number | null,
): number {
  if (cores === null) return 1
  const wanted = jobs
    .filter(({ state, progress }) => isInHand(state) && progress)
    .reduce((sum, job) => sum + (forecastFor(job)?.busyCores ?? 0) * lanesOf(job), 0)
  return Math.max(1, wanted / cores)
}

/**
 * Seconds of work that a job still needs of one lane that has its machine to itself, or null while nothing is known of it.
 * @param slowing how many times as long running jobs take at present (see `presentSlowing`)
 */
export function workLeft(job: Running & { forecast: Pick<JobForecast, 'seconds'> | null }, slowing = 1): Range | null {
  if (job.state === 'placing') return { expected: 0, low: 0, high: 0 }
  const told = job.forecast?.seconds ?? null
  if (!job.progress) return told
  // How quick it is was seen beside others, and of as many lanes as work at it.
  const present = slowing / Math.max(1, lanesOf(job))
  const left = secondsLeft(job.progress, told && scaled(told, present))
  return left && scaled(left, 1 / present)
}

/** Into how many pieces what is left of a job can be divided. */
function piecesLeft(
  { progress, extent }: Pick<JobOutline, 'progress' | 'extent'>,
  { seconds, checkSeconds }: JobForecast,
): number {
  if (progress) return progress.segments ? progress.segments.total - progress.segments.done : 1
  return extent.isDivisible ? segmentCount(extent.frames, seconds.expected - checkSeconds) : 1
}

/**
 * A job as a plan's lanes take it; null while nothing is known of it.
 * @param forecast of it, where there is one
 * @param slowing see `workLeft`
 */
export function laneWork(
  job: Pick<JobOutline, 'id' | 'state' | 'progress' | 'extent' | 'need'>,
  forecast: JobForecast | null,
  slowing = 1,
): LaneWork | null {
  const { id, state, progress, need } = job
  const seconds = workLeft({ state, progress, forecast }, slowing)
  if (!seconds) return null
  return {
    id,
    seconds,
    // What is seen of a running job is its own and nobody else's.
    shared: forecast && !progress ? sharedTime(forecast) : null,
    busyCores: forecast?.busyCores,
    pieces: forecast ? Math.max(1, piecesLeft(job, forecast)) : 1,
    ...(need ? { need } : {}),
  }
}

/** What is begun and waits of all orders as lanes take it, in their order; without what nothing is known of. */
export function releasedWork(
  jobs: readonly JobOutline[],
  forecastFor: (job: JobOutline) => JobForecast | null,
  { cores }: Pick<Machine, 'cores'>,
): { orderId: number; work: LaneWork }[] {
  const released = jobs.filter(({ state }) => isInHand(state) || state === 'waiting').sort(byTurn)
  const slowing = presentSlowing(released, forecastFor, cores)
  return released.flatMap(job => {
    const work = laneWork(job, forecastFor(job), slowing)
    return work ? [{ orderId: job.orderId, work }] : []
  })
}

/** A job as it is put in order. */
export function toOrder(orderId: number, { id, seconds, busyCores, pieces, hereFrom, need }: LaneWork): Waiting {
  return { id, orderId, seconds: seconds.expected, busyCores, pieces, hereFrom, need }
}

/** What a forecast's time has in common with those of its group. */
export function sharedTime({ carried }: Pick<JobForecast, 'carried'>): SharedError | null {
  return carried && { group: carried.group, part: carried.timePart }
}

/** What a forecast's size has in common with those of its group. */
export function sharedSize({ carried }: Pick<JobForecast, 'carried'>): SharedError | null {
  return carried && { group: carried.group, part: carried.sizePart }
}
