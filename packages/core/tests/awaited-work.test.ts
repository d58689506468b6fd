import { describe, expect, test } from 'vitest'
import { planByDueTime, rehearse, WorkingHours, type LaneWork, type Machine } from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { seeded } from '../../../tests/support/seeded.ts'
import { throughTheDay } from '../../../tests/support/shared-machine.ts'
import { asWork, expectAsClaimed, jobsOfChance, planned } from './claimed-plans.ts'
import { EndsOfOrders } from '../src/planning/ends-of-orders.ts'
import { around, at, exactly } from './outlines.ts'

/** Work on what is not here yet: a lane that comes to it takes what follows, and begins with it as soon as it can when it is. */
const one: Machine = { lanes: 1, cores: null }
const two: Machine = { lanes: 2, cores: null }
const work = (id: number, seconds: number, hereFrom?: number): LaneWork => ({
  ...{ id, seconds: exactly(seconds) },
  ...(hereFrom === undefined ? {} : { hereFrom }),
})
const times = (machine: Machine, ...jobs: LaneWork[]) =>
  planned(machine, ...jobs).places.map(({ start, end }) => [start.expected, end.expected])

describe('a job that is not here yet', () => {
  test('is begun when it is', () => {
    expect(times(one, work(1, 60, 100))).toEqual([[100, 160]])
  })

  test('lets those that follow go before, and goes before what they leave', () => {
    // The lane is free at 0, 70 and 140: the awaited one is here then.
    expect(times(one, work(1, 60, 100), work(2, 70), work(3, 70), work(4, 70))).toEqual([
      [140, 200],
      [0, 70],
      [70, 140],
      [200, 270],
    ])
  })

  test('lets each lane rest until it comes, and no longer', () => {
    expect(times(two, work(1, 60, 100), work(2, 30), work(3, 50, 80))).toEqual([
      [100, 160],
      [0, 30],
      [80, 130],
    ])
  })

  test('comes to lanes that are slowed at the moment that the clock says', () => {
    // Two that want all cores, at half the speed until the first ends at 40; the third comes at 50 and slows the second, which has 5 of its 30 left then.
    const jobs = [
      { id: 1, seconds: exactly(20), busyCores: 4 },
      { id: 2, seconds: exactly(35), busyCores: 4 },
      { id: 3, seconds: exactly(10), busyCores: 4, hereFrom: 50 },
    ]
    expect(times({ lanes: 2, cores: 4 }, ...jobs)).toEqual([
      [0, 40],
      [0, 60],
      [50, 65],
    ])
  })

  test('comes for certain: what was done before it is no part of what is unsure after it, unless it puts it off', () => {
    const before = { id: 1, seconds: around(100, 0.2) }
    const [, late] = planned(one, before, { id: 2, seconds: around(50, 0.2), hereFrom: 1000 }).places
    const alone = planned(one, { id: 2, seconds: around(50, 0.2) }).places[0]!
    expect(late!.start).toEqual({ expected: 1000, low: 1000, high: 1000 })
    expect(late!.end.high - 1000).toBeCloseTo(alone.end.high, 9)
    expect(late!.end.low - 1000).toBeCloseTo(alone.end.low, 9)
    const [first, soon] = planned(one, before, { id: 2, seconds: around(50, 0.2), hereFrom: 101 }).places
    expect(soon!.start).toEqual({ expected: 101, low: 101, high: first!.end.high })
    // The lane is taken until after it came, but may be free before: it is not done sooner than it takes from then on.
    const [, waiting] = planned(one, before, { id: 2, seconds: around(50, 0.2), hereFrom: 95 }).places
    expect(waiting!.start).toMatchObject({ expected: 100, low: 95 })
    expect(waiting!.end.low).toBeGreaterThanOrEqual(95 + alone.end.low - 1e-9)
    expect(waiting!.end.expected).toBe(150)
  })
})

test.each(Array.from({ length: 60 }, (_, seed) => seed))(
  'what is planned (%i) is what going through the day by the clock comes to',
  seed => {
    const [lanes, cores] = [1 + (seed % 4), 1 + ((seed * 7) % 16)]
    // On one lane parts are no matter: the plan has the job in one piece.
    const jobs = jobsOfChance(seed, cores, 0.35).map(job => (lanes === 1 ? { ...job, parts: 1 } : job))
    const day = throughTheDay(jobs, lanes, cores)
    for (const { id, start, end } of planned({ lanes, cores }, ...jobs.map(asWork)).places) {
      expect(start.expected).toBeCloseTo(day.get(id)!.start, 5)
      expect(end.expected).toBeCloseTo(day.get(id)!.end, 5)
    }
  },
)

describe('an order of work', () => {
  test.each(Array.from({ length: 30 }, (_, seed) => seed))(
    'with jobs that come later (%i) is what it claims, no worse than the one there was, and no better than the bound',
    seed => {
      const [lanes, cores] = [1 + (seed % 4), 2 + ((seed * 5) % 12)]
      const random = seeded(seed + 900)
      const jobs = jobsOfChance(seed, cores, 0.35).map(({ parts, ...job }) => ({
        ...job,
        pieces: lanes === 1 ? 1 : parts,
        orderId: 1 + Math.floor(random() * 3),
      }))
      expectAsClaimed({
        jobs,
        orders: [1, 2, 3].map(orderId => ({ orderId, dueSeconds: random() * 4000, begunUntil: 0 })),
        lanes: new Array<number>(lanes).fill(0),
        sharing: { cores, begun: new Array<number>(lanes).fill(0) },
      })
    },
  )

  test('is late whatever is done where its material comes after it is due, and the bound says so', () => {
    const { found, bound } = atOnce(
      planByDueTime({
        jobs: [{ id: 1, orderId: 1, seconds: 60, hereFrom: 1000 }],
        orders: [{ orderId: 1, dueSeconds: 500, begunUntil: 0 }],
        lanes: [0, 0],
      }),
    )
    expect(found.late).toBe(560)
    expect(bound.late).toBe(560)
  })
})

test('rehearsals without any doubt end when the plan does', () => {
  const jobs = jobsOfChance(5, 6, 0.35)
  const end = Math.max(...planned({ lanes: 3, cores: 6 }, ...jobs.map(asWork)).places.map(place => place.end.expected))
  const chance = (dueSeconds: number) =>
    atOnce(
      rehearse({
        jobs: jobs.map(job => ({ orderId: 1, work: { ...asWork(job), seconds: exactly(job.seconds) } })),
        machine: { lanes: 3, cores: 6 },
        orders: [{ orderId: 1, dueSeconds }],
        again: 0,
      }),
    ).allInTime
  expect([chance(end * 1.000001), chance(end * 0.999999)]).toEqual([1, 0])
})

test('with hours in which jobs rest, every end is what going through the days by the clock comes to', () => {
  for (let seed = 1; seed <= 40; seed++) {
    const random = seeded(seed)
    const [lanes, cores] = [1 + Math.floor(random() * 4), 1 + Math.floor(random() * 8)]
    const [from, to] = [9 + Math.floor(random() * 5), 14 + Math.floor(random() * 9)]
    const day = 24 * 3600
    const hours = WorkingHours.parse({
      zone: 'UTC',
      spans: [{ days: [1, 2, 3, 4, 5, 6, 7], from: `${String(from).padStart(2, '0')}:00`, to: `${to}:00` }],
    })
    const jobs = Array.from({ length: 1 + Math.floor(random() * 25) }, (_, index) => ({
      ...{ id: index + 1, seconds: 60 + 10_000 * random() ** 2, busyCores: 0.2 + random() * cores, parts: 1 },
      hereFrom: random() < 0.5 ? random() * 3 * day : 0,
    }))
    // It is eight in the morning.
    const rests = Array.from({ length: 200 }, (_, index) => ({
      from: index === 0 ? 0 : ((index - 1) * 24 + to - 8) * 3600,
      to: (index * 24 + from - 8) * 3600,
    }))
    const byClock = throughTheDay(jobs, lanes, cores, rests)
    const ends = new EndsOfOrders({ lanes, cores, hours: { hours, workOnUntil: null } }, at)
    for (const job of jobs) ends.place(1, { ...asWork(job), hereFrom: ends.time.openOf(job.hereFrom) })
    const { places } = ends.against([])
    for (const { id } of jobs) expect(places.get(id)!.end.expected).toBeCloseTo(byClock.get(id)!.end, 4)
  }
})
