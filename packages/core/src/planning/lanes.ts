import type { HardwareCodec } from '../codecs/hardware/index.ts'
import { sharedTimePart } from '../forecast/forecast.ts'
import { RangeSum, scaled, type Range, type SharedError } from '../range.ts'
import { InTurn } from './in-turn.ts'
import {
  bitsOfLanes,
  isTaken,
  needBit,
  noJob,
  piecesOn,
  SharedLanes,
  type Machine,
  type NeedBits,
} from './shared-lanes.ts'

/** A stretch of a lane, in seconds from when the plan was made. */
export interface Stretch {
  /** Counted from 0. */
  lane: number
  start: Range
  end: Range
}

/** A job's place in the plan: when it begins on the first of its lanes and ends on the last, in seconds from when the plan was made. */
export interface PlannedJob {
  id: number
  start: Range
  end: Range
  /** One for each lane that makes a part of it. */
  stretches: readonly Stretch[]
}

/** A job to be planned. */
export interface LaneWork {
  id: number
  /** What it takes one lane that has its machine to itself. */
  seconds: Range
  /** What its time's error has in common with others'. */
  shared?: SharedError | null
  /** Cores that it keeps busy then; absent where nobody knows. */
  busyCores?: number | undefined
  /** Pieces that it can be divided into, for several lanes to work at it; 1 unless said. */
  pieces?: number
  /** The codec that a graphics device must encode, where one does. */
  need?: HardwareCodec | undefined
  /** When it is here, in open seconds from now: it is not begun before. From now on unless said. */
  hereFrom?: number
}

/** What a lane does: all before its present job, and what it makes of that. */
interface Lane {
  /** Since when it did not wait for anything that came, by the clock. */
  base: Range
  /** Done since then. */
  before: RangeSum
  /** By its place in the order in which jobs were given; `noJob` before the first. */
  number: number
  job: LaneWork | null
  pieces: number
  /** Pieces that the job is divided into in all. */
  of: number
  /** When it began with that job. */
  start: Range
  /** When the last piece so far ends, by the clock. */
  freeAt: number
}

const atOnce: Range = { expected: 0, low: 0, high: 0 }

/**
 * When each job begins and ends, jobs taken in order by the first lane that is free, those that can be divided by several, and slower where lanes want more cores
 * than there are (see `SharedLanes`). What is not here yet is begun when it is. Ranges along a lane add as those of a batch do: independent errors in quadrature,
 * those of a group and the machine's own in proportion; as parts of an end they stay as they are where lanes slow each other.
 */
export class Lanes {
  private readonly machine: SharedLanes
  private readonly held: Lane[]
  private readonly jobs: LaneWork[] = []
  private readonly stretches: Stretch[][] = []
  private readonly inTurn: InTurn
  private readonly bits: readonly NeedBits[]
  private readonly untilOf: number[] = []
  private undisturbed = 0
  private passed = 0

  /** @param machine with one lane at least, and the cores that they share */
  constructor(private readonly of: Machine) {
    const { lanes, cores } = of
    const count = Math.max(1, lanes)
    this.bits = bitsOfLanes({ ...of, lanes: count })
    this.machine = new SharedLanes(new Array<number>(count).fill(0), cores)
    this.held = Array.from({ length: count }, () => ({
      ...{ base: atOnce, before: new RangeSum(sharedTimePart), number: noJob, job: null, pieces: 0, of: 1 },
      ...{ start: atOnce, freeAt: 0 },
    }))
    this.inTurn = new InTurn(
      this.machine,
      (number, pieces) => this.beginPieces(number, pieces),
      () => this.noteFree(),
      this.bits,
    )
  }

  /** Gives the next job its place. @returns false where no lane takes it, and nothing was done */
  place(job: LaneWork): boolean {
    if (!isTaken(this.of, job.need)) return false
    const number = this.jobs.push(job) - 1
    this.stretches.push([])
    this.untilOf.push(0)
    this.inTurn.take({
      ...{ job: number, hereFrom: job.hereFrom ?? 0 },
      ...{ pieces: this.piecesOf(job), need: needBit(job.need) },
    })
    return true
  }

  private piecesOf({ pieces = 1, need }: LaneWork): number {
    return piecesOn(this.bits, pieces, needBit(need))
  }

  private beginPieces(number: number, count: number): void {
    const job = this.jobs[number]!
    const pieces = this.piecesOf(job)
    const seconds = job.seconds.expected / pieces
    for (let piece = 0; piece < count; piece++) {
      if (this.machine.goOn() !== noJob) this.noteFree()
      this.begin(number, pieces)
      this.machine.begin(number, seconds, job.busyCores ?? 0)
      this.untilOf[number] = this.machine.now + seconds
    }
  }

  /** Until when each job is made, in seconds of work that nothing slows; nothing of those that are not begun. */
  get until(): readonly number[] {
    if (this.inTurn.isMixed) this.inTurn.finish()
    return this.untilOf
  }

  /** A piece ended on the lane that is free now. */
  private noteFree(): void {
    this.held[this.machine.lane]!.freeAt = this.machine.clock
  }

  /** Until when each lane is taken, in seconds of work that nothing slows, for how long of it by its last job, and how many cores that keeps busy. */
  get taken(): { until: number; lastSeconds: number; busyCores: number }[] {
    if (this.inTurn.isMixed) this.inTurn.finish()
    return this.held.map(({ before, job, pieces, of }) => {
      const lastSeconds = job ? (job.seconds.expected * pieces) / of : 0
      return { until: before.total + lastSeconds, lastSeconds, busyCores: job?.busyCores ?? 0 }
    })
  }

  /** Lets all jobs end. @returns their places; nothing can be placed after */
  finish(): PlannedJob[] {
    this.inTurn.finish()
    for (const _ of this.held) {
      if (this.machine.goOn() !== noJob) this.noteFree()
      this.end(this.machine.lane)
      this.machine.close()
    }
    return this.jobs.map(({ id }, number) => {
      const stretches = this.stretches[number]!
      const last = stretches.reduce((late, stretch) => (stretch.end.expected > late.end.expected ? stretch : late))
      const first = stretches.reduce((soon, stretch) => (stretch.start.expected < soon.start.expected ? stretch : soon))
      return { id, start: first.start, end: last.end, stretches }
    })
  }

  /** How many times as long as on a machine of its own the work takes, on the whole. */
  get slowing(): number {
    // Sums of many times differ in their last digits.
    return this.undisturbed > 0 ? Math.max(1, this.passed / this.undisturbed) : 1
  }

  /** Begins a piece of a job on the lane that is free. */
  private begin(number: number, of: number): void {
    const lane = this.held[this.machine.lane]!
    if (lane.number !== number) {
      this.end(this.machine.lane)
      if (lane.job) lane.before.add(scaled(lane.job.seconds, lane.pieces / lane.of), lane.job.shared)
      const job = this.jobs[number]!
      Object.assign(lane, { number, job, pieces: 0, of })
      const free = this.timeOf(lane)
      const hasRested = this.machine.clock > lane.freeAt
      const from = hasRested ? this.machine.clock : (job.hereFrom ?? 0)
      lane.start = notBefore(free, from)
      // Whatever was done before an arrival is over by then, or puts off what comes after it.
      if (free.low < from) Object.assign(lane, { base: lane.start, before: new RangeSum(sharedTimePart) })
    }
    lane.pieces++
  }

  /** Notes what a lane that is free made of the job that it had. */
  private end(number: number): void {
    const lane = this.held[number]!
    const { job, pieces, of, start } = lane
    if (!job) return
    const end = this.timeOf(lane)
    this.stretches[lane.number]!.push({ lane: number, start, end })
    this.undisturbed += (job.seconds.expected * pieces) / of
    this.passed += end.expected - start.expected
  }

  /** When the lane is free, by the clock: as unsure as all that it did. */
  private timeOf({ base, before, job, pieces, of, freeAt }: Lane): Range {
    const done =
      job && pieces > 0 ? before.rangeWith(scaled(job.seconds, pieces / of), job.shared ?? null) : before.range()
    const passed = freeAt - base.expected
    return done.expected > 0
      ? after(base, scaled(done, passed / done.expected))
      : after(base, { expected: passed, low: passed, high: passed })
  }
}

/** A moment so long after another. */
function after(moment: Range, seconds: Range): Range {
  return {
    expected: moment.expected + seconds.expected,
    low: moment.low + seconds.low,
    high: moment.high + seconds.high,
  }
}

/** A moment that does not come before another. */
function notBefore({ expected, low, high }: Range, moment: number): Range {
  return { expected: Math.max(expected, moment), low: Math.max(low, moment), high: Math.max(high, moment) }
}
