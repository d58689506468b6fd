import type { Turns } from '../turns.ts'
import { numbersOfChance } from './chance.ts'
import { boundOf } from './due-bound.ts'
import { fewest } from './fewest.ts'
import { needBit, type NeedBits } from './shared-lanes.ts'
import { SequenceTrial, type Worth } from './sequence-trial.ts'
import { tolerance, type DuePlan, type OrderOfWork, type WorkToOrder } from './work-to-order.ts'

/** Jobs that are gone through before others may have their turn. */
const jobsOfTurn = 5000
/** Jobs that are placed in all while a better order is looked for: half a second's work. */
const mostPlaced = 6_000_000

/** Less late first, then done sooner, then each order done sooner. */
function isBetter(a: Worth, b: Worth): boolean {
  if (Math.abs(a.late - b.late) > tolerance) return a.late < b.late
  if (Math.abs(a.end - b.end) > tolerance) return a.end < b.end
  return a.sum < b.sum - tolerance
}

/** The best sequence so far, and how much was tried for it. */
class Search {
  readonly trial: SequenceTrial
  /** Jobs by their place in the work given, in the order in which they are begun. */
  best: { sequence: Int32Array; worth: Worth }
  private placed = 0
  private sinceTurn = 0

  constructor(readonly work: WorkToOrder) {
    this.trial = new SequenceTrial(work)
    const given = Int32Array.from({ length: this.count }, (_, job) => job)
    this.best = { sequence: given, worth: this.trial.try(given) }
  }

  get count(): number {
    return this.work.jobs.length
  }

  get hasTime(): boolean {
    return this.placed + this.count <= mostPlaced
  }

  /** Tries a sequence. @returns whether it is the best so far */
  *consider(sequence: Int32Array): Turns<boolean> {
    this.placed += this.count
    this.sinceTurn += this.count
    if (this.sinceTurn > jobsOfTurn) {
      this.sinceTurn = 0
      yield
    }
    const worth = this.trial.try(sequence)
    if (!isBetter(worth, this.best.worth)) return false
    this.best = { sequence, worth }
    return true
  }
}

/**
 * Looks for an order of waiting jobs in which orders are done by their due times, or as little after them as can be, and of those one that is done soonest.
 * Orders are tried one after the other in sequences that change by one place, the longest job of each first, then single jobs are brought forward, then moved
 * by chance. It is the same for the same work, and never worse than the order that there is.
 *
 * A worker begins the next job on the lane that is free first, so a sequence of jobs says all there is to say; for equal lanes one of these schedules is the
 * best there is (Graham 1969, the argument for list schedules and measures that grow with the ends).
 * @throws Error when a job belongs to no order
 */
export function* planByDueTime(work: WorkToOrder): Turns<DuePlan> {
  const search = new Search(work)
  const now = search.trial.read(search.best.sequence)
  const bound = boundOf(work)
  yield* moveOrders(search)
  yield* bringForward(search)
  yield* moveByChance(search, bound)
  return { now, found: search.trial.read(search.best.sequence), bound }
}

/** Whole orders one after the other, each to every other place for as long as that helps, with the longest jobs of each first; and the longest of all first. */
function* moveOrders(search: Search): Turns<void> {
  const { trial, work, count } = search
  const byLength = Int32Array.from({ length: count }, (_, job) => job).sort(
    (a, b) => trial.seconds[b]! - trial.seconds[a]! || a - b,
  )
  const jobsOf = work.orders.map((_, order) => byLength.filter(job => trial.orderOf[job] === order))
  const sizes = jobsOf.map(jobs => jobs.reduce((sum, job) => sum + trial.seconds[job]!, 0))
  const inSequence = (orders: readonly number[]) => {
    const sequence = new Int32Array(count)
    let at = 0
    for (const order of orders) {
      sequence.set(jobsOf[order]!, at)
      at += jobsOf[order]!.length
    }
    return sequence
  }
  // What is late whatever is done is least late so, as it counts (Smith 1956).
  const smallness = (order: number) => sizes[order]! / trial.lateWeight[order]!
  const bySize = [...jobsOf.keys()]
    .filter(order => jobsOf[order]!.length > 0)
    .sort((a, b) => smallness(a) - smallness(b) || a - b)
  // Two that are never due differ by what is no number: their sizes count.
  const byDue = bySize.toSorted((a, b) => trial.due[a]! - trial.due[b]! || 0)
  let orders = byDue
  for (const start of [byDue, bySize]) if (yield* search.consider(inSequence(start))) orders = start
  yield* search.consider(byLength)
  for (let helps = true; helps && search.hasTime;) {
    helps = false
    for (let from = 0; from < orders.length && search.hasTime; from++)
      for (let to = 0; to < orders.length && search.hasTime; to++) {
        if (to === from) continue
        const others = orders.toSpliced(from, 1).toSpliced(to, 0, orders[from]!)
        if (!(yield* search.consider(inSequence(others)))) continue
        orders = others
        helps = true
      }
  }
}

/** The job that an order ends with, the latest order's first, further and further to the front. */
function* bringForward(search: Search): Turns<void> {
  const { trial, work } = search
  for (let helps = true; helps && search.hasTime;) {
    helps = false
    trial.try(search.best.sequence)
    const lasts = work.orders
      .map((_, order) => ({ job: trial.lastOf[order]!, late: trial.lateWeight[order]! * trial.lateOf(order) }))
      .filter(({ job }) => job >= 0)
      .sort((a, b) => b.late - a.late)
    for (const { job } of lasts) {
      const place = search.best.sequence.indexOf(job)
      for (let step = 1; step <= place && search.hasTime && !helps; step *= 2)
        helps = yield* search.consider(moved(search.best.sequence, place, place - step))
      if (helps) break
    }
  }
}

/** Moves of chance at most, and how many ago the one is that a move must be better than. */
const mostMoves = 20_000
const movesAgo = 60
/** An end is as good as the bound when it is less than so many times as late. */
const nearEnough = 1.0005

/**
 * Single jobs to any other place, of which those moves count that are better than some moves ago: late acceptance (Burke and Bykov 2017) gets out of what no
 * one move betters.
 */
function* moveByChance(search: Search, bound: DuePlan['bound']): Turns<void> {
  const { trial, count } = search
  const isBest = () =>
    search.best.worth.late <= bound.late + tolerance && search.best.worth.end <= bound.end * nearEnough
  const random = numbersOfChance()
  const remembered = new Array<number>(movesAgo).fill(valueOf(search.best.worth))
  let current = { sequence: search.best.sequence, value: valueOf(search.best.worth) }
  for (let move = 0; count > 1 && move < mostMoves && search.hasTime && !isBest(); move++) {
    const sequence = moved(current.sequence, Math.floor(random() * count), Math.floor(random() * count))
    yield* search.consider(sequence)
    const value = valueOf(trial.worth)
    const place = move % movesAgo
    if (value <= remembered[place]! || value <= current.value) current = { sequence, value }
    remembered[place] = current.value
  }
}

/** One number for what an order is worth, for moves of chance: lateness before all else. */
function valueOf({ late, end, sum }: Worth): number {
  return late + end * 1e-2 + sum * 1e-5
}

/** The sequence with one job at another place. */
function moved(sequence: Int32Array, from: number, to: number): Int32Array {
  const result = Int32Array.from(sequence)
  const job = result[from]!
  if (to < from) result.copyWithin(to + 1, to, from)
  else result.copyWithin(from, from + 1, to + 1)
  result[to] = job
  return result
}

/** Lanes beyond those that jobs have one by one, where these can be divided. */
const mostForPieces = 1000

/**
 * Lanes more than which gain nothing: with one for each piece every job takes as little as it can, and where cores are shared, those beyond what keeps all of them
 * busy only take them from each other.
 */
function mostUseful({ jobs, sharing }: WorkToOrder): number {
  const pieces = jobs.reduce((sum, { pieces = 1 }) => sum + pieces, 0)
  const most = Math.max(jobs.length, Math.min(mostForPieces, pieces))
  if (!sharing) return most
  const least = jobs.reduce((least, { busyCores = 0 }) => Math.min(least, busyCores), Number.POSITIVE_INFINITY)
  return least > 0 ? Math.min(most, Math.ceil(sharing.cores / least)) : most
}

/**
 * How many lanes more, free at once and as quick as the others, bring every order in by its due time.
 * @returns 0 where none is late as it is found without; null where no number does: what is begun, or one job alone, takes too long
 */
export function* lanesToBeInTime(work: WorkToOrder, found: OrderOfWork): Turns<number | null> {
  if (found.late <= tolerance) return 0
  const withLanes = (more: number): WorkToOrder => ({
    ...work,
    lanes: [...work.lanes, ...new Array<number>(more).fill(0)],
    ...(work.takes ? { takes: [...work.takes, ...new Array<NeedBits>(more).fill(needBit(null))] } : {}),
  })
  const isInTime = function* (more: number): Turns<boolean> {
    const wanted = withLanes(more)
    // Most numbers are told apart without looking for anything.
    return boundOf(wanted).late <= tolerance && (yield* planByDueTime(wanted)).found.late <= tolerance
  }
  return yield* fewest(mostUseful(work), isInTime, work.sharing !== undefined)
}
