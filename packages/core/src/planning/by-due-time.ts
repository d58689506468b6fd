import type { Turns } from '../turns.ts'
import { boundOf } from './due-bound.ts'
import { SequenceTrial, type Worth } from './sequence-trial.ts'
import { tolerance, type DuePlan, type OrderOfWork, type WorkToOrder } from './work-to-order.ts'

/** Jobs that are gone through before others may have their turn. */
const jobsOfTurn = 5000
/** Jobs that are placed in all while a better order is looked for: about a second's work. */
const mostPlaced = 6_000_000

/** Less late first, then done sooner, then each order done sooner. */
function isBetter(a: Worth, b: Worth): boolean {
  if (Math.abs(a.late - b.late) > tolerance) return a.late < b.late
  if (Math.abs(a.end - b.end) > tolerance) return a.end < b.end
  return a.sum < b.sum - tolerance
}

/**
 * Looks for an order of waiting jobs in which orders are done by their due times, or as little after them as can be, and of those one that is done soonest.
 * Orders are tried one after the other in sequences that change by one place, the longest job of each first, then single jobs are brought forward, then moved
 * by chance. It is the same for the same work, and never worse than the order that there is.
 *
 * A job that is begun on the lane that is free first is how the worker begins them, so every order of jobs that can be had is one that is tried here;
 * for equal lanes one of them is the best there is (Graham 1969, the argument for list schedules and measures that grow with the ends).
 * @throws Error when a job belongs to no order
 */
export function* planByDueTime(work: WorkToOrder): Turns<DuePlan> {
  const trial = new SequenceTrial(work)
  const count = work.jobs.length
  let [placed, sinceTurn] = [0, 0]
  const given = Int32Array.from({ length: count }, (_, job) => job)
  let best: { sequence: Int32Array; worth: Worth } = { sequence: given, worth: trial.try(given) }
  const now = trial.read(given)
  function* consider(sequence: Int32Array): Turns<boolean> {
    placed += count
    sinceTurn += count
    if (sinceTurn > jobsOfTurn) {
      sinceTurn = 0
      yield
    }
    const worth = trial.try(sequence)
    if (!isBetter(worth, best.worth)) return false
    best = { sequence, worth }
    return true
  }
  const hasTime = () => placed + count <= mostPlaced

  const byOrder = work.orders.map((_, order) =>
    given.filter(job => trial.orderOf[job] === order).sort((a, b) => trial.seconds[b]! - trial.seconds[a]! || a - b),
  )
  const inSequence = (orders: readonly number[]) => {
    const sequence = new Int32Array(count)
    let at = 0
    for (const order of orders) {
      sequence.set(byOrder[order]!, at)
      at += byOrder[order]!.length
    }
    return sequence
  }
  const working = work.orders.flatMap((_, order) => (byOrder[order]!.length > 0 ? [order] : []))
  const sizeOf = (order: number) => byOrder[order]!.reduce((sum, job) => sum + trial.seconds[job]!, 0)
  const sizes = work.orders.map((_, order) => sizeOf(order))
  const starts = [
    [...working].sort((a, b) => trial.due[a]! - trial.due[b]! || sizes[a]! - sizes[b]! || a - b),
    [...working].sort((a, b) => sizes[a]! - sizes[b]! || a - b),
  ]
  let orders = starts[0]!
  for (const start of starts) if (yield* consider(inSequence(start))) orders = start
  yield* consider(given.toSorted((a, b) => trial.seconds[b]! - trial.seconds[a]! || a - b))

  // One order after the other to every other place, for as long as that helps.
  for (let helps = true; helps && hasTime();) {
    helps = false
    for (let from = 0; from < orders.length && hasTime(); from++)
      for (let to = 0; to < orders.length && hasTime(); to++) {
        if (to === from) continue
        const others = orders.toSpliced(from, 1).toSpliced(to, 0, orders[from]!)
        if (!(yield* consider(inSequence(others)))) continue
        orders = others
        helps = true
      }
  }

  // The job that an order ends with, further and further to the front.
  for (let helps = true; helps && hasTime();) {
    helps = false
    trial.try(best.sequence)
    const lasts = working
      .map(order => ({ job: trial.lastOf[order]!, late: trial.lateOf(order) }))
      .filter(({ job }) => job >= 0)
      .sort((a, b) => b.late - a.late)
    for (const { job } of lasts) {
      const place = best.sequence.indexOf(job)
      for (let step = 1; step <= place && hasTime() && !helps; step *= 2)
        helps = yield* consider(moved(best.sequence, place, place - step))
      if (helps) break
    }
  }

  // Then moves of chance, of which those count that are better than some moves ago: late acceptance (Burke and Bykov 2017) gets out of what no one move betters.
  const bound = boundOf(work)
  const isBest = () => best.worth.late <= bound.late + tolerance && best.worth.end <= bound.end * nearEnough
  const random = numbersOfChance()
  const remembered = new Array<number>(movesAgo).fill(valueOf(best.worth))
  let current: { sequence: Int32Array; value: number } = { sequence: best.sequence, value: valueOf(best.worth) }
  for (let move = 0; count > 1 && move < mostMoves && hasTime() && !isBest(); move++) {
    const [from, to] = [Math.floor(random() * count), Math.floor(random() * count)]
    const sequence = moved(current.sequence, from, to)
    yield* consider(sequence)
    const value = valueOf(trial.worth)
    const place = move % movesAgo
    if (value <= remembered[place]! || value <= current.value) current = { sequence, value }
    remembered[place] = current.value
  }
  return { now, found: trial.read(best.sequence), bound }
}

/** Moves of chance at most, and how many ago the one is that a move must be better than. */
const mostMoves = 20_000
const movesAgo = 60
/** An end is as good as the bound when it is less than so many times as late. */
const nearEnough = 1.0005

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

/** Numbers between 0 and 1, the same for every plan (Marsaglia 2003, xorshift of 32 bits). */
function numbersOfChance(): () => number {
  let state = 2_463_534_242
  return () => {
    state ^= state << 13
    state ^= state >>> 17
    state ^= state << 5
    return (state >>> 0) / 2 ** 32
  }
}

/** Lanes that are added at most to see whether more would do. */
const mostLanes = 64

/**
 * How many lanes more, free at once and as quick as the others, bring every order in by its due time.
 * @returns 0 where none is late as it is found without; null where so many more as are tried do not do
 */
export function* lanesToBeInTime(work: WorkToOrder, found: OrderOfWork): Turns<number | null> {
  const isInTime = function* (more: number): Turns<boolean> {
    const lanes = [...work.lanes, ...Array.from({ length: more }, () => 0)]
    // Most numbers are told apart without looking for anything.
    if (boundOf({ ...work, lanes }).late > tolerance) return false
    return (yield* planByDueTime({ ...work, lanes })).found.late <= tolerance
  }
  if (found.late <= tolerance) return 0
  let [no, yes] = [0, 1]
  while (!(yield* isInTime(yes))) {
    if (yes >= mostLanes) return null
    ;[no, yes] = [yes, Math.min(mostLanes, yes * 2)]
  }
  while (yes - no > 1) {
    const middle = Math.floor((no + yes) / 2)
    if (yield* isInTime(middle)) yes = middle
    else no = middle
  }
  return yes
}
