import type { OrderOfWork, WorkToOrder } from '../../packages/core/src/index.ts'
import { seeded } from './seeded.ts'

/** What lanes take, as bits: what needs no graphics device, what needs one that encodes H.264, both. */
const [takesPlain, takesDevice, takesBoth] = [1, 2, 3]

/** Whether a lane takes a job. */
export function takesJob({ takes }: WorkToOrder, lane: number, { need }: WorkToOrder['jobs'][number]): boolean {
  return takes === undefined || (takes[lane]! & (need ? takesDevice : takesPlain)) !== 0
}

/**
 * Work of chance: orders with due times of which some can be met and some cannot, jobs of unlike length, lanes that are not free at once.
 * @param weighted whether the lateness of orders counts unlike
 * @param unlike whether the first lane is a processor's, the second a graphics device's and the others both, and some jobs need a device
 */
export function workOfChance(
  seed: number,
  {
    jobs,
    orders,
    lanes,
    whole = false,
    weighted = false,
    unlike = false,
  }: { jobs: number; orders: number; lanes: number; whole?: boolean; weighted?: boolean; unlike?: boolean },
): WorkToOrder {
  const random = seeded(seed)
  const weights = seeded(seed + 1)
  const needs = seeded(seed + 2)
  const between = (low: number, high: number) => {
    const value = low + random() * (high - low)
    return whole ? Math.round(value) : value
  }
  const spread = 1 + random() * 30
  const work = Array.from({ length: jobs }, (_, index) => ({
    id: 100 + index,
    orderId: 1 + Math.floor(random() * orders),
    // Most are short, some are long.
    seconds: Math.max(whole ? 1 : 0.01, between(1, 1 + spread ** (random() * 2))),
    ...(unlike && needs() < 0.4 ? { need: 'h264' as const } : {}),
  }))
  const all = work.reduce((sum, { seconds }) => sum + seconds, 0)
  return {
    jobs: work,
    ...(unlike
      ? { takes: Array.from({ length: lanes }, (_, lane) => [takesPlain, takesDevice][lane] ?? takesBoth) }
      : {}),
    lanes: Array.from({ length: lanes }, () => (random() < 0.5 ? 0 : between(0, all / lanes / 4))),
    orders: Array.from({ length: orders }, (_, index) => ({
      orderId: 1 + index,
      dueSeconds: random() < 0.15 ? null : between(0, (all / lanes) * 1.3),
      begunUntil: random() < 0.5 ? 0 : between(0, all / lanes / 4),
      ...(weighted ? { lateWeight: 1 + Math.floor(weights() * 9) } : {}),
    })),
  }
}

/**
 * Goes through an order of work by the clock, event by event, and says what is wrong with what is claimed of it; empty where nothing is.
 * It knows nothing of how the order was found, nor of heaps of lanes.
 */
export function wrongIn(work: WorkToOrder, claimed: OrderOfWork): string[] {
  const wrong: string[] = []
  const left = new Map(work.jobs.map(job => [job.id, job]))
  const ends = new Map(work.orders.map(({ orderId, begunUntil }) => [orderId, begunUntil]))
  const waiting = [...claimed.ids]
  const lanes = work.lanes.map((freeAt, number) => ({ freeAt, number }))
  while (waiting.length > 0) {
    const now = Math.min(...lanes.map(({ freeAt }) => freeAt))
    if (now === Number.POSITIVE_INFINITY) break
    for (const lane of lanes.filter(({ freeAt }) => freeAt === now)) {
      const next = waiting.findIndex(id => !left.has(id) || takesJob(work, lane.number, left.get(id)!))
      if (next < 0) {
        // Nothing is left for it.
        lane.freeAt = Number.POSITIVE_INFINITY
        continue
      }
      const id = waiting.splice(next, 1)[0]!
      const job = left.get(id)
      if (!job) {
        wrong.push(`job ${id} is not waiting, or comes twice`)
        continue
      }
      left.delete(id)
      lane.freeAt = now + job.seconds
      ends.set(job.orderId, Math.max(ends.get(job.orderId) ?? Number.NaN, lane.freeAt))
    }
  }
  if (left.size > 0) wrong.push(`${left.size} jobs have no place`)
  const same = (name: string, found: number, said: number) => {
    if (!(Math.abs(found - said) <= 1e-6 * Math.max(1, found))) wrong.push(`${name} is ${found}, not ${said}`)
  }
  let [late, last] = [0, 0]
  for (const { orderId, dueSeconds, lateWeight = 1 } of work.orders) {
    const end = ends.get(orderId)!
    const said = claimed.orders.find(order => order.orderId === orderId)
    const over = dueSeconds === null ? 0 : Math.max(0, end - dueSeconds)
    late += lateWeight * over
    last = Math.max(last, end)
    same(`end of order ${orderId}`, end, said?.end ?? Number.NaN)
    same(`lateness of order ${orderId}`, over, said?.late ?? Number.NaN)
  }
  same('lateness', late, claimed.late)
  same('end', last, claimed.end)
  return wrong
}
