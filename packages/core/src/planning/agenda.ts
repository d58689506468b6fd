import { z } from 'zod'
import { sharedTimePart, type JobForecast } from '../forecast/forecast.ts'
import { OpenTime } from '../hours/open-time.ts'
import { isInHand, JobState } from '../job.ts'
import { Range, RangeSum } from '../range.ts'
import { each, type Turns } from '../turns.ts'
import { byClock } from './by-clock.ts'
import { barsOf, LaneBar } from './lane-bars.ts'
import { Lanes, type PlannedJob } from './lanes.ts'
import { deviceLanes, isTaken, laneNames, type Machine } from './shared-lanes.ts'
import { Sharing, sharingOf } from './sharing.ts'
import type { Disk } from './disks.ts'
import { VolumeNeed, volumeNeeds } from './storage.ts'
import {
  byTurn,
  forecastOf,
  laneWork,
  presentSlowing,
  sharedSize,
  type ForecastGround,
  type JobOutline,
} from './outline.ts'

/** What some jobs take together, and how much of that is known how well. */
export const WorkTotals = z.object({
  jobs: z.int().min(0),
  /** Of how many their own source was measured, or is being worked on. */
  measured: z.int().min(0),
  /** Of how many the time is carried over from their like. */
  byLike: z.int().min(0),
  /** Of how many nothing is known yet. */
  unknown: z.int().min(0),
  /** Of how many of those no measurement could be made. */
  unmeasurable: z.int().min(0),
  /** Device time of all that is known or carried over, in seconds, and of what was measured itself. */
  seconds: Range,
  measuredSeconds: Range,
  bytes: Range,
  /** When the last of them ends, in seconds from when the agenda was made; null when nothing is planned. */
  end: Range.nullable(),
})
export type WorkTotals = z.infer<typeof WorkTotals>

/** An order's work in figures: how many jobs are where, what they take, and when they are done. */
export const WorkSummary = z.object({
  orderId: z.int(),
  /** When it was made, ISO 8601 in UTC. */
  at: z.iso.datetime(),
  /** Of all workers together; with none, only what was begun has an end. */
  lanes: z.int().min(0),
  /** How many of them can do something of what the order has: those of graphics devices only where a job needs one. */
  usefulLanes: z.int().min(0),
  laneNames: z.array(z.string()),
  /** Jobs of the order that no lane takes: no worker has what they need. */
  untaken: z.int().min(0),
  /** Jobs of all orders that wait for a graphics device. */
  awaitDevices: z.int().min(0),
  sharing: Sharing.nullable(),
  counts: z.record(JobState, z.int().min(0)),
  pass: z.int().min(0),
  look: z.int().min(0),
  /** Jobs that are not cancelled, by the key of their spec. */
  specs: z.record(z.string(), z.int().min(0)),
  /** Whether a measurement has the machine to itself at the moment. */
  isMeasuring: z.boolean(),
  /** What was released and is not held. */
  released: WorkTotals,
  /** The same with drafts behind it. */
  withDrafts: WorkTotals,
  /** Drafts alone. */
  drafts: WorkTotals,
  /** What is still to be written to each disk with delivery volumes, by other orders too. */
  storage: z.array(VolumeNeed),
  bars: z.array(LaneBar),
})
export type WorkSummary = z.infer<typeof WorkSummary>

/** What an order's jobs of a lot are together. */
export const LotWork = z.object({
  lotId: z.int().nullable(),
  name: z.string(),
  totals: WorkTotals,
  counts: z.record(JobState, z.int().min(0)),
  pass: z.int().min(0),
  look: z.int().min(0),
  sourceBytes: z.number().min(0),
  outputBytes: z.number().min(0),
  workSeconds: z.number().min(0),
})
export type LotWork = z.infer<typeof LotWork>

/** What jobs that have one spec are together. */
export const SpecWork = z.object({
  specKey: z.string(),
  specName: z.string(),
  totals: WorkTotals,
  /** Of how many it is known how like the result will be, and the least of them (XPSNR, in dB); null where all of those are identical. */
  likenessKnown: z.int().min(0),
  leastXpsnr: z.number().nullable(),
})
export type SpecWork = z.infer<typeof SpecWork>

/**
 * The plan of an order's work among that of all orders: what runs, what waits by its place, then the order's drafts. Held jobs are not in it.
 * One object answers every question about it, so that no two pages can say different things.
 */
export class Agenda {
  private constructor(
    readonly places: ReadonlyMap<number, PlannedJob>,
    readonly forecasts: ReadonlyMap<number, JobForecast>,
    /** How many times as long as alone running jobs take at present. */
    readonly slowing: number,
    /** The order's work in figures. */
    readonly summary: WorkSummary,
  ) {}

  /**
   * Makes the plan, a little at a time: of ten thousand jobs it takes longer than others can wait.
   * @param own all jobs of the order
   * @param others open jobs of other orders, which take their turn on the same lanes
   * @param machine with no lanes, what was begun is still finished, and nothing else has an end
   * @param at when it is made; every time in it counts from then
   */
  static *make(
    orderId: number,
    own: readonly JobOutline[],
    others: readonly JobOutline[],
    machine: Machine,
    ground: ForecastGround,
    at: Date,
    disks: readonly Disk[] = [],
  ): Turns<Agenda> {
    const isPlanned = (job: JobOutline) => isInHand(job.state) || job.state === 'waiting'
    const wanted = [...own.filter(job => isPlanned(job) || job.state === 'draft'), ...others.filter(isPlanned)].sort(
      byTurn,
    )
    yield
    const forecasts = new Map<number, JobForecast>()
    const held = own.filter(entry => entry.state === 'held')
    yield* each([...held, ...wanted], job => {
      const forecast = forecastOf(job, ground)
      if (forecast) forecasts.set(job.id, forecast)
    })
    const { lanes } = machine
    const slowing = presentSlowing(wanted, job => forecasts.get(job.id) ?? null, machine.cores)
    const plan = new Lanes(machine)
    yield* each(wanted, job => {
      const work = laneWork(job, forecasts.get(job.id) ?? null, slowing)
      if (work && (lanes > 0 || isInHand(job.state))) plan.place(work)
    })
    const time = new OpenTime(at, machine.hours)
    const places = new Map(plan.finish().map(place => [place.id, byClock(place, time)]))
    const known = { places, forecasts, slowing }
    const planned = wanted.filter(job => job.orderId === orderId)
    const released = planned.filter(job => job.state !== 'draft')
    const drafts = planned.filter(job => job.state === 'draft')
    const all = yield* totalsOf(known, planned)
    const specs: Record<string, number> = {}
    for (const job of own) if (job.state !== 'cancelled') specs[job.specKey] = (specs[job.specKey] ?? 0) + 1
    yield
    return new Agenda(places, forecasts, slowing, {
      orderId,
      at: at.toISOString(),
      lanes,
      usefulLanes: lanes - (planned.some(({ need }) => need) ? 0 : deviceLanes(machine)),
      laneNames: laneNames(machine),
      untaken: lanes > 0 ? planned.filter(({ need }) => !isTaken(machine, need)).length : 0,
      awaitDevices: wanted.filter(({ state, need }) => state === 'waiting' && need).length,
      sharing: sharingOf(machine, plan.slowing),
      ...countsOf(own),
      specs,
      isMeasuring: own.some(job => job.sampleState === 'measuring'),
      released: drafts.length === 0 ? all : yield* totalsOf(known, released),
      withDrafts: all,
      drafts: released.length === 0 ? all : yield* totalsOf(known, drafts),
      storage: volumeNeeds(orderId, wanted, forecasts, disks),
      bars: yield* barsOf(places, planned),
    })
  }

  /** The order's jobs that a filter lets through, by lot, lots in the order of their first job. @param names of lots by number */
  *lots(jobs: readonly JobOutline[], names: ReadonlyMap<number, string>): Turns<LotWork[]> {
    const byLot = new Map<number | null, JobOutline[]>()
    for (const job of jobs) {
      const there = byLot.get(job.lotId)
      if (there) there.push(job)
      else byLot.set(job.lotId, [job])
    }
    const lots: LotWork[] = []
    for (const [lotId, entries] of byLot)
      lots.push({
        lotId,
        name: lotId === null ? 'In no lot' : (names.get(lotId) ?? `Lot ${lotId}`),
        totals: yield* totalsOf(this, entries),
        ...countsOf(entries),
        sourceBytes: entries.reduce((sum, job) => sum + job.sourceBytes, 0),
        outputBytes: entries.reduce((sum, job) => sum + (job.outputBytes ?? 0), 0),
        workSeconds: entries.reduce((sum, job) => sum + (job.workSeconds ?? 0), 0),
      })
    return lots
  }

  /** The same by spec, in the order of the first job of each. */
  *specs(jobs: readonly JobOutline[]): Turns<SpecWork[]> {
    const bySpec = new Map<string, JobOutline[]>()
    for (const job of jobs) {
      const there = bySpec.get(job.specKey)
      if (there) there.push(job)
      else bySpec.set(job.specKey, [job])
    }
    const specs: SpecWork[] = []
    for (const [specKey, entries] of bySpec) {
      const known = entries.flatMap(job => this.forecasts.get(job.id)?.quality ?? [])
      const decibels = known.flatMap(quality => quality.xpsnr ?? [])
      specs.push({
        specKey,
        specName: entries[0]!.specName,
        totals: yield* totalsOf(this, entries),
        likenessKnown: known.length,
        leastXpsnr: decibels.length > 0 ? Math.min(...decibels) : null,
      })
    }
    return specs
  }
}

/** What is known of planned jobs. */
type Known = Pick<Agenda, 'places' | 'forecasts' | 'slowing'>

function* totalsOf({ places, forecasts, slowing }: Known, jobs: readonly JobOutline[]): Turns<WorkTotals> {
  const [seconds, measuredSeconds, bytes] = [new RangeSum(sharedTimePart), new RangeSum(sharedTimePart), new RangeSum()]
  let [measured, byLike, unmeasurable] = [0, 0, 0]
  const last: { end: Range | null } = { end: null }
  yield* each(jobs, job => {
    const forecast = forecasts.get(job.id) ?? null
    const work = laneWork(job, forecast, slowing)
    const left = work?.seconds ?? null
    if (work) seconds.add(work.seconds, work.shared)
    if (forecast) bytes.add(forecast.bytes, sharedSize(forecast))
    if (left && !(forecast?.carried && !job.progress)) {
      measured++
      measuredSeconds.add(left)
    } else if (left) byLike++
    else if (job.sampleState === 'failed') unmeasurable++
    const place = places.get(job.id)
    if (place && (last.end === null || place.end.expected > last.end.expected)) last.end = place.end
  })
  return {
    jobs: jobs.length,
    measured,
    byLike,
    unknown: jobs.length - measured - byLike,
    unmeasurable,
    seconds: seconds.range(),
    measuredSeconds: measuredSeconds.range(),
    bytes: bytes.range(),
    end: last.end,
  }
}

/** How many jobs are in which state, and what the verdicts on those that are done are. */
export function countsOf(jobs: readonly JobOutline[]): {
  counts: Record<JobState, number>
  pass: number
  look: number
} {
  const counts = Object.fromEntries(JobState.options.map(state => [state, 0])) as Record<JobState, number>
  let [pass, look] = [0, 0]
  for (const job of jobs) {
    counts[job.state]++
    if (job.state !== 'done') continue
    if (job.verdict === 'look') look++
    else pass++
  }
  return { counts, pass, look }
}
