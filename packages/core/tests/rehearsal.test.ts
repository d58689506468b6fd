import { describe, expect, test } from 'vitest'
import { rehearsals, rehearse, sharedTimePart, type Range, type WorkToRehearse } from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { workOfChance } from '../../../tests/support/order-of-work.ts'
import { around, exactly, lanesOnly } from './outlines.ts'

/** How probable it is that orders are done by their due times: counted in rehearsals, held against what probability theory says of them. */
const job = (orderId: number, seconds: Range, group?: [string, number]) => ({
  orderId,
  work: { id: 1, seconds, shared: group ? { group: group[0], part: group[1] } : null },
})
const work = (changes: Partial<WorkToRehearse>): WorkToRehearse => ({
  jobs: [],
  machine: lanesOnly(1),
  orders: [{ orderId: 1, dueSeconds: 100 }],
  again: 0,
  ...changes,
})
const chance = (changes: Partial<WorkToRehearse>) => atOnce(rehearse(work(changes))).allInTime
const dueIn = (seconds: number) => ({ orders: [{ orderId: 1, dueSeconds: seconds }] })
/** Within three standard errors of a part that was counted, and two counts. */
const near = (found: number, expected: number) =>
  expect(Math.abs(found - expected)).toBeLessThan(
    3 * Math.sqrt((expected * (1 - expected)) / rehearsals) + 2 / rehearsals,
  )

/** The normal distribution (Abramowitz and Stegun, 26.2.17), and a factor's deviation where its range holds nine of ten. */
function normal(x: number): number {
  const t = 1 / (1 + 0.2316419 * Math.abs(x))
  const series = t * (0.31938153 + t * (-0.356563782 + t * (1.781477937 + t * (-1.821255978 + t * 1.330274429))))
  const tail = (Math.exp((-x * x) / 2) / Math.sqrt(2 * Math.PI)) * series
  return x > 0 ? 1 - tail : tail
}
const sigma = (part: number) => Math.log(1 + part) / 1.6448536

describe('one job', () => {
  test.each([
    [0.9, 0.3],
    [1, 0.3],
    [1.2, 0.3],
    [1.5, 1],
  ])('due at %f of what it takes, within a part of %f, is in time as often as its range says', (due, part) => {
    const below = 1 / (1 + part)
    const seconds = { expected: 100, low: 100 * below, high: 100 * (1 + part) }
    near(chance({ jobs: [job(1, seconds)], ...dueIn(100 * due) }), normal(Math.log(due) / sigma(part)))
  })

  test('whose range is wider above than below is late more often by much', () => {
    const seconds = { expected: 100, low: 95, high: 300 }
    near(chance({ jobs: [job(1, seconds)], ...dueIn(200) }), normal(Math.log(2) / sigma(2)))
    expect(chance({ jobs: [job(1, seconds)], ...dueIn(80) })).toBeLessThan(0.02)
  })

  test('whose range begins at nothing is drawn all the same', () => {
    expect(chance({ jobs: [job(1, { expected: 100, low: 0, high: 400 })], ...dueIn(100) })).toBeGreaterThan(0.4)
  })

  test('that is begun again has done a part of its work, drawn evenly', () => {
    near(chance({ jobs: [job(1, exactly(100))], again: 1, ...dueIn(150) }), 0.5)
    expect(chance({ jobs: [job(1, exactly(100))], again: 0, ...dueIn(150) })).toBe(1)
  })
})

test('errors of many jobs go out against each other, those that they share, by their group or the machine, do not', () => {
  const even = { expected: 1, low: 1 / 1.3, high: 1.3 }
  const jobs = (group?: [string, number]) => Array.from({ length: 200 }, () => job(1, even, group))
  const due = dueIn(200 * 1.15)
  near(chance({ jobs: jobs(), ...due }), normal(Math.log(1.15) / sigma(sharedTimePart)))
  near(
    chance({ jobs: jobs(['lot', 0.2]), ...due }),
    normal(Math.log(1.15) / Math.hypot(sigma(0.2), sigma(sharedTimePart))),
  )
  // What they share is never more than what each of them has.
  near(chance({ jobs: jobs(['lot', 0.3]), ...due }), normal(Math.log(1.15) / sigma(0.3)))
  const surer = Array.from({ length: 200 }, () => job(1, { expected: 1, low: 1 / 1.04, high: 1.04 }))
  near(chance({ jobs: surer, ...dueIn(200 * 1.02) }), normal(Math.log(1.02) / sigma(0.04)))
})

test('the order that was due first is the one that is late first', () => {
  const jobs = [job(1, exactly(50)), job(2, exactly(50)), job(3, exactly(50))]
  const orders = [
    { orderId: 1, dueSeconds: 40 },
    { orderId: 2, dueSeconds: 30 },
    { orderId: 3, dueSeconds: null },
  ]
  const found = atOnce(rehearse(work({ jobs, orders })))
  expect(found.orders.get(2)).toEqual({ inTime: 0, lateFirst: 1 })
  expect(found.orders.get(1)!.lateFirst).toBe(0)
  expect(found.orders.get(3)).toEqual({ inTime: 1, lateFirst: 0 })
  expect(found.allInTime).toBe(0)
})

test('a lane more never makes anything less probable, and the same work comes to the same', () => {
  for (let seed = 1; seed <= 20; seed++) {
    const { jobs, orders } = workOfChance(seed, { jobs: 30, orders: 4, lanes: 3 })
    const rehearsed = (lanes: number) =>
      atOnce(
        rehearse({
          jobs: jobs.map(({ orderId, seconds }) => job(orderId, around(seconds, 0.4))),
          machine: lanesOnly(lanes),
          orders,
          again: 0.1,
        }),
      )
    const [few, more] = [rehearsed(2), rehearsed(3)]
    for (const [id, { inTime }] of few.orders) expect(more.orders.get(id)!.inTime).toBeGreaterThanOrEqual(inTime)
    expect(more.allInTime).toBeGreaterThanOrEqual(few.allInTime)
    expect(rehearsed(2)).toEqual(few)
  }
})
