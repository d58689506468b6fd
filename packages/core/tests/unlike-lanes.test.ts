import { describe, expect, test } from 'vitest'
import { Agenda, Lanes, planByDueTime, rehearse, type EncoderNeed, type LaneWork, type Machine } from '../src/index.ts'
import { laneNames, withLanes } from '../src/planning/shared-lanes.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { workOfChance, wrongIn } from '../../../tests/support/order-of-work.ts'
import { at, forecast, job as outlined } from './outlines.ts'
import { seeded } from '../../../tests/support/seeded.ts'

const sure = (seconds: number) => ({ expected: seconds, low: seconds, high: seconds })
const job = (id: number, seconds: number, need?: 'h264' | 'av1', more: Partial<LaneWork> = {}): LaneWork => ({
  ...{ id, seconds: sure(seconds) },
  ...(need ? { need } : {}),
  ...more,
})
/** One lane of a processor, and one of a device that takes nothing else. */
const unlike: Machine = {
  ...{ lanes: 2, cores: null },
  groups: [
    { name: null, lanes: 1, takes: [null] },
    { name: 'GPU', lanes: 1, takes: ['h264'] },
  ],
}
function placed(machine: Machine, jobs: readonly LaneWork[]) {
  const lanes = new Lanes(machine)
  const taken = jobs.map(work => lanes.place(work))
  const places = new Map(
    lanes
      .finish()
      .map(({ id, start, end, stretches }) => [
        id,
        { from: start.expected, to: end.expected, lanes: stretches.map(({ lane }) => lane) },
      ]),
  )
  return { taken, places }
}

describe('lanes that take unlike work', () => {
  test('take the first job of theirs, and none waits behind one that waits for another lane', () => {
    const { places } = placed(unlike, [job(1, 10, 'h264'), job(2, 10, 'h264'), job(3, 5), job(4, 5)])
    expect(places.get(1)).toEqual({ from: 0, to: 10, lanes: [1] })
    expect(places.get(2)).toEqual({ from: 10, to: 20, lanes: [1] })
    expect(places.get(3)).toEqual({ from: 0, to: 5, lanes: [0] })
    expect(places.get(4)).toEqual({ from: 5, to: 10, lanes: [0] })
  })

  test('of a processor with a device take both in their order', () => {
    const both: Machine = { lanes: 1, cores: null, groups: [{ name: null, lanes: 1, takes: ['h264', null] }] }
    const { places } = placed(both, [job(1, 4), job(2, 3, 'h264'), job(3, 2)])
    expect([1, 2, 3].map(id => places.get(id)!.to)).toEqual([4, 7, 9])
  })

  test('leave what no lane takes, and say so', () => {
    const { taken, places } = placed(unlike, [job(1, 5, 'av1'), job(2, 5)])
    expect(taken).toEqual([false, true])
    expect([...places.keys()]).toEqual([2])
    expect(placed({ lanes: 1, cores: null }, [job(1, 5, 'h264')]).taken).toEqual([false])
  })

  test('wait for what is not here yet without holding up others', () => {
    const { places } = placed(unlike, [job(1, 5, 'h264', { hereFrom: 20 }), job(2, 5, 'h264'), job(3, 30), job(4, 1)])
    expect(places.get(2)).toMatchObject({ from: 0, to: 5 })
    expect(places.get(1)).toMatchObject({ from: 20, to: 25 })
    expect(places.get(4)).toMatchObject({ from: 30, to: 31, lanes: [0] })
  })

  test('divide a job among those that take it', () => {
    const three: Machine = { ...unlike, lanes: 3, groups: [{ ...unlike.groups![0]!, lanes: 2 }, unlike.groups![1]!] }
    const { places } = placed(three, [job(1, 60, undefined, { pieces: 6 })])
    expect(places.get(1)!.to).toBeCloseTo(30)
    expect(new Set(places.get(1)!.lanes)).toEqual(new Set([0, 1]))
  })

  test('slow each other where they share cores', () => {
    const { places } = placed({ ...unlike, cores: 1 }, [
      job(1, 10, 'h264', { busyCores: 1 }),
      job(2, 10, undefined, { busyCores: 1 }),
    ])
    expect(places.get(1)!.to).toBeCloseTo(20)
    expect(places.get(2)!.to).toBeCloseTo(20)
  })
})

/** The same by another way: moment by moment, each lane that is free looks through all that waits. */
function byMoments(takes: readonly (readonly EncoderNeed[])[], jobs: readonly LaneWork[]): Map<number, number> {
  const free = takes.map(() => 0)
  const waiting = [...jobs]
  const ends = new Map<number, number>()
  const moments = new Set<number>([0, ...jobs.map(({ hereFrom = 0 }) => hereFrom)])
  while (waiting.length > 0) {
    const now = Math.min(...moments)
    moments.delete(now)
    for (const [lane, kinds] of takes.entries()) {
      if (free[lane]! > now) continue
      const next = waiting.findIndex(({ need, hereFrom = 0 }) => kinds.includes(need ?? null) && hereFrom <= now)
      if (next < 0) continue
      const [work] = waiting.splice(next, 1)
      free[lane] = now + work!.seconds.expected
      ends.set(work!.id, free[lane]!)
      moments.add(free[lane]!)
    }
  }
  return ends
}

test('plans of unlike lanes are those of looking at each moment, in hundreds of cases', () => {
  const random = seeded(7)
  const pick = <T>(all: readonly T[]) => all[Math.floor(random() * all.length)]!
  for (let round = 0; round < 300; round++) {
    const groups = Array.from({ length: 2 + Math.floor(random() * 3) }, (_, index) => ({
      ...{ name: null, lanes: 1 },
      // The first takes all, so that nothing is left.
      takes:
        index === 0
          ? [null, 'h264' as const, 'av1' as const]
          : pick([[null], ['h264' as const], [null, 'av1' as const]]),
    }))
    const jobs = Array.from({ length: 1 + Math.floor(random() * 25) }, (_, id) =>
      job(id, 1 + Math.floor(random() * 1e6) / 1e4, pick([undefined, undefined, 'h264', 'av1'] as const), {
        hereFrom: random() < 0.2 ? Math.floor(random() * 5e5) / 1e4 : 0,
      }),
    )
    const machine = { lanes: groups.length, cores: null, groups }
    const { places } = placed(machine, jobs)
    const expected = byMoments(
      groups.map(({ takes }) => takes),
      jobs,
    )
    for (const { id } of jobs) expect(places.get(id)!.to, `round ${round}, job ${id}`).toBeCloseTo(expected.get(id)!, 6)
  }
})

test('an order of work is looked for, and rehearsed, on the same lanes', () => {
  const jobs = [job(1, 30, 'h264'), job(2, 20, 'h264'), job(3, 10), job(4, 10)]
  const order = (id: number) => (id === 2 || id === 4 ? 2 : 1)
  const takes = [1, 2]
  const { now, found } = atOnce(
    planByDueTime({
      jobs: jobs.map(({ id, seconds, need }) => ({ id, orderId: order(id), seconds: seconds.expected, need })),
      orders: [
        { orderId: 1, dueSeconds: null, begunUntil: 0 },
        { orderId: 2, dueSeconds: 25, begunUntil: 0 },
      ],
      lanes: [0, 0],
      takes,
    }),
  )
  // The device ends the second order after 50 s as the jobs stand, and after 20 s with its job first; its lane is never used for the others.
  expect(now.orders[1]).toMatchObject({ end: 50, late: 25 })
  expect(found.orders[1]).toMatchObject({ end: 20, late: 0 })
  const { orders } = atOnce(
    rehearse({
      jobs: jobs.map(work => ({ orderId: order(work.id), work })),
      machine: unlike,
      orders: [
        { orderId: 1, dueSeconds: 31 },
        { orderId: 2, dueSeconds: 49 },
      ],
      again: 0,
    }),
  )
  expect(orders.get(1)!.inTime).toBe(1)
  expect(orders.get(2)!.inTime).toBe(0)
})

test('an order that is found comes to what going through it by the clock does', () => {
  for (let seed = 1; seed <= 40; seed++) {
    const lanes = 2 + (seed % 3)
    const work = workOfChance(seed, { jobs: 20, orders: 3, lanes, weighted: seed % 2 === 0, unlike: true })
    const { now, found } = atOnce(planByDueTime(work))
    expect([...wrongIn(work, now), ...wrongIn(work, found)], `seed ${seed}`).toEqual([])
  }
})

test('what no order can be better than is never above what is found, and knows that few lanes take a kind of work', () => {
  const random = seeded(11)
  for (let round = 0; round < 60; round++) {
    const jobs = Array.from({ length: 2 + Math.floor(random() * 12) }, (_, id) => ({
      ...{ id, orderId: 1 + Math.floor(random() * 3), seconds: 1 + random() * 100 },
      need: random() < 0.5 ? ('h264' as const) : undefined,
    }))
    const work = {
      jobs,
      orders: [1, 2, 3].map(orderId => ({ orderId, dueSeconds: random() * 200, begunUntil: 0 })),
      lanes: [0, random() * 30, 0],
      takes: [1, 1, round % 2 === 0 ? 2 : 3],
    }
    const { now, found, bound } = atOnce(planByDueTime(work))
    expect(found.late).toBeLessThanOrEqual(now.late + 1e-6)
    expect(bound.late).toBeLessThanOrEqual(found.late + 1e-6)
    expect(bound.end).toBeLessThanOrEqual(found.end + 1e-6)
    // One lane takes what needs a device, so it is done no sooner than one after the other.
    const byDevice = jobs.reduce((sum, { seconds, need }) => sum + (need ? seconds : 0), 0)
    expect(bound.end).toBeGreaterThanOrEqual(byDevice - 1e-6)
  }
})

test('an order is told of lanes that can do something of it, and of jobs that none takes', () => {
  const waits = (id: number, need: 'h264' | 'av1' | null) =>
    outlined({ id, need, state: 'waiting', measured: forecast(sure(60), sure(1)) })
  const summaryOf = (...jobs: ReturnType<typeof waits>[]) =>
    atOnce(Agenda.make(1, jobs, [], unlike, { rates: new Map(), calibrations: new Map() }, at)).summary
  expect(summaryOf(waits(1, null))).toMatchObject({ lanes: 2, usefulLanes: 1, awaitDevices: 0, untaken: 0 })
  const mixed = summaryOf(waits(1, null), waits(2, 'h264'), waits(3, 'av1'))
  expect(mixed).toMatchObject({ usefulLanes: 2, awaitDevices: 2, untaken: 1, laneNames: ['lane 1', 'GPU'] })
  // The one that no lane takes has no end, and puts off nothing.
  expect(mixed.released.end!.expected).toBe(60)
})

test("lanes are called by their device, and those that are supposed are a processor's", () => {
  const two: Machine = { ...unlike, lanes: 3, groups: [unlike.groups![0]!, { ...unlike.groups![1]!, lanes: 2 }] }
  expect(laneNames(two)).toEqual(['lane 1', 'GPU, 1', 'GPU, 2'])
  expect(laneNames({ lanes: 2 })).toEqual(['lane 1', 'lane 2'])
  const more = withLanes(two, 2)
  expect(more.lanes).toBe(5)
  expect(laneNames(more)).toEqual(['lane 1', 'GPU, 1', 'GPU, 2', 'lane 2', 'lane 3'])
  expect(withLanes(two, -5)).toMatchObject({ lanes: 2, groups: [{ lanes: 0 }, { lanes: 2 }] })
  expect(laneNames(withLanes({ lanes: 1, cores: null }, 0, 1))).toEqual(['lane 1', 'supposed device'])
  expect(withLanes(two, 0, -1)).toMatchObject({ lanes: 2, groups: [{ lanes: 1 }, { lanes: 1 }] })
  expect(withLanes({ lanes: 1, cores: 2 }, -3)).toEqual({ lanes: 0, cores: 2 })
})
