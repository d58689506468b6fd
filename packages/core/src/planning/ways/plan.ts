import type { z } from 'zod'
import { sharedTimePart, type JobForecast } from '../../forecast/forecast.ts'
import { OpenTime } from '../../hours/open-time.ts'
import { isInHand } from '../../job.ts'
import { RangeSum } from '../../range.ts'
import { each, type Turns } from '../../turns.ts'
import { EndsOfOrders, secondsUntil } from '../ends-of-orders.ts'
import { Lanes, type LaneWork } from '../lanes.ts'
import { byTurn, laneWork, releasedWork, sharedSize, type ForecastGround, type JobOutline } from '../outline.ts'
import type { Machine } from '../shared-lanes.ts'
import { disksOf, type VolumeRoom } from '../disks.ts'
import { bytesLeft } from '../storage.ts'
import { choose, comesTo, type Choosing } from './choosing.ts'
import { countedXpsnr, type LotWays, type Way } from './lot-ways.ts'
import type { Together, Ways, WaysAsked } from './records.ts'

/** What there is to choose from. */
export interface WaysGround {
  orderId: number
  /** Open jobs of all orders. */
  jobs: readonly JobOutline[]
  forecasts: ForecastGround
  machine: Machine
  /** Of lots, by number. */
  names: ReadonlyMap<number, string>
  volumes: readonly VolumeRoom[]
}

/** How often time is taken for shorter than it is, where jobs do not fit into it as a liquid would. */
const mostTightenings = 6
/** How often a little more time is tried, once picks are in time. */
const mostLoosenings = 4
/** Ways of single lots that are tried in the plan, and jobs that are placed for that at most. */
const mostTries = 40
const mostPlaced = 20_000
/** Time that is tried first for what is done soonest, and how often it is doubled at most, and halved. */
const firstSeconds = 3600
const halvings = 14
/** Nodes of a search that only asks what would do. */
const fewNodes = 5000

/** Limits, by their place in what ways take; the third is processor time. */
export const [bytesLimit, laneLimit] = [0, 1]

/** Drafts of the ways of a lot that can be chosen; those of the others come with every choice. */
export function draftsToChoose({ ways, drafts }: LotWays): JobOutline[] {
  return drafts.filter((_, way) => ways[way]!.because === null).flat()
}

/** Ways by how little they take of a limit, which is none then. */
function leastOf({ lots, limits }: Choosing, of: number): Choosing {
  return {
    lots: lots.map(options => options.map(({ takes }) => ({ worth: -takes[of]!, takes }))),
    limits: limits.map((limit, index) => (index === of ? Number.POSITIVE_INFINITY : limit)),
  }
}

/** What is told to be missing is enough as it is told: bytes to two digits, and a minute more, because time goes on. */
function roundedUp(bytes: number): number {
  if (bytes <= 0) return 0
  const step = 10 ** (Math.floor(Math.log10(bytes)) - 1)
  return Math.ceil(bytes / step) * step
}
const minutesUp = (seconds: number) => (Math.ceil(seconds / 60) + 1) * 60

interface OwnDrafts {
  lots: readonly LotWays[]
  own: readonly JobOutline[]
  forecastFor: (job: JobOutline) => JobForecast | null
}

/** An order's ways against what else there is to be done. */
export class WaysPlan {
  /** Lots with a way that can be chosen. */
  readonly open: readonly LotWays[]
  readonly besides: z.infer<typeof Together>
  /** Seconds until all is to be done, by the clock and open ones; null without a due time. */
  private readonly dueByClock: number | null
  private readonly due: number | null
  private readonly time: OpenTime
  private readonly before: readonly { orderId: number; work: LaneWork }[]
  private readonly besideJobs: readonly JobOutline[]
  /** What is taken by what is released, and by what comes with every choice. */
  private readonly taken: {
    /** When each lane is free, in seconds of work that nothing slows. */
    free: readonly number[]
    /** Processor time of what has ended when the first lane is free for drafts, at least. */
    processorBefore: number
    besides: { lane: number; processor: number }
  }
  readonly room: number | null
  /** Most bytes of the drafts; null for as many as come. */
  private readonly most: number | null
  private readonly forecastFor: (job: JobOutline) => JobForecast | null

  constructor(
    private readonly ground: WaysGround,
    private readonly asked: WaysAsked,
    private readonly at: Date,
    { lots, own, forecastFor }: OwnDrafts,
  ) {
    this.forecastFor = forecastFor
    this.dueByClock = secondsUntil(asked.dueAt, at)
    this.time = new OpenTime(at, ground.machine.hours)
    this.due = this.dueByClock === null ? null : this.time.openOf(this.dueByClock)
    this.open = lots.filter(({ ways }) => ways.some(({ because }) => because === null))
    const inChoice = new Set(this.open.flatMap(draftsToChoose))
    this.besideJobs = own.filter(job => !inChoice.has(job))
    this.besides = this.together(this.besideJobs)
    const released = ground.jobs.filter(({ state }) => isInHand(state) || state === 'waiting')
    this.room = this.roomBeside(own, released)
    this.most = asked.bytes === 'room' ? this.room : asked.bytes
    this.before = releasedWork(released, forecastFor, ground.machine)
    this.taken = this.takenBefore()
  }

  private takenBefore(): WaysPlan['taken'] {
    const lanes = new Lanes(this.ground.machine)
    for (const { work } of this.before) lanes.place(work)
    const processor = ({ seconds, busyCores = 0 }: LaneWork) => seconds.expected * busyCores
    const beside = this.besideJobs.flatMap(job => this.workOf(job) ?? [])
    // The last job of a lane may still run when drafts begin on others.
    const last = lanes.taken.reduce((sum, { lastSeconds, busyCores }) => sum + lastSeconds * busyCores, 0)
    return {
      free: lanes.taken.map(({ until }) => until),
      processorBefore: Math.max(0, this.before.reduce((sum, { work }) => sum + processor(work), 0) - last),
      besides: {
        lane: beside.reduce((sum, work) => sum + work.seconds.expected, 0),
        processor: beside.reduce((sum, work) => sum + processor(work), 0),
      },
    }
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

  /**
   * Lane time and processor time that there can be for the choice until a moment, if work were a liquid: what is free of the lanes behind all that is released, and
   * of the cores what is not taken by what has ended before any draft begins; of both without what comes with every choice.
   */
  private timeLimits(seconds: number | null): [number, number] {
    const { lanes, cores } = this.ground.machine
    if (seconds === null || lanes === 0) return [Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY]
    const { free, processorBefore, besides } = this.taken
    return [
      Math.max(0, free.reduce((sum, from) => sum + Math.max(0, seconds - from), 0) - besides.lane),
      cores === null
        ? Number.POSITIVE_INFINITY
        : Math.max(0, cores * Math.max(0, seconds) - processorBefore - besides.processor),
    ]
  }

  /** The best picks within the limits, or those that miss them least. */
  *solve(choosing: Choosing): Turns<{ picks: number[]; bound: number; missing: Ways['missing'] }> {
    const { picks, bound } = yield* this.bestInTime(choosing)
    if (picks) return { picks, bound, missing: null }
    const room = choosing.limits[bytesLimit]!
    const smallest = (yield* this.bestInTime(leastOf(choosing, bytesLimit))).picks
    const quickest = yield* this.quickest(choosing, room)
    const missing = {
      bytes:
        smallest && Number.isFinite(room)
          ? roundedUp(Math.max(0, comesTo(choosing, smallest).takes[bytesLimit]! - room))
          : null,
      seconds: quickest && this.due !== null ? minutesUp((yield* this.comeTo(quickest)).chosen.lateSeconds) : null,
    }
    const shown = smallest ?? quickest ?? (yield* this.quickest(choosing, Number.POSITIVE_INFINITY))
    return { picks: shown!, bound: Number.NEGATIVE_INFINITY, missing }
  }

  /**
   * The best picks that are in time in the plan. Jobs are no liquid: where the plan of a choice is late, less time is given to it, until it is not; then it is looked for
   * whether a little more time, or another way of single lots, is in time, too.
   * @returns no picks where none were found; the bound of what any are worth
   */
  private *bestInTime(choosing: Choosing): Turns<{ picks: number[] | null; bound: number }> {
    const { best, bound } = yield* choose(choosing)
    if (!best) return { picks: null, bound }
    const late = yield* this.lateOf(best.picks)
    if (late <= 0) return { picks: best.picks, bound }
    /** The best picks for less time than there is; null where none are. */
    const within = function* (this: WaysPlan, seconds: number): Turns<number[] | null> {
      const limits = [choosing.limits[bytesLimit]!, ...this.timeLimits(seconds)]
      return (yield* choose({ ...choosing, limits }, fewNodes)).best?.picks ?? null
    }
    let [tooMuch, enough] = [this.due!, this.due! - late]
    let found: number[] | null = null
    for (let tightened = 0; tightened < mostTightenings && enough > 0 && !found; tightened++) {
      const picks = yield* within.call(this, enough)
      if (!picks) break
      const over = yield* this.lateOf(picks)
      if (over <= 0) found = picks
      else [tooMuch, enough] = [enough, enough - over]
    }
    for (let loosened = 0; loosened < mostLoosenings && found; loosened++) {
      const middle = (tooMuch + enough) / 2
      const picks = yield* within.call(this, middle)
      if (picks && (yield* this.lateOf(picks)) <= 0) [enough, found] = [middle, picks]
      else tooMuch = middle
    }
    found ??= yield* this.quickest(choosing, choosing.limits[bytesLimit]!)
    if (!found || (yield* this.lateOf(found)) > 0) return { picks: null, bound }
    return { picks: yield* this.bettered(choosing, found), bound }
  }

  /** Picks with other ways of single lots that are worth more, those that gain most first, as far as they find room and are in time in the plan. */
  private *bettered(choosing: Choosing, picks: readonly number[]): Turns<number[]> {
    const { lots, limits } = choosing
    const jobs = this.open.reduce((sum, { sources }) => sum + sources, this.before.length)
    let mine = [...picks]
    const gain = (lot: number, pick: number) => lots[lot]![pick]!.worth - lots[lot]![mine[lot]!]!.worth
    const changes = lots
      .flatMap((options, lot) => options.map((_, pick) => ({ lot, pick, gain: gain(lot, pick) })))
      .filter(change => change.gain > 0)
      .sort((a, b) => b.gain - a.gain)
    let tries = Math.min(mostTries, Math.floor(mostPlaced / Math.max(1, jobs)))
    for (const { lot, pick } of changes) {
      if (gain(lot, pick) <= 0) continue
      const changed = mine.with(lot, pick)
      if (comesTo(choosing, changed).takes[bytesLimit]! > limits[bytesLimit]!) continue
      if (tries-- <= 0) break
      if ((yield* this.lateOf(changed)) <= 0) mine = changed
    }
    return mine
  }

  /** The picks that would be done soonest, if work were a liquid, with so many bytes; null where those are too few for any. */
  private *quickest(choosing: Choosing, room: number): Turns<number[] | null> {
    const smallest = leastOf(choosing, bytesLimit)
    const within = function* (this: WaysPlan, seconds: number): Turns<number[] | null> {
      const limits = [Number.POSITIVE_INFINITY, ...this.timeLimits(seconds)]
      const { best } = yield* choose({ ...smallest, limits }, fewNodes)
      return best && best.takes[bytesLimit]! <= room ? best.picks : null
    }
    let [no, yes] = [0, firstSeconds]
    let picks: number[] | null = null
    for (let doubled = 0; !(picks = yield* within.call(this, yes)); doubled++) {
      if (doubled > halvings) return null
      ;[no, yes] = [yes, 2 * yes]
    }
    for (let halved = 0; halved < halvings; halved++) {
      const middle = (no + yes) / 2
      const found = yield* within.call(this, middle)
      if (found) [yes, picks] = [middle, found]
      else no = middle
    }
    return picks
  }

  /** Open seconds by which picks are late in the plan. */
  private *lateOf(picks: readonly number[]): Turns<number> {
    const { lateSeconds } = (yield* this.comeTo(picks)).chosen
    return lateSeconds > 0 ? this.time.openOf(this.dueByClock! + lateSeconds) - this.due! : 0
  }

  /** What picks come to in the plan. */
  *comeTo(picks: readonly number[]) {
    const specs = this.open.map((lot, index) => this.choices(lot)[picks[index]!]!.specKey)
    const jobs = [
      ...this.besideJobs,
      ...this.open.flatMap((lot, index) => lot.drafts.flat().filter(({ specKey }) => specKey === specs[index])),
    ].sort(byTurn)
    const { lanes } = this.ground.machine
    const ends = new EndsOfOrders(this.ground.machine, this.at)
    yield* each(this.before, ({ orderId, work }) => ends.place(orderId, work))
    if (lanes > 0) yield* each(jobs, job => ends.place(job.orderId, this.workOf(job)))
    const against = ends.against([[this.ground.orderId, this.dueByClock]])
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
    for (const { volumeIds, freeBytes } of disksOf(this.ground.volumes)) {
      const written = volumeIds.filter(id => ids.delete(id))
      if (written.length === 0) continue
      if (freeBytes === null) return null
      const taken = released
        .filter(({ deliveryVolumeId }) => volumeIds.includes(deliveryVolumeId))
        .reduce((sum, job) => {
          const forecast = this.forecastFor(job)
          return sum + (forecast ? bytesLeft(job, forecast).expected : 0)
        }, 0)
      room += Math.max(0, freeBytes - taken)
    }
    // Of a volume that nobody told of, no room is known.
    return own.length > 0 && ids.size === 0 ? room : null
  }

  private workOf(job: JobOutline): LaneWork | null {
    return laneWork(job, this.forecastFor(job))
  }

  private together(jobs: readonly JobOutline[]): z.infer<typeof Together> {
    const [seconds, bytes] = [new RangeSum(sharedTimePart), new RangeSum()]
    for (const job of jobs) {
      const forecast = this.forecastFor(job)
      const work = laneWork(job, forecast)
      if (work) seconds.add(work.seconds, work.shared)
      if (forecast) bytes.add(bytesLeft(job, forecast), sharedSize(forecast))
    }
    return { jobs: jobs.length, seconds: seconds.range(), bytes: bytes.range() }
  }
}
