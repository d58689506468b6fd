import { z } from 'zod'
import type { Turns } from '../turns.ts'
import { supposedPlan, type KnownGround, type SupposedPlan } from './supposed-plan.ts'
import { asItIs, mostLanesMore, WhatIf } from './what-if.ts'

/** A change that makes less late, and what is late with it. */
export const Relief = z.object({
  /** The change alone. */
  supposed: WhatIf,
  /** Of all orders together, in seconds. */
  lateSeconds: z.number().min(0),
  /** Numbers of the orders that are late with it. */
  late: z.array(z.int()),
})
export type Relief = z.infer<typeof Relief>

/** Less than this is no relief, in seconds and as a part of what is late. */
const worthSeconds = 60
const worthPart = 0.02
/** Late orders that are tried in the front, and others that are tried without. */
const mostTried = 5
/** Changes that are told at most. */
const mostTold = 6

/**
 * Single changes that make less late: jobs by due times, a late order before the others, lanes more, another order left out, due times as late as ends may
 * come. They are told in that order, which is that of what they cost, those that bring all in before those that do not.
 * @param now the plan as it is
 * @param whatIf only whether drafts count
 */
export function* reliefsOf(
  ground: KnownGround,
  now: SupposedPlan,
  { withDrafts }: Pick<WhatIf, 'withDrafts'>,
  at: Date,
): Turns<Relief[]> {
  const before = now.ends.all.lateSeconds
  if (before <= worthSeconds || now.lanes === 0) return []
  const lateOf = ({ orders, ends }: SupposedPlan) =>
    orders.filter(({ id }) => ends.of(id).lateSeconds > 0).map(({ id }) => id)
  const found: Relief[] = []
  const consider = function* (change: Partial<WhatIf>): Turns<void> {
    const supposed = { ...asItIs, ...change, withDrafts }
    const plan = yield* supposedPlan(ground, supposed, at)
    const { lateSeconds } = plan.ends.all
    if (before - lateSeconds > Math.max(worthSeconds, worthPart * before))
      found.push({ supposed, lateSeconds, late: lateOf(plan) })
  }
  const late = lateOf(now)
  const others = now.orders.filter(({ id }) => now.sequence.some(({ orderId }) => orderId === id))
  yield* consider({ byDueTimes: true })
  for (const id of late.slice(0, mostTried)) if (others.length > 1) yield* consider({ first: [id] })
  const lanesMore = yield* fewestLanes(function* (more) {
    return (yield* supposedPlan(ground, { ...asItIs, lanesMore: more, withDrafts }, at)).ends.all.lateSeconds === 0
  })
  if (lanesMore !== null) yield* consider({ lanesMore })
  for (const { id } of others.filter(({ id }) => !late.includes(id)).slice(0, mostTried))
    yield* consider({ without: [id] })
  const due = now.orders.flatMap(({ id }) => {
    const { end, lateSeconds } = now.ends.of(id)
    return end && lateSeconds > 0 ? [{ orderId: id, dueAt: laterDue(at, end.high) }] : []
  })
  yield* consider({ due })
  // Sorting keeps what is equally good in the order of what it costs.
  return found.sort((a, b) => Number(a.lateSeconds > 0) - Number(b.lateSeconds > 0)).slice(0, mostTold)
}

/** The fewest lanes more with which nothing is late, which more of them never make worse; null where none of as many as can be supposed do. */
function* fewestLanes(isInTime: (more: number) => Turns<boolean>): Turns<number | null> {
  let [no, yes] = [0, 1]
  while (!(yield* isInTime(yes))) {
    if (yes === mostLanesMore) return null
    no = yes
    yes = Math.min(mostLanesMore, yes * 2)
  }
  while (yes - no > 1) {
    const middle = Math.floor((no + yes) / 2)
    if (yield* isInTime(middle)) yes = middle
    else no = middle
  }
  return yes
}

/** The next full minute after so many seconds, ISO 8601. */
function laterDue(at: Date, seconds: number): string {
  return new Date(Math.ceil((at.getTime() + seconds * 1000) / 60_000) * 60_000).toISOString()
}
