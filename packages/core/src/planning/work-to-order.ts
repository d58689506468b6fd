import type { HardwareCodec } from '../codecs/hardware/index.ts'
import type { OpenTime } from '../hours/open-time.ts'
import type { NeedBits } from './shared-lanes.ts'

/** A waiting job as far as the order of work is concerned. */
export interface Waiting {
  id: number
  orderId: number
  /** Of device time. */
  seconds: number
  /** Cores that it keeps busy; none where nobody knows. */
  busyCores?: number | undefined
  /** Pieces that it can be divided into; 1 unless said. */
  pieces?: number | undefined
  /** The codec that a graphics device must encode, where one does. */
  need?: HardwareCodec | undefined
  /** When it is here, in open seconds; from now on unless said. */
  hereFrom?: number | undefined
}

/** An order of work: seconds from now by the clock until it is due, null where nobody waits for it, and seconds of work until what is begun of it ends. */
export interface DueOrder {
  orderId: number
  dueSeconds: number | null
  begunUntil: number
  /** How often its lateness counts; once unless said. */
  lateWeight?: number | undefined
}

/** What is to be put in order. */
export interface WorkToOrder {
  /** In the order in which they would be begun now. */
  jobs: readonly Waiting[]
  orders: readonly DueOrder[]
  /** Seconds from now until each lane is free; one at least. */
  lanes: readonly number[]
  /** What each lane takes; every lane every job unless said. */
  takes?: readonly NeedBits[] | undefined
  /**
   * The cores that lanes share, and how many of them each keeps busy until it is free; absent where lanes do not slow each other. Ends of what is begun are told
   * as if they did not.
   */
  sharing?: { cores: number; begun: readonly number[] } | undefined
  /** When jobs are worked on: what is done is told by the clock with it. Any time unless said. */
  time?: OpenTime | undefined
}

/** When an order ends, in seconds from now by the clock, and by how much that is after its due time. */
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
  /** Of all orders together, each as often as it counts, in seconds. */
  late: number
  /** Seconds from now by the clock until all is done. */
  end: number
}

/** The order that was found, beside the one that there was and what none can be better than. */
export interface DuePlan {
  now: OrderOfWork
  found: OrderOfWork
  /** No order of the jobs on these lanes is less late, as orders count, or done sooner than this, in seconds by the clock. */
  bound: { late: number; end: number }
}

/** Lateness and ends are told apart when they differ by more, in seconds. */
export const tolerance = 1e-6
