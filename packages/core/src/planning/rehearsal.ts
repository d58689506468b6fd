import { normalQuantile, type Range } from '../range.ts'
import { sharedTimePart } from '../forecast/forecast.ts'
import type { Turns } from '../turns.ts'
import { normalsOfChance, numbersOfChance } from './chance.ts'
import { InTurn } from './in-turn.ts'
import type { LaneWork } from './lanes.ts'
import { bitsOfLanes, needBit, noJob, piecesOn, SharedLanes, type Machine, type NeedBits } from './shared-lanes.ts'

/** How often the work is gone through. */
export const rehearsals = 500
/** Jobs that are gone through before others may have their turn. */
const jobsOfTurn = 5000

/** Work whose end is asked for. */
export interface WorkToRehearse {
  /** In the order in which they are begun. */
  jobs: readonly { orderId: number; work: LaneWork }[]
  /** One lane at least. */
  machine: Pick<Machine, 'lanes' | 'cores' | 'groups'>
  /** Open seconds from now until each is due; null where nobody waits for it. */
  orders: readonly { orderId: number; dueSeconds: number | null }[]
  /** Part of the jobs begun that have to be begun once more. */
  again: number
}

/** How often what came about, as parts of all rehearsals. */
export interface Rehearsal {
  /** Every order with a due time done by it. */
  allInTime: number
  /** By order: done by its due time; and the one, of those that were late, that was due first. */
  orders: Map<number, { inTime: number; lateFirst: number }>
}

/** Jobs' times, each in its place of the sequence: lists of numbers, which are gone through many times as quickly as objects. */
interface Spreads {
  /** Places of the jobs' orders. */
  order: Int32Array
  expected: Float64Array
  /** Deviations of the time's logarithm, up and down. */
  above: Float64Array
  below: Float64Array
  /** Number of the group that a job's error has something in common with; 0 of none. */
  group: Int32Array
  /** How much of the error is what all have in common because of the machine, what its group has in common, and its own; their squares make up one. */
  machine: Float64Array
  common: Float64Array
  own: Float64Array
  groups: number
  /** Pieces that jobs are divided into, and cores that they keep busy. */
  pieces: Int32Array
  busyCores: Float64Array
  /** Bits of what they need. */
  needs: Int32Array
  /** When they are here, in open seconds. */
  hereFrom: Float64Array
}

/**
 * Goes through the work in fast time, again and again with other durations, and counts how often due times are kept. Durations are drawn around their
 * forecasts so that nine of ten lie in their ranges, as logarithms: what a job's error shares with its like, and what all have in common because of the machine,
 * is drawn once each time. A job that is begun again had done a part of its work, drawn evenly. What is not here yet comes when it is said to. The same for the same
 * work.
 */
export function* rehearse({ jobs, machine: on, orders, again }: WorkToRehearse): Turns<Rehearsal> {
  const { lanes, cores } = on
  const takes = bitsOfLanes(on)
  const random = numbersOfChance()
  const normal = normalsOfChance(random)
  const places = new Map(orders.map(({ orderId }, place) => [orderId, place]))
  const due = Float64Array.from(orders, ({ dueSeconds }) => dueSeconds ?? Number.POSITIVE_INFINITY)
  const spreads = spreadsOf(jobs, places, takes)
  const {
    order: orderOf,
    expected,
    above,
    below,
    group,
    machine,
    common,
    own,
    groups,
    pieces,
    busyCores,
    needs,
    hereFrom,
  } = spreads
  const free = new Array<number>(lanes).fill(0)
  /** Whether all is here and every lane takes it, which is gone through more quickly. */
  const isPlain = hereFrom.every(from => from === 0) && takes.every(bits => bits === takes[0])
  const ofGroups = new Float64Array(groups)
  const ends = new Float64Array(orders.length)
  const taken = new Float64Array(jobs.length)
  const inTime = new Uint32Array(orders.length)
  const lateFirst = new Uint32Array(orders.length)
  let allInTime = 0
  let sinceTurn = 0
  for (let run = 0; run < rehearsals; run++) {
    for (let index = 0; index < groups; index++) ofGroups[index] = normal()
    const ofMachine = normal()
    const shared = new SharedLanes(free, cores)
    ends.fill(0)
    const note = (ended: number) => {
      if (ended !== noJob) ends[orderOf[ended]!] = shared.clock
    }
    const begin = (job: number, count: number) => {
      for (let piece = 0; piece < count; piece++) {
        note(shared.goOn())
        shared.begin(job, taken[job]! / pieces[job]!, busyCores[job]!)
      }
    }
    const inTurn = new InTurn(shared, begin, note, takes)
    for (let job = 0; job < jobs.length; job++) {
      const error = machine[job]! * ofMachine + common[job]! * ofGroups[group[job]!]! + own[job]! * normal()
      const seconds = expected[job]! * Math.exp(error * (error > 0 ? above[job]! : below[job]!))
      taken[job] = again > 0 && random() < again ? seconds * (1 + random()) : seconds
      if (isPlain) begin(job, pieces[job]!)
      else inTurn.take({ job, hereFrom: hereFrom[job]!, pieces: pieces[job]!, need: needs[job]! })
      if (++sinceTurn % jobsOfTurn === 0) yield
    }
    inTurn.finish()
    for (let lane = 0; lane < lanes; lane++) {
      note(shared.goOn())
      shared.close()
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

const deviationOf = (factor: number) => Math.log(factor) / normalQuantile

function spreadsOf(
  jobs: WorkToRehearse['jobs'],
  places: ReadonlyMap<number, number>,
  takes: readonly NeedBits[],
): Spreads {
  const numbers = new Map<string, number>()
  const numberOf = (group: string) => {
    if (!numbers.has(group)) numbers.set(group, numbers.size + 1)
    return numbers.get(group)!
  }
  const widths = jobs.map(({ work }) => deviationsOf(work.seconds))
  const partOf = (factor: number, job: number) =>
    widths[job]!.above > 0 ? Math.min(1, deviationOf(factor) / widths[job]!.above) : 0
  const machine = Float64Array.from(jobs, (_, job) => partOf(1 + sharedTimePart, job))
  const common = Float64Array.from(jobs, ({ work: { shared } }, job) =>
    shared ? Math.min(partOf(1 + shared.part, job), Math.sqrt(1 - machine[job]! ** 2)) : 0,
  )
  return {
    order: Int32Array.from(jobs, ({ orderId }) => places.get(orderId)!),
    expected: Float64Array.from(jobs, ({ work }) => work.seconds.expected),
    above: Float64Array.from(widths, ({ above }) => above),
    below: Float64Array.from(widths, ({ below }) => below),
    group: Int32Array.from(jobs, ({ work: { shared } }) => (shared ? numberOf(shared.group) : 0)),
    machine,
    common,
    own: common.map((part, job) => Math.sqrt(Math.max(0, 1 - part ** 2 - machine[job]! ** 2))),
    groups: numbers.size + 1,
    pieces: Int32Array.from(jobs, ({ work }) => piecesOn(takes, work.pieces ?? 1, needBit(work.need))),
    needs: Int32Array.from(jobs, ({ work }) => needBit(work.need)),
    busyCores: Float64Array.from(jobs, ({ work }) => work.busyCores ?? 0),
    hereFrom: Float64Array.from(jobs, ({ work }) => work.hereFrom ?? 0),
  }
}

/** Standard deviations of a range's logarithm; one that begins at nothing goes as far down as up. */
function deviationsOf({ expected, low, high }: Range): { above: number; below: number } {
  if (!(expected > 0)) return { above: 0, below: 0 }
  const above = deviationOf(high / expected)
  return { above, below: low > 0 ? deviationOf(expected / low) : above }
}
