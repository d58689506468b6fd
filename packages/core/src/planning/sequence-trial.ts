import type { OrderOfWork, WorkToOrder } from './work-to-order.ts'

/** Lanes by when they are free, the first one on top: a binary heap. */
export class FreeLanes {
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

/** What came of a sequence: how late all orders are together, when all is done, and the sum of the orders' ends, in seconds. */
export interface Worth {
  late: number
  end: number
  sum: number
}

/** Orders by their place in the list given, and jobs by that of their order: what trying many sequences is quick with. */
export class SequenceTrial {
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

  /** Begins jobs one after the other, each on the lane that is free first. */
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
