import type { Range } from '../range.ts'
import { sharedTimePart } from '../forecast/forecast.ts'
import type { Turns } from '../turns.ts'
import { normalsOfChance, numbersOfChance } from './chance.ts'
import type { LaneWork } from './lanes.ts'
import { FreeLanes } from './sequence-trial.ts'

/** How often the work is gone through. */
export const rehearsals = 500
/** Jobs that are gone through before others may have their turn. */
const jobsOfTurn = 5000
/** Width of a range that holds nine of ten, in standard deviations to either side. */
const deviations = 1.644854

/** Work whose end is asked for. */
export interface WorkToRehearse {
  /** In the order in which they are begun. */
  jobs: readonly { orderId: number; work: LaneWork }[]
  /** How many; one at least. */
  lanes: number
  /** Seconds from now until each is due; null where nobody waits for it. */
  orders: readonly { orderId: number; dueSeconds: number | null }[]
  /** Part of the jobs begun that had to be begun once more, because a worker or its process was lost. */
  again: number
}

/** How often what came about, as parts of all rehearsals. */
export interface Rehearsal {
  /** Every order with a due time done by it. */
  allInTime: number
  /** By order: done by its due time; and the one, of those that were late, that was due first. */
  orders: Map<number, { inTime: number; lateFirst: number }>
}

/** A job's time: its middle, its deviations as a logarithm, and how much of the error it has in common with its group. */
interface Spread {
  order: number
  expected: number
  above: number
  below: number
  group: number
  /** Correlation with what its group has in common, and the weight of what is its own. */
  common: number
  own: number
}

/**
 * Goes through the work in fast time, again and again with other durations, and counts how often due times are kept. Durations are drawn around their
 * forecasts so that nine of ten lie in their ranges, as logarithms: what a job's error shares with its like, and what all have in common because of the machine,
 * is drawn once each time. A job that is begun again had done a part of its work, drawn evenly. The same for the same work.
 */
export function* rehearse({ jobs, lanes, orders, again }: WorkToRehearse): Turns<Rehearsal> {
  const random = numbersOfChance()
  const normal = normalsOfChance(random)
  const places = new Map(orders.map(({ orderId }, place) => [orderId, place]))
  const due = Float64Array.from(orders, ({ dueSeconds }) => dueSeconds ?? Number.POSITIVE_INFINITY)
  const groups = new Map<string, number>()
  const spreads = jobs.map(({ orderId, work }) => spreadOf(work, places.get(orderId)!, groups))
  const common = new Float64Array(groups.size + 1)
  const ends = new Float64Array(orders.length)
  const inTime = new Uint32Array(orders.length)
  const lateFirst = new Uint32Array(orders.length)
  let allInTime = 0
  let sinceTurn = 0
  for (let run = 0; run < rehearsals; run++) {
    for (let group = 0; group < common.length; group++) common[group] = normal()
    const machine = Math.exp(deviationOf(1 + sharedTimePart) * normal())
    const free = new FreeLanes(new Array<number>(lanes).fill(0))
    ends.fill(0)
    for (const { order, expected, above, below, group, common: part, own } of spreads) {
      const error = part * common[group]! + own * normal()
      const seconds = expected * machine * Math.exp(error * (error > 0 ? above : below))
      const end = free.take(random() < again ? seconds * (1 + random()) : seconds)
      if (end > ends[order]!) ends[order] = end
      if (++sinceTurn % jobsOfTurn === 0) yield
    }
    let first = -1
    for (let order = 0; order < ends.length; order++) {
      if (ends[order]! <= due[order]!) inTime[order]!++
      else if (first < 0 || due[order]! < due[first]!) first = order
    }
    if (first < 0) allInTime++
    else lateFirst[first]!++
  }
  return {
    allInTime: allInTime / rehearsals,
    orders: new Map(
      orders.map(({ orderId }, place) => [
        orderId,
        { inTime: inTime[place]! / rehearsals, lateFirst: lateFirst[place]! / rehearsals },
      ]),
    ),
  }
}

const deviationOf = (factor: number) => Math.log(factor) / deviations

/** @param groups numbers of those that there were so far; the first is of jobs that share nothing */
function spreadOf({ seconds, shared }: LaneWork, order: number, groups: Map<string, number>): Spread {
  if (shared && !groups.has(shared.group)) groups.set(shared.group, groups.size + 1)
  const { above, below } = deviationsOf(seconds)
  const common = shared && above > 0 ? Math.min(1, deviationOf(1 + shared.part) / above) : 0
  const group = shared ? groups.get(shared.group)! : 0
  return { order, expected: seconds.expected, above, below, group, common, own: Math.sqrt(1 - common * common) }
}

/** Standard deviations of a range's logarithm; one that begins at nothing goes as far down as up. */
function deviationsOf({ expected, low, high }: Range): { above: number; below: number } {
  if (!(expected > 0)) return { above: 0, below: 0 }
  const above = deviationOf(high / expected)
  return { above, below: low > 0 ? deviationOf(expected / low) : above }
}
