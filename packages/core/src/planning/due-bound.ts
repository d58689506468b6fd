import { needBit } from './shared-lanes.ts'
import type { DuePlan, WorkToOrder } from './work-to-order.ts'

/**
 * What no order of the jobs can be better than. Where lanes take unlike work, what needs the same is looked at by itself as well, on the lanes that take it: it is
 * done no sooner for what there is beside it.
 */
export function boundOf(work: WorkToOrder): DuePlan['bound'] {
  const { jobs, lanes, takes } = work
  if (!takes) return boundOfAlike(work)
  const parts = [...new Set(jobs.map(({ need }) => needBit(need)))].flatMap(need => {
    const able = lanes.flatMap((free, lane) => ((takes[lane]! & need) === 0 ? [] : [free]))
    const own = jobs.filter(job => needBit(job.need) === need)
    // What keeps cores busy beside them is no matter of theirs.
    return able.length === 0 ? [] : [boundOfAlike({ ...work, jobs: own, lanes: able, sharing: undefined })]
  })
  return [boundOfAlike(work), ...parts].reduce((most, { late, end }) => ({
    late: Math.max(most.late, late),
    end: Math.max(most.end, end),
  }))
}

/**
 * The same for lanes that are alike. Jobs are taken for work that can be divided among lanes at will: the orders that end first, whichever they are,
 * have at least as much work in them as the smallest of all, so their ends, sorted, are no sooner than those of the smallest one after the other; and sums
 * of lateness are least where sooner ends meet sooner due times. An order ends no sooner than its longest job, begun first, on as many lanes as it has pieces.
 * Where lateness counts unlike, the sum is taken apart: what all count, and what those that count more do beyond it, each as if there were no others.
 * Nothing is begun before it is here. What keeps cores busy is no sooner done than all of them together could do it.
 * Of what is done later in open time nothing is done sooner by the clock.
 */
function boundOfAlike({ jobs, orders, lanes, sharing, time }: WorkToOrder): DuePlan['bound'] {
  const endOf = (open: number) => time?.endOf(open) ?? open
  const free = [...lanes].sort((a, b) => a - b)
  /** When so much work can be done if every lane works without a pause. */
  const doneBy = (work: number) => {
    let [left, before] = [work, free[0]!]
    for (const [working, at] of free.entries()) {
      const possible = working * (at - before)
      if (possible >= left && working > 0) return before + left / working
      left -= possible
      before = at
    }
    return before + left / free.length
  }
  const doneByCores = (processor: number) => (sharing ? processor / sharing.cores : 0)
  const sums = new Map<number, { work: number; processor: number; soonest: number }>()
  for (const { orderId, seconds, busyCores = 0, pieces = 1, hereFrom = 0 } of jobs) {
    const sum = sums.get(orderId) ?? { work: 0, processor: 0, soonest: 0 }
    sums.set(orderId, {
      work: sum.work + seconds,
      processor: sum.processor + seconds * busyCores,
      soonest: Math.max(sum.soonest, Math.max(free[0]!, hereFrom) + seconds / Math.min(pieces, lanes.length)),
    })
  }
  const alone = orders.map(({ orderId, begunUntil, dueSeconds, lateWeight = 1 }) => {
    const sum = sums.get(orderId)
    const end = sum ? Math.max(begunUntil, sum.soonest, doneBy(sum.work), doneByCores(sum.processor)) : begunUntil
    return {
      end: endOf(end),
      due: dueSeconds ?? Number.POSITIVE_INFINITY,
      lateWeight,
      work: sum?.work ?? 0,
      processor: sum?.processor ?? 0,
    }
  })
  /** What orders are late in all, each counted once, if there are no others. */
  const lateOf = (some: typeof alone) => {
    const lateAlone = some.reduce((sum, { end, due }) => sum + Math.max(0, end - due), 0)
    const waiting = some.filter(({ work }) => work > 0)
    const lateAnyway = some.reduce((sum, { end, due, work }) => sum + (work > 0 ? 0 : Math.max(0, end - due)), 0)
    const smallest = (key: 'work' | 'processor') => sumsOf(waiting.map(order => order[key]).sort((a, b) => a - b))
    const byCores = smallest('processor').map(doneByCores)
    const ends = smallest('work').map((work, index) => endOf(Math.max(doneBy(work), byCores[index]!)))
    const dues = waiting.map(({ due }) => due).sort((a, b) => a - b)
    return Math.max(
      lateAlone,
      ends.reduce((sum, end, index) => sum + Math.max(0, end - dues[index]!), lateAnyway),
    )
  }
  const weights = [...new Set(alone.map(({ lateWeight }) => lateWeight))].sort((a, b) => a - b)
  const late = weights.reduce(
    (sum, weight, index) =>
      sum + (weight - (weights[index - 1] ?? 0)) * lateOf(alone.filter(({ lateWeight }) => lateWeight >= weight)),
    0,
  )
  const all = jobs.reduce((sum, { seconds }) => sum + seconds, 0)
  const processor = jobs.reduce((sum, { seconds, busyCores = 0 }) => sum + seconds * busyCores, 0)
  return {
    late,
    end: Math.max(endOf(Math.max(all > 0 ? doneBy(all) : 0, doneByCores(processor))), ...alone.map(({ end }) => end)),
  }
}

function sumsOf(values: readonly number[]): number[] {
  let sum = 0
  return values.map(value => (sum += value))
}
