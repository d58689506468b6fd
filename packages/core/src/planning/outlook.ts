import { z } from 'zod'
import { Range, RangeSum } from '../range.ts'
import { LateWeight } from '../records.ts'
import { sharedTimePart } from '../forecast/forecast.ts'
import { each, type Turns } from '../turns.ts'
import { AnnouncedCount, announcedCounts } from './announced-work.ts'
import { barsOf, LaneBar } from './lane-bars.ts'
import type { Entry } from './entry.ts'
import type { LaneWork } from './lanes.ts'
import { rehearse } from './rehearsal.ts'
import { Relief, reliefsOf } from './relief.ts'
import { disksOf } from './disks.ts'
import { knownGround, supposedPlan, type OutlookGround, type SupposedPlan } from './supposed-plan.ts'
import { deviceLanes, laneNames } from './shared-lanes.ts'
import { Sharing, sharingOf } from './sharing.ts'
import { fillingOf, VolumeFilling } from './volume-filling.ts'
import { isSupposing, type WhatIf } from './what-if.ts'

const part = z.number().min(0).max(1)

/** What orders come to: times in seconds from when it was worked out. */
const Prospect = z.object({
  /** Begun, waiting, and drafts where they are in it; and of how many of them nothing is known. */
  jobs: z.int().min(0),
  unknown: z.int().min(0),
  /** Device time still to be spent on what is known. */
  seconds: Range,
  /** When the last of them ends; null where nothing is known. */
  end: Range.nullable(),
  lateSeconds: z.number().min(0),
  /** Part of the rehearsals in which it is done by its due time; null where it is not due or something of it is not known. */
  inTime: part.nullable(),
})

/** What comes of all orders' jobs, as they are or as is supposed. */
export const Outlook = z.object({
  /** ISO 8601 in UTC; seconds count from then. */
  at: z.iso.datetime(),
  /** Of all workers together, as is supposed. */
  lanes: z.int().min(0),
  /** How many of them take only what needs a graphics device, and jobs that need one. */
  deviceLanes: z.int().min(0),
  deviceJobs: z.int().min(0),
  laneNames: z.array(z.string()),
  sharing: Sharing.nullable(),
  orders: z.array(
    Prospect.extend({
      /** `rushOrderId` for supposed work. */
      id: z.int(),
      code: z.string(),
      name: z.string(),
      dueAt: z.iso.datetime().nullable(),
      lateWeight: LateWeight,
      /** Part of the rehearsals in which it is, of what is late, what was due first. */
      lateFirst: part.nullable(),
    }),
  ),
  all: Prospect.extend({
    /** The lateness of all orders, each as often as it counts. */
    countedSeconds: z.number().min(0),
  }),
  /** Announced material that is planned with a spec, whether it counts or not. */
  announced: z.array(AnnouncedCount),
  volumes: z.array(VolumeFilling),
  bars: z.array(LaneBar),
  /** Jobs that wait, by number, as they are begun. */
  sequence: z.array(z.int()),
  /** Jobs that were ever begun, and how many of them had to be begun again: the worker was lost or ended, or a volume was away. */
  repeats: z.object({ begun: z.int().min(0), lost: z.int().min(0) }),
  /** What would bring late orders in, or nearer to it, the easiest first; nothing where something is supposed already. */
  reliefs: z.array(Relief),
})
export type Outlook = z.infer<typeof Outlook>

/**
 * Works out what comes of all orders' jobs: when each order ends, how probable it is that it does by its due time, and how the delivery volumes fill meanwhile.
 * Held jobs are not in it. Nothing is changed by what is supposed.
 * @param at when it is worked out
 */
export function* outlook(there: OutlookGround, whatIf: WhatIf, at: Date): Turns<Outlook> {
  const { withDrafts, withAnnounced } = whatIf
  const ground = yield* knownGround(there, withAnnounced)
  const plan = yield* supposedPlan(ground, whatIf, at)
  const { machine, orders, due, entries, sequence, time, ends } = plan
  const { places } = ends
  const prospects = yield* prospectsOf(entries)
  const { begun: beginnings, lost } = ground.repeats
  const rehearsal = yield* rehearse({
    jobs: entries.flatMap(({ id, orderId, work }) => (work && places.has(id) ? [{ orderId, work }] : [])),
    machine: { ...machine, lanes: Math.max(1, machine.lanes) },
    orders: due.map(([orderId, seconds]) => ({ orderId, dueSeconds: seconds === null ? null : time.openOf(seconds) })),
    again: beginnings > 0 ? lost / beginnings : 0,
  })
  const sure = sureOrders(plan)
  const room = new Map(whatIf.room.map(({ volumeId, freeBytes }) => [volumeId, freeBytes]))
  const volumes: VolumeFilling[] = []
  for (const { volumeIds, freeBytes } of disksOf(ground.volumes)) {
    const supposed = volumeIds.flatMap(id => room.get(id) ?? [])
    const filling = yield* fillingOf({ volumeIds, freeBytes: supposed[0] ?? freeBytes }, plan)
    if (filling) volumes.push(filling)
  }
  const isDue = orders.some(({ dueAt }) => dueAt !== null)
  return {
    at: at.toISOString(),
    lanes: machine.lanes,
    deviceLanes: deviceLanes(machine),
    deviceJobs: entries.filter(({ work }) => work?.need).length,
    laneNames: laneNames(machine),
    sharing: sharingOf(machine, ends.slowing),
    orders: orders.map(({ id, code, name, dueAt, lateWeight }) => {
      const chance = dueAt !== null && sure.has(id) ? rehearsal.orders.get(id)! : null
      return {
        ...{ id, code, name, dueAt, lateWeight },
        ...prospects.of(id),
        ...ends.of(id),
        inTime: chance?.inTime ?? null,
        lateFirst: chance?.lateFirst ?? null,
      }
    }),
    all: {
      ...prospects.all,
      ...ends.all,
      inTime: isDue && orders.every(({ id, dueAt }) => dueAt === null || sure.has(id)) ? rehearsal.allInTime : null,
    },
    announced: announcedCounts(ground.announced, ground.coming),
    volumes,
    bars: yield* barsOf(places, entries),
    sequence: sequence.flatMap(({ id, state }) => (state === 'waiting' && id > 0 ? [id] : [])),
    repeats: ground.repeats,
    reliefs: isSupposing(whatIf) ? [] : yield* reliefsOf(ground, plan, { withDrafts, withAnnounced }, at),
  }
}

/** Orders whose jobs all have an end, and before whose last job none is of which nothing is known: it could put off what comes after it by any time. */
function sureOrders({ entries, ends: { places } }: SupposedPlan): Set<number> {
  const sure = new Set<number>()
  let isKnown = true
  for (const { id, orderId } of entries) {
    isKnown &&= places.has(id)
    if (isKnown) sure.add(orderId)
    else sure.delete(orderId)
  }
  return sure
}

/** Counts and device time by order, and of all. */
function* prospectsOf(entries: readonly Entry[]): Turns<{ of(id: number): Counted; all: Counted }> {
  const sums = new Map<number, Sum>()
  const all = new Sum()
  yield* each(entries, ({ orderId, work }) => {
    let sum = sums.get(orderId)
    if (!sum) sums.set(orderId, (sum = new Sum()))
    sum.add(work)
    all.add(work)
  })
  return { of: (id: number) => sums.get(id)!.read(), all: all.read() }
}

type Counted = Pick<z.infer<typeof Prospect>, 'jobs' | 'unknown' | 'seconds'>

class Sum {
  private jobs = 0
  private unknown = 0
  private readonly seconds = new RangeSum(sharedTimePart)

  add(work: LaneWork | null): void {
    this.jobs++
    if (work) this.seconds.add(work.seconds, work.shared)
    else this.unknown++
  }

  read(): Counted {
    return { jobs: this.jobs, unknown: this.unknown, seconds: this.seconds.range() }
  }
}
