import { z } from 'zod'
import type { JobForecast } from '../forecast/forecast.ts'
import { Range } from '../range.ts'
import type { OrderRecord } from '../records.ts'
import type { Turns } from '../turns.ts'
import { lanesToBeInTime, planByDueTime } from './by-due-time.ts'
import { Lanes } from './lanes.ts'
import { sharedTime, workLeft, type JobOutline } from './outline.ts'
import type { WorkToOrder } from './work-to-order.ts'

/** When an order's jobs end in one order of the jobs: a range in seconds from when it was worked out, null where nothing is known; and how long after its due time. */
const Ends = z.object({ end: Range.nullable(), lateSeconds: z.number().min(0) })

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
      waiting: z.int().min(0),
      now: Ends,
      suggested: Ends,
    }),
  ),
  /** Of all orders together. */
  now: Ends,
  suggested: Ends,
  /** No order of the jobs is less late in all, or done sooner. */
  bound: z.object({ lateSeconds: z.number().min(0), endSeconds: z.number().min(0) }),
  /** Lanes more that would bring every order in; 0 where the suggested order does, null where no number does. */
  lanesMore: z.int().min(0).nullable(),
  /** Whether the suggested order is worth being taken. */
  isBetter: z.boolean(),
  /** The waiting jobs by number, as they would be begun now and as is suggested. */
  before: z.array(z.int()),
  after: z.array(z.int()),
})
export type OrderSuggestion = z.infer<typeof OrderSuggestion>

/** Less than this is not worth moving jobs for, in seconds and as a part of what is late. */
const worthSeconds = 60
const worthPart = 0.02

const isActive = ({ state }: JobOutline) => state === 'queued' || state === 'running' || state === 'placing'

/**
 * Looks at what waits of all orders, and for an order of it in which less is late. Drafts and held jobs are not in it.
 * @param jobs open jobs of all orders
 * @param forecasts of jobs, by number; those of which nothing is known stay behind the job that they wait behind
 * @param lanes of all workers together
 * @param at when it is worked out
 */
export function* suggestOrder(
  jobs: readonly JobOutline[],
  forecasts: ReadonlyMap<number, JobForecast>,
  lanes: number,
  orders: readonly Pick<OrderRecord, 'id' | 'code' | 'name' | 'dueAt'>[],
  at: Date,
): Turns<OrderSuggestion> {
  const byPlace = (a: JobOutline, b: JobOutline) => a.position - b.position || a.id - b.id
  const active = jobs.filter(isActive).sort(byPlace)
  const waiting = jobs.filter(job => job.state === 'waiting').sort(byPlace)
  const leftOf = (job: JobOutline) =>
    workLeft({ state: job.state, progress: job.progress, forecast: forecasts.get(job.id) ?? null })
  yield

  const known = waiting.filter(job => leftOf(job) !== null)
  const open = orders.filter(order => [...active, ...waiting].some(job => job.orderId === order.id))
  const dueSeconds = new Map(
    open.map(({ id, dueAt }) => [id, dueAt === null ? null : (new Date(dueAt).getTime() - at.getTime()) / 1000]),
  )

  /** Ends of each order, and of all, when the waiting jobs are begun in this order. */
  const endsOf = (sequence: readonly JobOutline[]) => {
    const plan = new Lanes(lanes)
    const last = new Map<number, Range>()
    for (const job of [...active, ...sequence]) {
      const seconds = leftOf(job)
      if (!seconds) continue
      const forecast = forecasts.get(job.id)
      const { end } = plan.place({
        id: job.id,
        seconds,
        shared: forecast && !job.progress ? sharedTime(forecast) : null,
      })
      const before = last.get(job.orderId)
      if (!before || end.expected > before.expected) last.set(job.orderId, end)
    }
    const lateOf = (id: number) => {
      const [end, due] = [last.get(id), dueSeconds.get(id) ?? null]
      return end && due !== null ? Math.max(0, end.expected - due) : 0
    }
    const all = [...last.values()]
    return {
      of: (id: number) => ({ end: last.get(id) ?? null, lateSeconds: lateOf(id) }),
      all: {
        end: all.reduce<Range | null>(
          (latest, end) => (!latest || end.expected > latest.expected ? end : latest),
          null,
        ),
        lateSeconds: open.reduce((sum, { id }) => sum + lateOf(id), 0),
      },
    }
  }

  const now = endsOf(waiting)
  const isLate = lanes > 0 && now.all.lateSeconds > 0
  const work = workOf(active, known, lanes, dueSeconds, leftOf)
  const plan = isLate ? yield* planByDueTime(work) : null
  const gain = plan ? plan.now.late - plan.found.late : 0
  const isBetter = gain > Math.max(worthSeconds, worthPart * now.all.lateSeconds)
  const after = isBetter ? withUnknown(waiting, known, plan!.found.ids) : waiting
  const suggested = isBetter ? endsOf(after) : now
  const lanesMore = plan ? yield* lanesToBeInTime(work, isBetter ? plan.found : plan.now) : 0
  return {
    at: at.toISOString(),
    lanes,
    waiting: waiting.length,
    unknown: waiting.length - known.length,
    orders: open.map(({ id, code, name, dueAt }) => ({
      ...{ id, code, name, dueAt },
      waiting: waiting.filter(job => job.orderId === id).length,
      now: now.of(id),
      suggested: suggested.of(id),
    })),
    now: now.all,
    suggested: suggested.all,
    bound: { lateSeconds: plan?.bound.late ?? 0, endSeconds: plan?.bound.end ?? 0 },
    lanesMore,
    isBetter,
    before: waiting.map(job => job.id),
    after: after.map(job => job.id),
  }
}

/** What waits, behind what is being done. */
function workOf(
  active: readonly JobOutline[],
  known: readonly JobOutline[],
  lanes: number,
  dueSeconds: ReadonlyMap<number, number | null>,
  leftOf: (job: JobOutline) => Range | null,
): WorkToOrder {
  const free = new Array<number>(Math.max(1, lanes)).fill(0)
  const begunUntil = new Map<number, number>()
  for (const job of active) {
    const lane = free.indexOf(Math.min(...free))
    free[lane]! += leftOf(job)?.expected ?? 0
    begunUntil.set(job.orderId, Math.max(begunUntil.get(job.orderId) ?? 0, free[lane]!))
  }
  return {
    lanes: free,
    jobs: known.map(job => ({ id: job.id, orderId: job.orderId, seconds: leftOf(job)!.expected })),
    orders: [...dueSeconds].map(([orderId, due]) => ({
      orderId,
      dueSeconds: due,
      begunUntil: begunUntil.get(orderId) ?? 0,
    })),
  }
}

/** Puts jobs of which nothing is known behind those that they wait behind now. */
function withUnknown(
  waiting: readonly JobOutline[],
  known: readonly JobOutline[],
  ids: readonly number[],
): JobOutline[] {
  const byId = new Map(known.map(job => [job.id, job]))
  const behind = new Map<number | null, JobOutline[]>([[null, []]])
  let before: number | null = null
  for (const job of waiting) {
    if (byId.has(job.id)) {
      before = job.id
      behind.set(before, [])
    } else behind.get(before)!.push(job)
  }
  return [...behind.get(null)!, ...ids.flatMap(id => [byId.get(id)!, ...behind.get(id)!])]
}
