import { z } from 'zod'
import type { JobForecast } from '../forecast/forecast.ts'
import { isInHand } from '../job.ts'
import { Range } from '../range.ts'
import { LateWeight, type OrderRecord } from '../records.ts'
import type { Turns } from '../turns.ts'
import { lanesToBeInTime, planByDueTime } from './by-due-time.ts'
import { dueOf, EndsOfOrders, isWorth, withUnknown } from './ends-of-orders.ts'
import { byPlace, laneWork, presentSlowing, toOrder, type JobOutline } from './outline.ts'
import type { Machine } from './shared-lanes.ts'

/** When an order's jobs end in one order of the jobs: a range in seconds from when it was worked out, null where nothing is known; and how long after its due time. */
const Ends = z.object({ end: Range.nullable(), lateSeconds: z.number().min(0) })
/** The same of all orders, and their lateness with each as often as it counts. */
const EndsOfAll = Ends.extend({ countedSeconds: z.number().min(0) })

/** Whether the orders are done by their due times as the jobs wait now, and in another order of them. */
export const OrderSuggestion = z.object({
  /** When it was worked out, ISO 8601 in UTC; seconds count from then. */
  at: z.iso.datetime(),
  /** Of all workers together; with none, nothing is said. */
  lanes: z.int().min(0),
  /** Jobs that wait, of all orders, and of how many of them nothing is known, so that they take no time here. */
  waiting: z.int().min(0),
  unknown: z.int().min(0),
  /** Orders with jobs that wait or are being done. */
  orders: z.array(
    z.object({
      id: z.int(),
      code: z.string(),
      name: z.string(),
      dueAt: z.iso.datetime().nullable(),
      lateWeight: LateWeight,
      waiting: z.int().min(0),
      now: Ends,
      suggested: Ends,
    }),
  ),
  /** Of all orders together. */
  now: EndsOfAll,
  suggested: EndsOfAll,
  /** No order of the jobs is less late in all, as orders count, or done sooner. */
  bound: z.object({ countedSeconds: z.number().min(0), endSeconds: z.number().min(0) }),
  /** Lanes more that would bring every order in; 0 where the suggested order does, null where no number does. */
  lanesMore: z.int().min(0).nullable(),
  /** Whether the suggested order is worth being taken. */
  isBetter: z.boolean(),
  /** The waiting jobs by number, as they would be begun now and as is suggested. */
  before: z.array(z.int()),
  after: z.array(z.int()),
})
export type OrderSuggestion = z.infer<typeof OrderSuggestion>

type OrderOfSuggestion = Pick<OrderRecord, 'id' | 'code' | 'name' | 'dueAt' | 'lateWeight'>

/**
 * Looks at what waits of all orders, and for an order of it in which less is late. Drafts and held jobs are not in it.
 * @param jobs open jobs of all orders
 * @param forecasts of jobs, by number; those of which nothing is known stay behind the job that they wait behind
 * @param machine with no lanes, only what is begun has an end
 * @param at when it is worked out
 */
export function* suggestOrder(
  jobs: readonly JobOutline[],
  forecasts: ReadonlyMap<number, JobForecast>,
  machine: Machine,
  orders: readonly OrderOfSuggestion[],
  at: Date,
): Turns<OrderSuggestion> {
  const { lanes } = machine
  const begun = jobs.filter(job => isInHand(job.state)).sort(byPlace)
  const waiting = jobs.filter(job => job.state === 'waiting').sort(byPlace)
  yield
  const counts = new Map<number, number>()
  for (const { orderId } of waiting) counts.set(orderId, (counts.get(orderId) ?? 0) + 1)
  const withWork = new Set([...begun, ...waiting].map(job => job.orderId))
  const open = orders.filter(({ id }) => withWork.has(id))
  const forecastFor = (job: JobOutline) => forecasts.get(job.id) ?? null
  const slowing = presentSlowing(begun, forecastFor, machine.cores)
  const workOf = (job: JobOutline) => laneWork(job, forecastFor(job), slowing)
  const known = waiting.filter(job => workOf(job) !== null)
  const due = open.map(order => dueOf(order, at))

  const afterBegun = () => {
    const ends = new EndsOfOrders(machine, at)
    for (const job of begun) ends.place(job.orderId, workOf(job))
    return ends
  }
  const endsOf = (sequence: readonly JobOutline[]) => {
    const ends = afterBegun()
    // Without a lane nothing is begun.
    if (lanes > 0) for (const job of sequence) ends.place(job.orderId, workOf(job))
    return ends.against(due)
  }
  const now = endsOf(waiting)
  const work = afterBegun().before(
    known.map(job => toOrder(job.orderId, workOf(job)!)),
    due,
  )
  const plan = lanes > 0 && now.all.lateSeconds > 0 ? yield* planByDueTime(work) : null
  const isBetter = plan !== null && isWorth(plan.now.late - plan.found.late, now)
  const after = isBetter ? withUnknown(waiting, plan.found.ids) : waiting
  const suggested = isBetter ? endsOf(after) : now
  return {
    at: at.toISOString(),
    lanes,
    waiting: waiting.length,
    unknown: waiting.length - known.length,
    orders: open.map(({ id, code, name, dueAt, lateWeight }) => ({
      ...{ id, code, name, dueAt, lateWeight },
      waiting: counts.get(id) ?? 0,
      now: now.of(id),
      suggested: suggested.of(id),
    })),
    now: now.all,
    suggested: suggested.all,
    bound: { countedSeconds: plan?.bound.late ?? 0, endSeconds: plan?.bound.end ?? 0 },
    lanesMore: plan ? yield* lanesToBeInTime(work, isBetter ? plan.found : plan.now) : 0,
    isBetter,
    before: waiting.map(job => job.id),
    after: after.map(job => job.id),
  }
}
