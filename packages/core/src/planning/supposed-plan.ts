import { isInHand } from '../job.ts'
import { anyTime } from '../hours/hours.ts'
import type { OpenTime } from '../hours/open-time.ts'
import { each, type Turns } from '../turns.ts'
import { announcedEntries, type AnnouncedGround } from './announced-work.ts'
import { planByDueTime } from './by-due-time.ts'
import type { VolumeRoom } from './disks.ts'
import type { Entry } from './entry.ts'
import { dueOf, EndsOfOrders, secondsUntil, withUnknown, type DueSeconds } from './ends-of-orders.ts'
import {
  byTurn,
  forecastOf,
  laneWork,
  presentSlowing,
  sharedSize,
  toOrder,
  type ForecastGround,
  type JobOutline,
} from './outline.ts'
import { withLanes, type Machine } from './shared-lanes.ts'
import { bytesLeft } from './storage.ts'
import { rushOrderId, supposedOrders, supposedSequence, type OrderOfOutlook, type WhatIf } from './what-if.ts'

/** What there is: jobs of all orders, and what they are done with. */
export interface OutlookGround {
  jobs: readonly JobOutline[]
  forecasts: ForecastGround
  machine: Machine
  orders: readonly OrderOfOutlook[]
  volumes: readonly VolumeRoom[]
  /** Jobs that were ever begun, and how many of them had to be begun again: the worker was lost or ended, or a volume was away. */
  repeats: { begun: number; lost: number }
  announced: AnnouncedGround
}

/** All orders' jobs in their places, as is supposed. */
export interface SupposedPlan {
  machine: Machine
  /** Those that have work. */
  orders: OrderOfOutlook[]
  due: DueSeconds
  /** What is begun, and what comes after it, in the order in which it is begun. */
  entries: readonly Entry[]
  sequence: readonly Entry[]
  time: OpenTime
  ends: ReturnType<EndsOfOrders['against']>
}

/** What there is, with all that is known of each job: the same for whatever is supposed. */
export interface KnownGround extends OutlookGround {
  begun: readonly Entry[]
  /** What waits, then drafts, as they come now. */
  after: readonly Entry[]
  /** Jobs of material that is not here yet; null where it does not count. */
  coming: readonly Entry[] | null
}

/** Gives all orders' jobs their places, as is supposed. @param at when that is; seconds count from then */
export function* supposedPlan(ground: KnownGround, whatIf: WhatIf, at: Date): Turns<SupposedPlan> {
  const { begun } = ground
  const waiting = [
    ...rushOf(whatIf),
    ...supposedSequence(
      [...ground.after.filter(({ state }) => whatIf.withDrafts || state !== 'draft'), ...(ground.coming ?? [])],
      whatIf,
    ),
  ]
  const withWork = new Set([...begun, ...waiting].map(({ orderId }) => orderId))
  const orders = supposedOrders(ground.orders, whatIf).filter(({ id }) => withWork.has(id))
  const due = orders.map(order => dueOf(order, at))

  const changed = withLanes(ground.machine, whatIf.lanesMore, whatIf.deviceLanesMore)
  const { lanes } = changed
  const machine = { ...changed, hours: whatIf.atAnyTime ? anyTime : ground.machine.hours }
  const ends = new EndsOfOrders(machine, at)
  const workOf = ({ work, expectedAt }: Entry) =>
    work && expectedAt !== null && !whatIf.materialHere
      ? { ...work, hereFrom: ends.time.openOf(Math.max(0, secondsUntil(expectedAt, at)!)) }
      : work
  const place = (entry: Entry) => ends.place(entry.orderId, entry.work)
  begun.forEach(place)
  const after = waiting.map(entry => ({ ...entry, work: workOf(entry) }))
  let sequence: readonly Entry[] = after
  if (whatIf.byDueTimes && lanes > 0) {
    const known = after.flatMap(({ orderId, work }) => (work ? [toOrder(orderId, work)] : []))
    sequence = withUnknown(after, (yield* planByDueTime(ends.before(known, due))).found.ids)
  }
  // Without a lane nothing is begun.
  if (lanes > 0) yield* each(sequence, place)
  return { machine, orders, due, entries: [...begun, ...sequence], sequence, time: ends.time, ends: ends.against(due) }
}

/** Looks up what is known of each job. @param withAnnounced whether announced material counts */
export function* knownGround(ground: OutlookGround, withAnnounced: boolean): Turns<KnownGround> {
  const wanted = ground.jobs
    .filter(({ state }) => isInHand(state) || state === 'waiting' || state === 'draft')
    .sort(byTurn)
  const begun: Entry[] = []
  const after: Entry[] = []
  const slowing = presentSlowing(wanted, job => forecastOf(job, ground.forecasts), ground.machine.cores)
  yield* each(wanted, job => {
    const forecast = forecastOf(job, ground.forecasts)
    const { id, orderId, state, sourceName, specName, deliveryVolumeId: volumeId } = job
    const entry = {
      ...{ id, orderId, state, sourceName, specName },
      work: laneWork(job, forecast, slowing),
      expectedAt: null,
      output: { volumeId, bytes: forecast && bytesLeft(job, forecast), shared: forecast && sharedSize(forecast) },
    }
    const list = isInHand(state) ? begun : after
    list.push(entry)
  })
  const coming = withAnnounced
    ? yield* announcedEntries(ground.announced, usualVolumes(ground), ground.forecasts)
    : null
  return { ...ground, begun, after, coming }
}

/** The delivery volume that most jobs of an order are written to; where it has none, the first that there is. */
function usualVolumes({ jobs, volumes }: OutlookGround): (orderId: number) => number | null {
  const counts = new Map<number, Map<number, number>>()
  for (const { orderId, deliveryVolumeId } of jobs) {
    const ofOrder = counts.get(orderId) ?? new Map<number, number>()
    counts.set(orderId, ofOrder.set(deliveryVolumeId, (ofOrder.get(deliveryVolumeId) ?? 0) + 1))
  }
  return orderId => {
    const [most] = [...(counts.get(orderId) ?? [])].sort((a, b) => b[1] - a[1])
    return most?.[0] ?? volumes[0]?.id ?? null
  }
}

/** Supposed work takes what a person says that it does, and writes nobody knows what. */
function rushOf({ rush }: WhatIf): Entry[] {
  if (!rush) return []
  const ofEach = rush.seconds / rush.jobs
  const seconds = { expected: ofEach, low: ofEach, high: ofEach }
  return Array.from({ length: rush.jobs }, (_, index) => ({
    id: -1 - index,
    orderId: rushOrderId,
    state: 'waiting',
    sourceName: 'Rush work',
    specName: 'supposed',
    work: { id: -1 - index, seconds },
    expectedAt: null,
    output: null,
  }))
}
