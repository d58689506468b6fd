import { OpenTime } from '../hours/open-time.ts'
import type { Range } from '../range.ts'
import type { OrderRecord } from '../records.ts'
import { byClock } from './by-clock.ts'
import { Lanes, type LaneWork, type PlannedJob } from './lanes.ts'
import { bitsOfLanes, isTaken, type Machine } from './shared-lanes.ts'
import type { WorkToOrder } from './work-to-order.ts'

/** Orders by number, with the seconds from now until they are due, null where nobody waits, and how often their lateness counts: once unless said. */
export type DueSeconds = readonly (readonly [orderId: number, seconds: number | null, lateWeight?: number])[]

/** When orders end, as their jobs are placed one after the other: by the clock, which goes on while jobs rest. */
export class EndsOfOrders {
  private readonly lanes: Lanes
  private readonly orderOf: number[] = []
  readonly time: OpenTime

  /** @param at the moment that seconds count from */
  constructor(
    private readonly machine: Machine,
    at: Date,
  ) {
    this.lanes = new Lanes(machine)
    this.time = new OpenTime(at, machine.hours)
  }

  /** Gives a job its place; none, where nothing is known of it, or no lane takes it. */
  place(orderId: number, work: LaneWork | null): void {
    if (work && this.lanes.place(work)) this.orderOf.push(orderId)
  }

  /** Lets all jobs end, and holds the ends of orders against due times. Nothing can be placed after. */
  against(due: DueSeconds) {
    const places = this.lanes.finish().map(place => byClock(place, this.time))
    const last = new Map<number, Range>()
    for (const [number, { end }] of places.entries()) {
      const orderId = this.orderOf[number]!
      const before = last.get(orderId)
      if (!before || end.expected > before.expected) last.set(orderId, end)
    }
    const late = new Map(
      due.map(([id, seconds]) => {
        const end = last.get(id)
        return [id, end && seconds !== null ? Math.max(0, end.expected - seconds) : 0]
      }),
    )
    let latest: Range | null = null
    for (const end of last.values()) if (!latest || end.expected > latest.expected) latest = end
    return {
      /** By job. */
      places: new Map<number, PlannedJob>(places.map(place => [place.id, place])),
      slowing: this.lanes.slowing,
      /** Most that the lateness of a late order counts. */
      heaviest: due.reduce(
        (most, [id, , lateWeight = 1]) => (late.get(id)! > 0 ? Math.max(most, lateWeight) : most),
        1,
      ),
      of: (id: number) => ({ end: last.get(id) ?? null, lateSeconds: late.get(id) ?? 0 }),
      all: {
        end: latest,
        lateSeconds: due.reduce((sum, [id]) => sum + late.get(id)!, 0),
        countedSeconds: due.reduce((sum, [id, , lateWeight = 1]) => sum + lateWeight * late.get(id)!, 0),
      },
    }
  }

  /** Jobs that come after what was placed so far, to be put in order. @param jobs in the order in which they are begun */
  before(jobs: WorkToOrder['jobs'], due: DueSeconds): WorkToOrder {
    const { cores, groups } = this.machine
    const { taken, until } = this.lanes
    const begunUntil = new Map<number, number>()
    for (const [number, orderId] of this.orderOf.entries())
      begunUntil.set(orderId, Math.max(begunUntil.get(orderId) ?? 0, until[number]!))
    return {
      lanes: taken.map(({ until }) => until),
      ...(cores === null ? {} : { sharing: { cores, begun: taken.map(({ busyCores }) => busyCores) } }),
      ...(groups ? { takes: bitsOfLanes({ groups, lanes: taken.length }) } : {}),
      // What no lane takes is never begun.
      jobs: jobs.filter(({ need }) => isTaken(this.machine, need)),
      time: this.time,
      orders: due.map(([orderId, dueSeconds, lateWeight]) => ({
        orderId,
        dueSeconds,
        lateWeight,
        begunUntil: begunUntil.get(orderId) ?? 0,
      })),
    }
  }
}

/** Less lateness than this is not worth a change, in seconds and as a part of what is late. */
export const worthSeconds = 60
const worthPart = 0.02

/**
 * Whether less lateness is worth a change.
 * @param gain in seconds, as orders count
 * @param before what is late before it
 */
export function isWorth(gain: number, before: Pick<ReturnType<EndsOfOrders['against']>, 'all' | 'heaviest'>): boolean {
  return gain > Math.max(worthSeconds * before.heaviest, worthPart * before.all.countedSeconds)
}

/** An order as it is held against its due time at a moment. */
export function dueOf({ id, dueAt, lateWeight }: Pick<OrderRecord, 'id' | 'dueAt' | 'lateWeight'>, at: Date) {
  return [id, secondsUntil(dueAt, at), lateWeight] as const
}

/** Seconds from a moment until a due time. @param dueAt ISO 8601 */
export function secondsUntil(dueAt: string | null, at: Date): number | null {
  return dueAt === null ? null : (new Date(dueAt).getTime() - at.getTime()) / 1000
}

/**
 * Jobs in an order that was found for those of which something is known; the others stay behind those that they wait behind now.
 * @param ids of those that are known, in the order found
 */
export function withUnknown<Job extends { id: number }>(waiting: readonly Job[], ids: readonly number[]): Job[] {
  const known = new Map<number, Job | null>(ids.map(id => [id, null]))
  const behind = new Map<number | null, Job[]>([[null, []]])
  let before: number | null = null
  for (const job of waiting) {
    if (known.has(job.id)) {
      known.set(job.id, job)
      before = job.id
      behind.set(before, [])
    } else behind.get(before)!.push(job)
  }
  return [...behind.get(null)!, ...ids.flatMap(id => [known.get(id)!, ...behind.get(id)!])]
}
