import { describe, expect, test } from 'vitest'
import {
  describeSharing,
  laneWork,
  Lanes,
  planByDueTime,
  rehearse,
  slowingOf,
  type LaneWork,
  type Machine,
  type WorkToOrder,
} from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { seeded } from '../../../tests/support/seeded.ts'
import { throughTheDay } from '../../../tests/support/shared-machine.ts'
import { asWork, expectAsClaimed, jobsOfChance, planned } from './claimed-plans.ts'
import { around, exactly, extent, forecast, job } from './outlines.ts'

/** Lanes on one machine share its cores, and jobs that can be divided are made by several lanes. */
const work = (id: number, seconds: number, busyCores?: number, pieces = 1): LaneWork => ({
  ...{ id, seconds: exactly(seconds), pieces },
  ...(busyCores === undefined ? {} : { busyCores }),
})
const ends = (machine: Machine, ...jobs: LaneWork[]) =>
  planned(machine, ...jobs).places.map(({ end }) => Number(end.expected.toFixed(6)))

describe('lanes that share cores', () => {
  const two = { lanes: 2, cores: 4 }

  test('do not slow each other while there are cores for both', () => {
    expect(ends(two, work(1, 100, 2), work(2, 60, 2))).toEqual([100, 60])
    expect(planned(two, work(1, 100, 2)).slowing).toBe(1)
  })

  test('have nothing of each other where both want all: two at once take as long as one after the other', () => {
    expect(ends(two, work(1, 100, 4), work(2, 100, 4))).toEqual([200, 200])
    expect(planned(two, work(1, 100, 4), work(2, 100, 4)).slowing).toBe(2)
  })

  test('are as quick as alone again when the other has ended', () => {
    // Side by side at half the speed: after 120 s the short one ends, and the long one has 40 of its 100 s left.
    expect(ends(two, work(1, 100, 4), work(2, 60, 4))).toEqual([160, 120])
  })

  test('are never told to be quicker than alone, whatever their times add up to', () => {
    for (let seed = 0; seed < 200; seed++) {
      const random = seeded(seed)
      const jobs = Array.from({ length: 40 }, (_, id) => work(id, random() * 100, 0.01, 1 + Math.floor(random() * 6)))
      expect(planned({ lanes: 2, cores: 64 }, ...jobs).slowing).toBeGreaterThanOrEqual(1)
    }
  })

  test('go slower by what they want over what there is', () => {
    // 3 + 2 cores wanted, 4 there: 1.25 times as long.
    expect(ends(two, work(1, 100, 3), work(2, 100, 2))).toEqual([125, 125])
  })

  test('are taken for as quick as alone where nobody knows how many cores there are, or how many are kept busy', () => {
    expect(ends({ lanes: 2, cores: null }, work(1, 100, 4), work(2, 100, 4))).toEqual([100, 100])
    expect(ends(two, work(1, 100), work(2, 100))).toEqual([100, 100])
  })

  test('keep ranges as wide for their ends as they are alone', () => {
    const lanes = new Lanes(two)
    for (const id of [1, 2]) lanes.place({ id, seconds: around(100, 0.3), busyCores: 4 })
    const { end } = lanes.finish()[0]!
    const alone = new Lanes({ lanes: 1, cores: 4 })
    alone.place({ id: 1, seconds: around(100, 0.3), busyCores: 4 })
    const { end: aloneEnd } = alone.finish()[0]!
    expect(end.expected).toBe(200)
    expect(end.high / end.expected).toBeCloseTo(aloneEnd.high / aloneEnd.expected, 9)
    expect(end.low / end.expected).toBeCloseTo(aloneEnd.low / aloneEnd.expected, 9)
  })
})

describe('jobs that can be divided', () => {
  test('are made by all lanes that are free, and the next job begins behind them', () => {
    const { places } = planned({ lanes: 2, cores: null }, work(1, 600, 1, 12), work(2, 60))
    expect(places.map(({ start, end }) => [start.expected, end.expected])).toEqual([
      [0, 300],
      [300, 360],
    ])
    expect(places[0]!.stretches.map(({ lane, start, end }) => [lane, start.expected, end.expected])).toEqual([
      [0, 0, 300],
      [1, 0, 300],
    ])
  })

  test('are helped by a lane that becomes free in the middle', () => {
    // The first 120 s have one lane, then two: 120 + (600 - 120) / 2.
    expect(ends({ lanes: 2, cores: null }, work(1, 120), work(2, 600, 1, 5))).toEqual([120, 360])
  })

  test('take no less time where one lane keeps all cores busy', () => {
    expect(ends({ lanes: 2, cores: 4 }, work(1, 600, 4, 12))).toEqual([600])
  })

  test("are as unsure as they are in one piece: their pieces' errors are the same", () => {
    const end = (pieces: number) => {
      const lanes = new Lanes({ lanes: 1, cores: null })
      lanes.place({ id: 1, seconds: around(100, 0.3), pieces })
      return lanes.finish()[0]!.end
    }
    expect(end(3)).toEqual(end(1))
  })
})

test.each(Array.from({ length: 60 }, (_, seed) => seed))(
  'what is planned (%i) is what going through the day by the clock comes to',
  seed => {
    const [lanes, cores] = [1 + (seed % 4), 1 + ((seed * 7) % 16)]
    const jobs = jobsOfChance(seed, cores)
    // One lane does a job as a whole, which comes to the same.
    const day = throughTheDay(jobs, lanes, cores)
    const { places, slowing } = planned({ lanes, cores }, ...jobs.map(asWork))
    expect(slowing).toBeGreaterThanOrEqual(1)
    for (const { id, start, end } of places) {
      expect(start.expected).toBeCloseTo(day.get(id)!.start, 5)
      expect(end.expected).toBeCloseTo(day.get(id)!.end, 5)
    }
  },
)

describe('an order of work on shared cores', () => {
  const sharedWork = (seed: number, cores: number, lanes: number): WorkToOrder => {
    const random = seeded(seed + 500)
    const jobs = jobsOfChance(seed, cores).map(job => ({ ...job, orderId: 1 + Math.floor(random() * 3) }))
    const all = jobs.reduce((sum, { seconds, busyCores }) => sum + seconds * Math.max(1 / lanes, busyCores / cores), 0)
    return {
      jobs: jobs.map(({ parts, ...job }) => ({ ...job, pieces: parts })),
      orders: [1, 2, 3].map(orderId => ({ orderId, dueSeconds: random() * all, begunUntil: 0 })),
      lanes: new Array<number>(lanes).fill(0),
      sharing: { cores, begun: new Array<number>(lanes).fill(0) },
    }
  }

  test.each(Array.from({ length: 30 }, (_, seed) => seed))(
    '(%i) is what it claims, no worse than the one there was, and no better than the bound',
    seed => {
      const [lanes, cores] = [1 + (seed % 4), 2 + ((seed * 5) % 12)]
      expectAsClaimed(sharedWork(seed, cores, lanes))
    },
  )

  test('what is begun slows what comes after it, and is slowed by it', () => {
    // Both at half the speed for 100 s; then the waiting job has 10 of its 60 s left.
    const { now } = atOnce(
      planByDueTime({
        jobs: [{ id: 1, orderId: 2, seconds: 60, busyCores: 4 }],
        orders: [
          { orderId: 1, dueSeconds: 50, begunUntil: 50 },
          { orderId: 2, dueSeconds: null, begunUntil: 0 },
        ],
        lanes: [50, 0],
        sharing: { cores: 4, begun: [4, 0] },
      }),
    )
    expect(now.orders.map(({ end }) => end)).toEqual([100, 110])
    expect(now.late).toBe(50)
  })

  test('rehearsals without any doubt end when the plan does', () => {
    const jobs = jobsOfChance(3, 6)
    const lanes = new Lanes({ lanes: 3, cores: 6 })
    for (const job of jobs) lanes.place(asWork(job))
    const end = Math.max(...lanes.finish().map(place => place.end.expected))
    const chance = (dueSeconds: number) =>
      atOnce(
        rehearse({
          jobs: jobs.map(job => ({ orderId: 1, work: asWork(job) })),
          machine: { lanes: 3, cores: 6 },
          orders: [{ orderId: 1, dueSeconds }],
          again: 0,
        }),
      ).allInTime
    expect([chance(end * 1.000001), chance(end * 0.999999)]).toEqual([1, 0])
  })
})

describe('what ran beside a job', () => {
  const own = { from: 0, to: 100, cores: 4 }

  test('slowed it where both wanted more cores than there are', () => {
    expect(slowingOf(own, [], 4)).toBe(1)
    expect(slowingOf(own, [{ from: -50, to: 500, cores: 4 }], 4)).toBe(2)
    expect(slowingOf(own, [{ from: -50, to: 500, cores: 4 }], 8)).toBe(1)
    expect(slowingOf(own, [{ from: 100, to: 200, cores: 4 }], 4)).toBe(1)
  })

  test('counts for as long as it ran', () => {
    // 50 s alone are 50 s of work, 50 s beside another are 25.
    expect(slowingOf(own, [{ from: 50, to: 200, cores: 4 }], 4)).toBeCloseTo(100 / 75, 9)
    // 25 s alone, 25 s beside one, 50 s beside two: 25 + 12.5 + 16.67.
    const two = [
      { from: 25, to: 200, cores: 4 },
      { from: 50, to: 200, cores: 4 },
    ]
    expect(slowingOf(own, two, 4)).toBeCloseTo(100 / (25 + 12.5 + 50 / 3), 9)
  })
})

describe('a job as lanes take it', () => {
  const hours = forecast(exactly(3200), exactly(100))
  const divisible = (changes = {}) => job({ extent: { ...extent(5000), isDivisible: true }, ...changes })
  const piecesOf = (entry: ReturnType<typeof job>, told = hours) => laneWork(entry, told)!.pieces

  test('can be divided as its segments will be: a sixteenth of it each, or a minute of work', () => {
    expect(piecesOf(divisible())).toBe(16)
    expect(piecesOf(divisible(), forecast(exactly(600), exactly(100)))).toBe(10)
    expect(piecesOf(divisible(), forecast(exactly(30), exactly(100)))).toBe(1)
    expect(piecesOf(job())).toBe(1)
  })

  test('has those left that are not done yet', () => {
    const progress = {
      ...{ stage: 'encode' as const, framesDone: 1, framesTotal: 2, framesPerSecond: 1, timesRealTime: 1 },
      ...{ bytesWritten: 0, secondsLeft: null, part: 0.25 },
      segments: { done: 4, total: 16, awaitsSound: false, lanes: 2 },
    }
    expect(piecesOf(divisible({ state: 'running', progress }))).toBe(12)
    const { segments: _, ...whole } = progress
    expect(piecesOf(divisible({ state: 'running', progress: whole }))).toBe(1)
  })

  test('keeps so many cores busy as its forecast says', () => {
    expect(laneWork(job(), { ...hours, busyCores: 3.5 })!.busyCores).toBe(3.5)
  })
})

test('what lanes do to each other is told of several', () => {
  expect(describeSharing(1, { cores: 8, slowing: 1 })).toBeNull()
  expect(describeSharing(2, null)).toContain('taken for as quick')
  expect(describeSharing(2, { cores: 8, slowing: 1.02 })).toBe(
    'There is room for all lanes on the 8 cores that they share.',
  )
  expect(describeSharing(2, { cores: 1, slowing: 1.94 })).toBe(
    'The lanes share 1 core: work takes 1.9 times as long as alone.',
  )
})
