import type { Turns } from '../turns.ts'

/** A waiting job as far as the order of work is concerned. */
export interface Waiting {
  id: number
  orderId: number
  /** Of device time. */
  seconds: number
}

/** An order of work: seconds from now until it is due, null where nobody waits for it, and until what is begun of it ends. */
export interface DueOrder {
  orderId: number
  dueSeconds: number | null
  begunUntil: number
}

/** What is to be put in order. */
export interface WorkToOrder {
  /** In the order in which they would be begun now. */
  jobs: readonly Waiting[]
  orders: readonly DueOrder[]
  /** Seconds from now until each lane is free; one at least. */
  lanes: readonly number[]
}

/** When an order ends, in seconds from now, and by how much that is after its due time. */
export interface OrderEnd {
  orderId: number
  end: number
  late: number
}

/** An order of the jobs and what it comes to. */
export interface OrderOfWork {
  /** Jobs by number, in the order in which they are begun. */
  ids: number[]
  orders: OrderEnd[]
  /** Of all orders together, in seconds. */
  late: number
  /** Seconds from now until all is done. */
  end: number
}

/** The order that was found, beside the one that there was and what none can be better than. */
export interface DuePlan {
  now: OrderOfWork
  found: OrderOfWork
  /** No order of the jobs on these lanes is less late, or done sooner, than this, in seconds. */
  bound: { late: number; end: number }
}

/** Lanes by when they are free, the first one on top: a binary heap. */
class FreeLanes {
  private readonly times: Float64Array

  constructor(lanes: readonly number[]) {
    // A sorted list is a heap.
    this.times = Float64Array.from(lanes).sort()
  }

  /** Begins a job on the lane that is free first. @returns when it ends */
  take(seconds: number): number {
    const { times } = this
    const end = times[0]! + seconds
    let at = 0
    for (;;) {
      let next = 2 * at + 1
      if (next >= times.length) break
      if (next + 1 < times.length && times[next + 1]! < times[next]!) next++
      if (times[next]! >= end) break
      times[at] = times[next]!
      at = next
    }
    times[at] = end
    return end
  }
}

/** Jobs that are gone through before others may have their turn. */
const jobsOfTurn = 5000
/** Jobs that are placed in all while a better order is looked for: about a second's work. */
const mostPlaced = 6_000_000
/** Lateness and ends are told apart when they differ by more, in seconds. */
const tolerance = 1e-6

/** Orders by their place in the list given, and jobs by that of their order: what trying many sequences is quick with. */
class Bench {
  readonly seconds: Float64Array
  readonly orderOf: Int32Array
  readonly due: Float64Array
  readonly begun: Float64Array
  private readonly ends: Float64Array
  /** The last job of each order to end, and what came of all, in the sequence tried last. */
  readonly lastOf: Int32Array
  worth: Worth = { late: 0, end: 0, sum: 0 }

  constructor(readonly work: WorkToOrder) {
    const places = new Map(work.orders.map((order, place) => [order.orderId, place]))
    this.seconds = Float64Array.from(work.jobs, job => job.seconds)
    this.orderOf = Int32Array.from(work.jobs, job => {
      const place = places.get(job.orderId)
      if (place === undefined) throw new Error(`Job ${job.id} belongs to no order of the plan.`)
      return place
    })
    this.due = Float64Array.from(work.orders, order => order.dueSeconds ?? Number.POSITIVE_INFINITY)
    this.begun = Float64Array.from(work.orders, order => order.begunUntil)
    this.ends = new Float64Array(work.orders.length)
    this.lastOf = new Int32Array(work.orders.length)
  }

  /** Begins jobs one after the other, each on the lane that is free first. @returns how late all orders are together, when all is done, and the sum of the ends */
  try(sequence: Int32Array): Worth {
    const { ends, seconds, orderOf, due, lastOf } = this
    ends.set(this.begun)
    lastOf.fill(-1)
    const lanes = new FreeLanes(this.work.lanes)
    for (const job of sequence) {
      const end = lanes.take(seconds[job]!)
      const order = orderOf[job]!
      if (end >= ends[order]!) {
        ends[order] = end
        lastOf[order] = job
      }
    }
    let [late, end, sum] = [0, 0, 0]
    for (let order = 0; order < ends.length; order++) {
      const at = ends[order]!
      late += Math.max(0, at - due[order]!)
      end = Math.max(end, at)
      sum += at
    }
    this.worth = { late, end, sum }
    return this.worth
  }

  /** Whether the order is later than due, in the sequence tried last; the seconds. */
  lateOf(order: number): number {
    return Math.max(0, this.ends[order]! - this.due[order]!)
  }

  read(sequence: Int32Array): OrderOfWork {
    const { late, end } = this.try(sequence)
    const { jobs, orders } = this.work
    return {
      ids: Array.from(sequence, job => jobs[job]!.id),
      orders: orders.map(({ orderId }, place) => ({ orderId, end: this.ends[place]!, late: this.lateOf(place) })),
      late,
      end,
    }
  }
}

interface Worth {
  late: number
  end: number
  sum: number
}

/** Less late first, then done sooner, then each order done sooner. */
function isBetter(a: Worth, b: Worth): boolean {
  if (Math.abs(a.late - b.late) > tolerance) return a.late < b.late
  if (Math.abs(a.end - b.end) > tolerance) return a.end < b.end
  return a.sum < b.sum - tolerance
}

/**
 * Looks for an order of waiting jobs in which orders are done by their due times, or as little after them as can be, and of those one that is done soonest.
 * Orders are tried one after the other in sequences that change by one place, the longest job of each first, then single jobs are brought forward, then moved by chance. It is
 * the same for the same work, and never worse than the order that there is.
 *
 * A job that is begun on the lane that is free first is how the worker begins them, so every order of jobs that can be had is one that is tried here;
 * for equal lanes one of them is the best there is (Graham 1969, the argument for list schedules and measures that grow with the ends).
 * @throws Error when a job belongs to no order
 */
export function* planByDueTime(work: WorkToOrder): Turns<DuePlan> {
  const bench = new Bench(work)
  const count = work.jobs.length
  let [placed, sinceTurn] = [0, 0]
  const given = Int32Array.from({ length: count }, (_, job) => job)
  let best: { sequence: Int32Array; worth: Worth } = { sequence: given, worth: bench.try(given) }
  const now = bench.read(given)
  function* consider(sequence: Int32Array): Turns<boolean> {
    placed += count
    sinceTurn += count
    if (sinceTurn > jobsOfTurn) {
      sinceTurn = 0
      yield
    }
    const worth = bench.try(sequence)
    if (!isBetter(worth, best.worth)) return false
    best = { sequence, worth }
    return true
  }
  const hasTime = () => placed + count <= mostPlaced

  const byOrder = work.orders.map((_, order) =>
    given.filter(job => bench.orderOf[job] === order).sort((a, b) => bench.seconds[b]! - bench.seconds[a]! || a - b),
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
  const sizeOf = (order: number) => byOrder[order]!.reduce((sum, job) => sum + bench.seconds[job]!, 0)
  const sizes = work.orders.map((_, order) => sizeOf(order))
  const starts = [
    [...working].sort((a, b) => bench.due[a]! - bench.due[b]! || sizes[a]! - sizes[b]! || a - b),
    [...working].sort((a, b) => sizes[a]! - sizes[b]! || a - b),
  ]
  let orders = starts[0]!
  for (const start of starts) if (yield* consider(inSequence(start))) orders = start
  yield* consider(given.toSorted((a, b) => bench.seconds[b]! - bench.seconds[a]! || a - b))

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
    bench.try(best.sequence)
    const lasts = working
      .map(order => ({ job: bench.lastOf[order]!, late: bench.lateOf(order) }))
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
    const value = valueOf(bench.worth)
    const place = move % movesAgo
    if (value <= remembered[place]! || value <= current.value) current = { sequence, value }
    remembered[place] = current.value
  }
  return { now, found: bench.read(best.sequence), bound }
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

/**
 * What no order of the jobs can be better than. Jobs are taken for work that can be divided among lanes at will: the orders that end first, whichever they are,
 * have at least as much work in them as the smallest of all, so their ends, sorted, are no sooner than those of the smallest one after the other; and sums
 * of lateness are least where sooner ends meet sooner due times. An order ends no sooner than its longest job, begun first.
 */
function boundOf({ jobs, orders, lanes }: WorkToOrder): DuePlan['bound'] {
  const free = [...lanes].sort((a, b) => a - b)
  /** When so much work can be done if every lane works without a pause. */
  const doneBy = (work: number) => {
    let [left, before] = [work, free[0]!]
    for (const [working, at] of free.entries()) {
      const possible = working * (at - before)
      if (possible >= left && working > 0) return before + left / working
      left -= possible
      before = at
    }
    return before + left / free.length
  }
  const sums = new Map<number, { work: number; longest: number }>()
  for (const { orderId, seconds } of jobs) {
    const sum = sums.get(orderId) ?? { work: 0, longest: 0 }
    sums.set(orderId, { work: sum.work + seconds, longest: Math.max(sum.longest, seconds) })
  }
  const alone = orders.map(({ orderId, begunUntil, dueSeconds }) => {
    const sum = sums.get(orderId)
    const end = sum ? Math.max(begunUntil, free[0]! + sum.longest, doneBy(sum.work)) : begunUntil
    return { end, due: dueSeconds ?? Number.POSITIVE_INFINITY, work: sum?.work ?? 0 }
  })
  const lateAlone = alone.reduce((sum, { end, due }) => sum + Math.max(0, end - due), 0)
  const waiting = alone.filter(({ work }) => work > 0)
  const lateAnyway = alone.reduce((sum, { end, due, work }) => sum + (work > 0 ? 0 : Math.max(0, end - due)), 0)
  const ends = sumsOf(waiting.map(({ work }) => work).sort((a, b) => a - b)).map(doneBy)
  const dues = waiting.map(({ due }) => due).sort((a, b) => a - b)
  const lateTogether = ends.reduce((sum, end, index) => sum + Math.max(0, end - dues[index]!), lateAnyway)
  const all = jobs.reduce((sum, { seconds }) => sum + seconds, 0)
  return {
    late: Math.max(lateAlone, lateTogether),
    end: Math.max(all > 0 ? doneBy(all) : 0, ...alone.map(({ end }) => end)),
  }
}

function sumsOf(values: readonly number[]): number[] {
  let sum = 0
  return values.map(value => (sum += value))
}
