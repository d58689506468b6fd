import { InTurn } from './in-turn.ts'
import { needBit, noJob, piecesOn, SharedLanes, type NeedBits } from './shared-lanes.ts'
import type { OrderOfWork, WorkToOrder } from './work-to-order.ts'

/** What came of a sequence: how late all orders are together, each as often as it counts, when all is done, and the sum of the orders' ends, in seconds. */
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
  readonly lateWeight: Float64Array
  private readonly pieces: Int32Array
  private readonly busyCores: Float64Array
  /** What each lane takes, and each job needs. */
  private readonly takes: readonly NeedBits[]
  private readonly needs: Int32Array
  private readonly hereFrom: Float64Array
  /** Whether all is here and every lane takes it, which is gone through more quickly. */
  private readonly isPlain: boolean
  /** Orders by when what is begun of them ends. */
  private readonly begun: readonly { order: number; moment: number }[]
  private readonly ends: Float64Array
  /** The last job of each order to end, and what came of all, in the sequence tried last. */
  readonly lastOf: Int32Array
  worth: Worth = { late: 0, end: 0, sum: 0 }
  /** Orders of which what is begun has ended, in the sequence tried last. */
  private begunDone = 0

  constructor(readonly work: WorkToOrder) {
    const places = new Map(work.orders.map((order, place) => [order.orderId, place]))
    this.seconds = Float64Array.from(work.jobs, job => job.seconds)
    this.orderOf = Int32Array.from(work.jobs, job => {
      const place = places.get(job.orderId)
      if (place === undefined) throw new Error(`Job ${job.id} belongs to no order of the plan.`)
      return place
    })
    this.due = Float64Array.from(work.orders, order => order.dueSeconds ?? Number.POSITIVE_INFINITY)
    this.lateWeight = Float64Array.from(work.orders, order => order.lateWeight ?? 1)
    this.takes = work.takes ?? work.lanes.map(() => needBit(null))
    this.needs = Int32Array.from(work.jobs, ({ need }) => needBit(need))
    this.pieces = Int32Array.from(work.jobs, ({ pieces = 1 }, job) => piecesOn(this.takes, pieces, this.needs[job]))
    this.busyCores = Float64Array.from(work.jobs, job => job.busyCores ?? 0)
    this.hereFrom = Float64Array.from(work.jobs, job => job.hereFrom ?? 0)
    this.isPlain = this.hereFrom.every(from => from === 0) && this.takes.every(bits => bits === this.takes[0])
    this.begun = work.orders
      .map(({ begunUntil }, order) => ({ order, moment: begunUntil }))
      .sort((a, b) => a.moment - b.moment)
    this.ends = new Float64Array(work.orders.length)
    this.lastOf = new Int32Array(work.orders.length)
  }

  /** Begins jobs one after the other, as soon as they are here, each on the lane that is free first. */
  try(sequence: Int32Array): Worth {
    const { ends, seconds, pieces, busyCores, due, lateWeight, work } = this
    ends.fill(0)
    this.lastOf.fill(-1)
    this.begunDone = 0
    const lanes = new SharedLanes(work.lanes, work.sharing?.cores, work.sharing?.begun)
    const begin = (job: number, count: number) => {
      for (let piece = 0; piece < count; piece++) {
        this.note(lanes.goOn(), lanes)
        lanes.begin(job, seconds[job]! / pieces[job]!, busyCores[job]!)
      }
    }
    if (this.isPlain) for (const job of sequence) begin(job, pieces[job]!)
    else {
      const inTurn = new InTurn(lanes, begin, job => this.note(job, lanes), this.takes)
      for (const job of sequence)
        inTurn.take({ job, hereFrom: this.hereFrom[job]!, pieces: pieces[job]!, need: this.needs[job]! })
      inTurn.finish()
    }
    for (const _ of work.lanes) {
      this.note(lanes.goOn(), lanes)
      lanes.close()
    }
    while (this.begunDone < this.begun.length) this.noteBegun(lanes)
    let [late, end, sum] = [0, 0, 0]
    for (let order = 0; order < ends.length; order++) {
      // Ends were noted in seconds of work.
      const at = (ends[order] = work.time?.endOf(ends[order]!) ?? ends[order]!)
      late += lateWeight[order]! * Math.max(0, at - due[order]!)
      end = Math.max(end, at)
      sum += at
    }
    this.worth = { late, end, sum }
    return this.worth
  }

  /** Notes when an order's last job so far ends, as lanes go on. */
  private note(ended: number, lanes: SharedLanes): void {
    while (this.begunDone < this.begun.length && this.begun[this.begunDone]!.moment <= lanes.now) this.noteBegun(lanes)
    if (ended === noJob) return
    const order = this.orderOf[ended]!
    this.ends[order] = lanes.clock
    this.lastOf[order] = ended
  }

  private noteBegun(lanes: SharedLanes): void {
    const { order, moment } = this.begun[this.begunDone++]!
    this.ends[order] = lanes.clockAt(moment)
    this.lastOf[order] = -1
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
