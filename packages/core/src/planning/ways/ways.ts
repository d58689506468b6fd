import { z } from 'zod'
import { sharedTimePart, type JobForecast } from '../../forecast/forecast.ts'
import { isInHand } from '../../job.ts'
import { Range, RangeSum } from '../../range.ts'
import { each, type Turns } from '../../turns.ts'
import { EndsOfOrders, secondsUntil } from '../ends-of-orders.ts'
import type { LaneWork } from '../lanes.ts'
import {
  byTurn,
  forecastOf,
  laneWork,
  presentSlowing,
  sharedSize,
  type ForecastGround,
  type JobOutline,
} from '../outline.ts'
import type { Machine } from '../shared-lanes.ts'
import { Sharing, sharingOf } from '../sharing.ts'
import { bytesLeft } from '../storage.ts'
import { choose, comesTo, type Choice, type Choosing } from './choosing.ts'
import { countedXpsnr, lotWays, Way, type LotWays } from './lot-ways.ts'
import { tradeOffs } from './trade-off.ts'

const lotNumber = z.int().positive().nullable()

/** Which ways are asked for. */
export const WaysAsked = z.object({
  /** Specs of which each lot is to have one; null for all that the order is drafted with. */
  specKeys: z.array(z.string()).max(50).nullable().default(null),
  /** Most bytes of the order's drafts together: what there is room for on their volumes, a number, or null for as many as come. */
  bytes: z
    .union([z.literal('room'), z.number().min(0)])
    .nullable()
    .default('room'),
  /** When all is to be done; null where nobody waits. */
  dueAt: z.iso.datetime().nullable().default(null),
  /** How much a lot's likeness counts beside the others', for each second of it; 1 unless said. */
  weights: z
    .array(z.object({ lotId: lotNumber, weight: z.number().min(0).max(10) }))
    .max(2000)
    .default([]),
  /** Ways that a person chose. */
  chosen: z
    .array(z.object({ lotId: lotNumber, specKey: z.string() }))
    .max(2000)
    .default([]),
})
export type WaysAsked = z.infer<typeof WaysAsked>

/** What some of the order's jobs come to together. */
const Together = z.object({
  jobs: z.int().min(0),
  seconds: Range,
  bytes: Range,
})

/** A choice as a point of the trade-off. */
export const TradeOff = z.object({
  /** Spec of each lot that has a choice, in their order. */
  specKeys: z.array(z.string()),
  seconds: z.number(),
  bytes: z.number(),
  likeness: z.number(),
})
export type TradeOff = z.infer<typeof TradeOff>

/** An order's lots, the ways in which they can be done, and the one of each that is the best within the limits. */
export const Ways = z.object({
  /** ISO 8601 in UTC; seconds count from then. */
  at: z.iso.datetime(),
  lanes: z.int().min(0),
  sharing: Sharing.nullable(),
  /** Bytes that there is room for where the order's drafts go, beside all that is released; null where nobody knows, or there are none. */
  room: z.number().min(0).nullable(),
  /** All specs of pictures that the order is drafted with. */
  specs: z.array(z.object({ specKey: z.string(), specName: z.string(), drafts: z.int().positive() })),
  lots: z.array(
    z.object({
      lotId: lotNumber,
      name: z.string(),
      sources: z.int().positive(),
      /** Name of its first source. */
      sourceName: z.string(),
      material: z.number().min(0),
      weight: z.number().min(0),
      ways: z.array(Way),
      /** Spec of the way that is chosen; null where there is none to choose. */
      chosen: z.string().nullable(),
      /** Whether a person chose it. */
      isByHand: z.boolean(),
    }),
  ),
  /** The order's other drafts, which come with whatever is chosen. */
  besides: Together,
  /** What is chosen, with those. */
  chosen: Together.extend({
    /** Mean of the lots that have a choice, by their lengths and weights, in dB; null without any. */
    likeness: z.number().nullable(),
    /** When the order is done; null where nothing is known, or there is no lane. */
    end: Range.nullable(),
    lateSeconds: z.number().min(0),
    overBytes: z.number().min(0),
  }),
  /** No choice within the limits has a greater likeness; null where there is none within them. */
  mostLikeness: z.number().nullable(),
  /** Where no choice keeps both limits: how much more of one would do alone, the other kept; null where no amount does. */
  missing: z.object({ bytes: z.number().nullable(), seconds: z.number().nullable() }).nullable(),
  tradeOffs: z.array(TradeOff),
  /** Drafts of ways that could be chosen and are not, by number. */
  others: z.array(z.int()),
})
export type Ways = z.infer<typeof Ways>

/** What there is to choose from. */
export interface WaysGround {
  orderId: number
  /** Open jobs of all orders. */
  jobs: readonly JobOutline[]
  forecasts: ForecastGround
  machine: Machine
  /** Of lots, by number. */
  names: ReadonlyMap<number, string>
  /** Delivery volumes, and their room in bytes; null where nobody knows. */
  volumes: readonly { id: number; freeBytes: number | null }[]
}

/** Points of the trade-off that are told at most. */
const mostTradeOffs = 60
/** How often time is taken for shorter than it is, where jobs do not fit into it as a liquid would. */
const mostTightenings = 6
/** How often the time that would do is halved. */
const halvings = 14

/** Nodes of a search that only asks what would do. */
const fewNodes = 5000

/** Limits, by their place in what ways take; the third is processor time. */
const [bytesLimit, laneLimit] = [0, 1]

/**
 * Finds the way of each of an order's lots that keeps most likeness within the limits of room and time. What is counted is the mean likeness by length and weight.
 * Held jobs and other orders' drafts are not in it. Nothing is changed.
 * @param at when it is worked out
 */
export function* waysOf(ground: WaysGround, asked: WaysAsked, at: Date): Turns<Ways> {
  const { orderId, machine } = ground
  const own = ground.jobs.filter(job => job.orderId === orderId && job.state === 'draft')
  const forecasts = new Map<number, JobForecast | null>()
  yield* each(ground.jobs, job => void forecasts.set(job.id, forecastOf(job, ground.forecasts)))
  const forecastFor = (job: JobOutline) => forecasts.get(job.id)!
  const specs = new Map<string, Ways['specs'][number]>()
  // Sound alone is no other way of a picture: it comes beside it.
  const pictures = own.filter(({ extent }) => extent.pixels > 0)
  for (const { specKey, specName } of pictures)
    specs.set(specKey, { specKey, specName, drafts: (specs.get(specKey)?.drafts ?? 0) + 1 })
  const lots = lotWays(pictures, asked.specKeys ?? [...specs.keys()], forecastFor)
  yield
  const plan = new Plan(ground, asked, at, { lots, own, forecastFor })
  const { open } = plan
  const choosing = plan.choosing()
  const { picks, bound, missing } = yield* plan.solve(choosing)
  const specOf = new Map(open.map((lot, index) => [lot, plan.choices(lot)[picks[index]!]!.specKey]))
  const { chosen, ends } = yield* plan.comeTo(picks)
  const weights = open.reduce((sum, lot) => sum + plan.weigh(lot), 0)
  const others = open.flatMap(lot =>
    draftsToChoose(lot).flatMap(({ id, specKey }) => (specKey === specOf.get(lot) ? [] : [id])),
  )
  const points = open.length > 0 ? yield* tradeOffs(choosing, [laneLimit, bytesLimit], mostTradeOffs) : []
  return {
    at: at.toISOString(),
    lanes: machine.lanes,
    sharing: sharingOf(machine, ends.slowing),
    room: plan.room,
    specs: [...specs.values()],
    lots: lots.map(lot => ({
      lotId: lot.lotId,
      name: lot.lotId === null ? 'In no lot' : (ground.names.get(lot.lotId) ?? `Lot ${lot.lotId}`),
      sources: lot.sources,
      sourceName: lot.drafts[0]![0]!.sourceName,
      material: lot.material,
      weight: plan.weightOf(lot),
      ways: lot.ways,
      chosen: specOf.get(lot) ?? null,
      isByHand: plan.byHand(lot) !== null,
    })),
    besides: plan.besides,
    chosen: {
      ...chosen,
      likeness: weights > 0 ? comesTo(choosing, picks).worth / weights : null,
    },
    mostLikeness: weights > 0 && Number.isFinite(bound) ? bound / weights : null,
    missing,
    tradeOffs: points.map(point => ({
      specKeys: point.picks.map((pick, index) => plan.choices(open[index]!)[pick]!.specKey),
      seconds: point.takes[laneLimit]! + plan.besides.seconds.expected,
      bytes: point.takes[bytesLimit]! + plan.besides.bytes.expected,
      likeness: weights > 0 ? point.worth / weights : 0,
    })),
    others,
  }
}

/** Drafts of the ways of a lot that can be chosen; those of the others come with every choice. */
function draftsToChoose({ ways, drafts }: LotWays): JobOutline[] {
  return drafts.filter((_, way) => ways[way]!.because === null).flat()
}

interface OwnDrafts {
  lots: readonly LotWays[]
  own: readonly JobOutline[]
  forecastFor: (job: JobOutline) => JobForecast | null
}

/** An order's ways against what else there is to be done. */
class Plan {
  /** Lots with a way that can be chosen. */
  readonly open: readonly LotWays[]
  readonly besides: z.infer<typeof Together>
  /** Seconds until all is to be done; null without a due time. */
  private readonly due: number | null
  private readonly before: readonly { orderId: number; work: LaneWork }[]
  private readonly besideJobs: readonly JobOutline[]
  readonly room: number | null
  /** Most bytes of the drafts; null for as many as come. */
  private readonly most: number | null
  private readonly forecastFor: (job: JobOutline) => JobForecast | null

  constructor(
    private readonly ground: WaysGround,
    private readonly asked: WaysAsked,
    at: Date,
    { lots, own, forecastFor }: OwnDrafts,
  ) {
    this.forecastFor = forecastFor
    this.due = secondsUntil(asked.dueAt, at)
    this.open = lots.filter(({ ways }) => ways.some(({ because }) => because === null))
    const inChoice = new Set(this.open.flatMap(draftsToChoose))
    this.besideJobs = own.filter(job => !inChoice.has(job))
    this.besides = this.together(this.besideJobs)
    const released = ground.jobs.filter(({ state }) => isInHand(state) || state === 'waiting').sort(byTurn)
    this.room = this.roomBeside(own, released)
    this.most = asked.bytes === 'room' ? this.room : asked.bytes
    const slowing = presentSlowing(released, forecastFor, ground.machine.cores)
    this.before = released.flatMap(job => {
      const work = laneWork(job, forecastFor(job), slowing)
      return work ? [{ orderId: job.orderId, work }] : []
    })
  }

  /** Ways of a lot that can be chosen. */
  choices(lot: LotWays): Way[] {
    const hand = this.byHand(lot)
    const able = lot.ways.filter(({ because }) => because === null)
    return hand === null ? able : able.filter(({ specKey }) => specKey === hand)
  }

  /** Spec that a person chose for a lot; null where none that it can have. */
  byHand({ lotId, ways }: LotWays): string | null {
    const hand = this.asked.chosen.find(entry => entry.lotId === lotId)?.specKey
    return ways.find(({ specKey, because }) => specKey === hand && because === null)?.specKey ?? null
  }

  weightOf({ lotId }: LotWays): number {
    return this.asked.weights.find(entry => entry.lotId === lotId)?.weight ?? 1
  }

  /** What a lot's likeness counts for. */
  weigh(lot: LotWays): number {
    return this.weightOf(lot) * lot.material
  }

  /** The ways as a knapsack: likeness against bytes, lane time and processor time. */
  choosing(): Choosing {
    return {
      lots: this.open.map(lot =>
        this.choices(lot).map(way => ({
          worth: countedXpsnr(way) * this.weigh(lot),
          takes: [way.bytes.expected, way.seconds.expected, way.processorSeconds],
        })),
      ),
      limits: [
        this.most === null ? Number.POSITIVE_INFINITY : Math.max(0, this.most - this.besides.bytes.expected),
        ...this.timeLimits(this.due),
      ],
    }
  }

  /** Lane time and processor time that is there until a moment, beside all that is done anyway. */
  private timeLimits(seconds: number | null): [number, number] {
    if (seconds === null) return [Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY]
    const { lanes, cores } = this.ground.machine
    const beside = this.besideJobs.flatMap(job => this.workOf(job) ?? [])
    const works = [...this.before.map(({ work }) => work), ...beside]
    const taken = works.reduce((sum, work) => sum + work.seconds.expected, 0)
    const processor = works.reduce((sum, work) => sum + work.seconds.expected * (work.busyCores ?? 0), 0)
    return [
      Math.max(0, Math.max(1, lanes) * Math.max(0, seconds) - taken),
      cores === null ? Number.POSITIVE_INFINITY : Math.max(0, cores * Math.max(0, seconds) - processor),
    ]
  }

  /** The best picks within the limits, or those that miss them least. */
  *solve(choosing: Choosing): Turns<{ picks: number[]; bound: number; missing: z.infer<typeof Ways>['missing'] }> {
    const { best, bound } = yield* choose(choosing)
    if (best) return { picks: yield* this.inTime(choosing, best), bound, missing: null }
    const least = yield* this.leastOf(choosing, bytesLimit, choosing.limits)
    const missing = {
      bytes: least && this.most !== null ? least.takes[bytesLimit]! - choosing.limits[bytesLimit]! : null,
      seconds: yield* this.secondsMissing(choosing),
    }
    const quickest =
      least ??
      (yield* this.leastOf(
        choosing,
        laneLimit,
        choosing.limits.map(() => Number.POSITIVE_INFINITY),
      ))
    return { picks: quickest!.picks, bound: Number.NEGATIVE_INFINITY, missing }
  }

  /** The choice that takes least of one limit while it keeps the others; null where none does. */
  private *leastOf({ lots }: Choosing, of: number, limits: readonly number[]): Turns<Choice | null> {
    const given = {
      lots: lots.map(options => options.map(({ takes }) => ({ worth: -takes[of]!, takes }))),
      limits: limits.map((limit, index) => (index === of ? Number.POSITIVE_INFINITY : limit)),
    }
    return (yield* choose(given, fewNodes)).best
  }

  /** How much later it would be done with the room that there is; null where that is too little for any choice. */
  private *secondsMissing(choosing: Choosing): Turns<number | null> {
    if (this.due === null) return null
    const isEnough = function* (this: Plan, seconds: number): Turns<boolean> {
      const limits = [choosing.limits[bytesLimit]!, ...this.timeLimits(seconds)]
      const least = yield* this.leastOf(choosing, bytesLimit, limits)
      return least !== null && least.takes[bytesLimit]! <= limits[bytesLimit]!
    }
    let [no, yes] = [Math.max(0, this.due), Math.max(3600, this.due)]
    for (let doubled = 0; !(yield* isEnough.call(this, yes)); doubled++) {
      if (doubled > halvings) return null
      yes *= 2
    }
    for (let halved = 0; halved < halvings; halved++) {
      const middle = (no + yes) / 2
      if (yield* isEnough.call(this, middle)) yes = middle
      else no = middle
    }
    return yes - this.due
  }

  /** Jobs are no liquid: where the plan of a choice is late, less time is given to it, until it is not, or nothing is found. */
  private *inTime(choosing: Choosing, best: Choice): Turns<number[]> {
    let picks = best.picks
    if (this.due === null) return picks
    let seconds = this.due
    for (let tightened = 0; tightened < mostTightenings; tightened++) {
      const late = (yield* this.comeTo(picks)).chosen.lateSeconds
      if (late <= 0) return picks
      seconds -= late
      if (seconds <= 0) break
      const tighter = yield* choose({
        ...choosing,
        limits: [choosing.limits[bytesLimit]!, ...this.timeLimits(seconds)],
      })
      if (!tighter.best) break
      picks = tighter.best.picks
    }
    return picks
  }

  /** What picks come to in the plan. */
  *comeTo(picks: readonly number[]) {
    const specs = this.open.map((lot, index) => this.choices(lot)[picks[index]!]!.specKey)
    const jobs = [
      ...this.besideJobs,
      ...this.open.flatMap((lot, index) => lot.drafts.flat().filter(({ specKey }) => specKey === specs[index])),
    ].sort(byTurn)
    const { lanes } = this.ground.machine
    const ends = new EndsOfOrders(this.ground.machine)
    yield* each(this.before, ({ orderId, work }) => ends.place(orderId, work))
    if (lanes > 0) yield* each(jobs, job => ends.place(job.orderId, this.workOf(job)))
    const against = ends.against([[this.ground.orderId, this.due]])
    const together = this.together(jobs)
    return {
      ends: against,
      chosen: {
        ...together,
        ...against.of(this.ground.orderId),
        overBytes: this.most === null ? 0 : Math.max(0, together.bytes.expected - this.most),
      },
    }
  }

  private roomBeside(own: readonly JobOutline[], released: readonly JobOutline[]): number | null {
    const ids = new Set(own.map(({ deliveryVolumeId }) => deliveryVolumeId))
    let room = 0
    for (const id of ids) {
      const free = this.ground.volumes.find(volume => volume.id === id)?.freeBytes ?? null
      if (free === null) return null
      const taken = released
        .filter(({ deliveryVolumeId }) => deliveryVolumeId === id)
        .reduce((sum, job) => {
          const forecast = this.forecastFor(job)
          return sum + (forecast ? bytesLeft(job, forecast).expected : 0)
        }, 0)
      room += Math.max(0, free - taken)
    }
    return ids.size > 0 ? room : null
  }

  private workOf(job: JobOutline): LaneWork | null {
    return laneWork(job, this.forecastFor(job))
  }

  private together(jobs: readonly JobOutline[]): z.infer<typeof Together> {
    const [seconds, bytes] = [new RangeSum(), new RangeSum()]
    for (const job of jobs) {
      const forecast = this.forecastFor(job)
      const work = laneWork(job, forecast)
      if (work) seconds.add(work.seconds, work.shared)
      if (forecast) bytes.add(bytesLeft(job, forecast), sharedSize(forecast))
    }
    return { jobs: jobs.length, seconds: seconds.range(sharedTimePart), bytes: bytes.range() }
  }
}
