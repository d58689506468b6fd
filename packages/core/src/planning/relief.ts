import { z } from 'zod'
import type { Turns } from '../turns.ts'
import { isWorth, worthSeconds } from './ends-of-orders.ts'
import { fewest } from './fewest.ts'
import { supposedPlan, type KnownGround, type SupposedPlan } from './supposed-plan.ts'
import { asItIs, mostLanesMore, Supposed, type WhatIf } from './what-if.ts'

/** A change that makes less late, and what is late with it. */
export const Relief = z.object({
  /** The change alone. */
  supposed: Supposed,
  /** Of all orders together, in seconds, and with each as often as it counts. */
  lateSeconds: z.number().min(0),
  countedSeconds: z.number().min(0),
  /** The orders that are late with it, and each as it is. */
  late: z.array(z.object({ orderId: z.int(), lateSeconds: z.number() })),
})
export type Relief = z.infer<typeof Relief>

/** Late orders that are tried in the front, and others that are tried without. */
const mostTried = 5
/** An order is brought much nearer to its due time by more of its lateness than this. */
const muchPart = 0.25
/** Changes that are told at most. */
const mostTold = 6

/**
 * Single changes that make less late: jobs by due times, a late order before the others, what is announced here at once, work at any time, more lanes, another
 * order left out, due times as late as ends may come. They are told in that order, which is that of what they cost, those that bring all in before those that do not.
 * @param now the plan as it is
 * @param counted whether drafts count, and announced material
 */
export function* reliefsOf(
  ground: KnownGround,
  now: SupposedPlan,
  counted: Pick<WhatIf, 'withDrafts' | 'withAnnounced'>,
  at: Date,
): Turns<Relief[]> {
  const before = now.ends.all.countedSeconds
  if (!isWorth(before, now.ends) || now.machine.lanes === 0) return []
  const lateOf = ({ orders, ends }: SupposedPlan) =>
    orders.map(({ id }) => ({ orderId: id, ...ends.of(id) })).filter(({ lateSeconds }) => lateSeconds > 0)
  const late = lateOf(now)
  const found: Relief[] = []
  const consider = function* (change: Partial<Supposed>): Turns<void> {
    const supposed = { ...asItIs, ...change }
    const plan = yield* supposedPlan(ground, { ...supposed, ...counted }, at)
    const { lateSeconds, countedSeconds } = plan.ends.all
    const stillLate = lateOf(plan)
    // Where one order is late by weeks, what brings in another, or much nearer to its due time, is worth it, too, as long as that costs nothing.
    const brings =
      stillLate.length < late.length ||
      late.some(({ orderId, lateSeconds }) => {
        const gain = lateSeconds - plan.ends.of(orderId).lateSeconds
        return gain > Math.max(worthSeconds, muchPart * lateSeconds)
      })
    if ((brings && countedSeconds <= before) || isWorth(before - countedSeconds, now.ends))
      found.push({
        ...{ supposed, lateSeconds, countedSeconds },
        late: stillLate.map(({ orderId, lateSeconds }) => ({ orderId, lateSeconds })),
      })
  }
  const others = now.orders.filter(({ id }) => now.sequence.some(({ orderId }) => orderId === id))
  yield* consider({ byDueTimes: true })
  for (const { orderId } of late.slice(0, mostTried)) if (others.length > 1) yield* consider({ first: [orderId] })
  if (now.sequence.some(({ work }) => work?.hereFrom)) yield* consider({ materialHere: true })
  if (!now.time.isAlways) yield* consider({ atAnyTime: true })
  // Lanes of graphics devices help where jobs need those.
  const kinds = now.entries.some(({ work }) => work?.need)
    ? (['lanesMore', 'deviceLanesMore'] as const)
    : (['lanesMore'] as const)
  for (const kind of kinds) {
    const isInTime = function* (more: number): Turns<boolean> {
      return (yield* supposedPlan(ground, { ...asItIs, [kind]: more, ...counted }, at)).ends.all.lateSeconds === 0
    }
    const more = yield* fewest(mostLanesMore, isInTime, ground.machine.cores !== null)
    if (more !== null) yield* consider({ [kind]: more })
  }
  const inTime = others.filter(({ id }) => !late.some(({ orderId }) => orderId === id))
  for (const { id } of inTime.slice(0, mostTried)) yield* consider({ without: [id] })
  const due = late.flatMap(({ orderId, end }) => (end ? [{ orderId, dueAt: laterDue(at, end.high) }] : []))
  yield* consider({ due })
  // Sorting keeps what is equally good in the order of what it costs.
  return found.sort((a, b) => Number(a.lateSeconds > 0) - Number(b.lateSeconds > 0)).slice(0, mostTold)
}

/** The next full minute after so many seconds, ISO 8601. */
function laterDue(at: Date, seconds: number): string {
  return new Date(Math.ceil((at.getTime() + seconds * 1000) / 60_000) * 60_000).toISOString()
}
