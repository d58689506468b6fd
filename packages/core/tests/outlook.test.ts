import { describe, expect, test } from 'vitest'
import {
  Agenda,
  asItIs,
  outlook,
  suggestOrder,
  WhatIf,
  type Supposed,
  type JobForecast,
  type JobOutline,
  type Outlook,
  type OutlookGround,
} from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { wrongIn } from '../../../tests/support/order-of-work.ts'
import { seeded } from '../../../tests/support/seeded.ts'
import { around, at, forecast, inMinutes, job, lanesOnly, minute, nothingAnnounced, order } from './outlines.ts'

/** What comes of all orders' jobs, as they are and as is supposed. */
const minutes = (value: number, bytes = 100): Pick<JobOutline, 'measured'> => ({
  measured: forecast(around(value * minute, 0.1), around(bytes, 0.1)),
})
const waiting = (id: number, orderId: number, takes: number, changes: Partial<JobOutline> = {}) =>
  job({ id, orderId, state: 'waiting', ...minutes(takes), ...changes })
const unknown = { measured: null, likeKey: null }
const ground = (changes: Partial<OutlookGround>): OutlookGround => ({
  jobs: [waiting(1, 1, 60), waiting(2, 1, 60), waiting(3, 2, 30)],
  forecasts: { rates: new Map(), calibrations: new Map() },
  machine: lanesOnly(1),
  orders: [order(1, 300), order(2, 120)],
  volumes: [{ id: 3, freeBytes: 1000 }],
  repeats: { begun: 0, lost: 0 },
  announced: nothingAnnounced,
  ...changes,
})
const look = (changes: Partial<OutlookGround> = {}, supposed: Partial<WhatIf> = {}): Outlook =>
  atOnce(outlook(ground(changes), WhatIf.parse({ ...asItIs, ...supposed }), at))
const endsInMinutes = (found: Outlook) =>
  Object.fromEntries(found.orders.map(({ code, end }) => [code, end && end.expected / minute]))

describe('as it is', () => {
  test('an order has its jobs, its device time, its end and the chance of its due time', () => {
    const found = look()
    expect(found).toMatchObject({ at: at.toISOString(), lanes: 1, sequence: [1, 2, 3] })
    expect(found.orders).toMatchObject([
      { code: 'SL-1', jobs: 2, unknown: 0, seconds: { expected: 120 * minute }, lateSeconds: 0, inTime: 1 },
      { code: 'SL-2', jobs: 1, seconds: { expected: 30 * minute }, lateSeconds: 30 * minute, inTime: 0 },
    ])
    expect(found.orders[1]!.lateFirst).toBe(1)
    expect(endsInMinutes(found)).toEqual({ 'SL-1': 120, 'SL-2': 150 })
    expect(found.all).toMatchObject({ jobs: 3, unknown: 0, lateSeconds: 30 * minute, inTime: 0 })
    expect(found.all.end!.expected).toBe(150 * minute)
  })

  test('nothing is said of the chance where something is not known, or nobody waits for it', () => {
    const jobs = [waiting(3, 2, 30), waiting(4, 3, 30), waiting(1, 1, 60), waiting(2, 1, 0, unknown)].map(
      (entry, position) => ({ ...entry, position }),
    )
    const found = look({ jobs, orders: [order(1, 300), order(2, 300), order(3, null)] })
    expect(found.orders.map(({ unknown, inTime }) => [unknown, inTime])).toEqual([
      [1, null],
      [0, 1],
      [0, null],
    ])
    expect(found.all).toMatchObject({ unknown: 1, inTime: null })
  })

  test('nor where something before it in the queue is not known, which could put it off by any time', () => {
    const orders = [order(1, 300), order(2, 300)]
    const chances = (jobs: JobOutline[]) => look({ jobs, orders }).orders.map(({ inTime }) => inTime)
    expect(chances([waiting(1, 1, 0, unknown), waiting(2, 2, 30)])).toEqual([null, null])
    expect(chances([waiting(1, 2, 30), waiting(2, 1, 0, unknown)])).toEqual([null, 1])
  })

  test('drafts, held jobs and those that are done are not in it, and orders without work neither', () => {
    const others = (['draft', 'held', 'done', 'failed', 'cancelled'] as const).map((state, index) =>
      waiting(10 + index, 4, 60, { state }),
    )
    expect(
      look({ jobs: [...ground({}).jobs, ...others], orders: [order(1, 300), order(2, 120), order(4, 9)] }),
    ).toEqual(look())
  })

  test('without a lane only what is begun has an end', () => {
    const jobs = [waiting(1, 1, 60, { state: 'running' }), waiting(2, 2, 30)]
    const found = look({ jobs, machine: lanesOnly(0) })
    expect(endsInMinutes(found)).toEqual({ 'SL-1': 60, 'SL-2': null })
    expect(found.orders[1]).toMatchObject({ inTime: null, lateSeconds: 0 })
  })

  test('every end is what going through the work by the clock comes to, whatever is supposed', () => {
    for (let seed = 1; seed <= 15; seed++) {
      const random = seeded(seed)
      const jobs = Array.from({ length: 5 + Math.floor(random() * 40) }, (_, index) =>
        waiting(1 + index, 1 + Math.floor(random() * 4), 1 + random() * 90, { position: random() }),
      )
      const lanes = 1 + Math.floor(random() * 3)
      const supposed = {
        lanesMore: Math.floor(random() * 3),
        byDueTimes: random() < 0.3,
        first: random() < 0.5 ? [3, 1] : [],
        without: random() < 0.3 ? [2] : [],
      }
      const orders = [1, 2, 3, 4].map(id => order(id, random() < 0.2 ? null : random() * 900))
      const found = look({ jobs, machine: lanesOnly(lanes), orders }, supposed)
      const done = jobs.filter(({ orderId }) => !supposed.without.includes(orderId))
      if (!supposed.byDueTimes) {
        const rank = ({ orderId }: JobOutline) =>
          supposed.first.includes(orderId) ? supposed.first.indexOf(orderId) : supposed.first.length
        const wanted = done.toSorted((a, b) => rank(a) - rank(b) || a.position - b.position)
        expect(found.sequence).toEqual(wanted.map(({ id }) => id))
      }
      const ends = found.orders.map(({ id, end, lateSeconds }) => ({
        orderId: id,
        end: end!.expected,
        late: lateSeconds,
      }))
      const work = {
        jobs: done.map(({ id, orderId, measured }) => ({ id, orderId, seconds: measured!.seconds.expected })),
        lanes: new Array<number>(lanes + supposed.lanesMore).fill(0),
        orders: found.orders.map(({ id, dueAt }) => ({
          orderId: id,
          dueSeconds: dueAt === null ? null : (new Date(dueAt).getTime() - at.getTime()) / 1000,
          begunUntil: 0,
        })),
      }
      const { all } = found
      expect(
        wrongIn(work, { ids: found.sequence, orders: ends, late: all.lateSeconds, end: all.end!.expected }),
      ).toEqual([])
    }
  })

  test('every end and every sum is what the other pages say', () => {
    for (let seed = 1; seed <= 5; seed++) {
      const random = seeded(seed)
      const states = ['running', 'placing', 'waiting', 'waiting', 'waiting', 'draft', 'held'] as const
      const jobs = Array.from({ length: 40 }, (_, index) =>
        waiting(1 + index, 1 + Math.floor(random() * 3), 1 + random() * 100, {
          state: states[Math.floor(random() * states.length)]!,
          position: random(),
          deliveryVolumeId: random() < 0.5 ? 3 : 4,
          ...(random() < 0.1 ? unknown : {}),
        }),
      )
      const orders = [order(1, 300), order(2, 120), order(3, null)]
      const all = ground({
        jobs,
        orders,
        machine: lanesOnly(1 + (seed % 4)),
        volumes: [3, 4].map(id => ({ id, freeBytes: 1e9 })),
      })
      const found = atOnce(outlook(all, WhatIf.parse({}), at))
      const forecasts = new Map<number, JobForecast>()
      for (const id of [1, 2, 3]) {
        const [own, others] = [jobs.filter(entry => entry.orderId === id), jobs.filter(entry => entry.orderId !== id)]
        const agenda = atOnce(Agenda.make(id, own, others, all.machine, all.forecasts, at))
        for (const [key, value] of agenda.forecasts) forecasts.set(key, value)
        const there = found.orders.find(entry => entry.id === id)
        if (!there) continue
        const { released } = agenda.summary
        expect(there).toMatchObject({ jobs: released.jobs, unknown: released.unknown, end: released.end })
        expect(there.seconds.expected).toBeCloseTo(released.seconds.expected)
        expect(there.seconds.high).toBeCloseTo(released.seconds.high)
        for (const need of agenda.summary.storage) {
          // The agenda of an order has its drafts in it; those of others are in none.
          if (own.some(entry => entry.state === 'draft')) continue
          const volume = found.volumes.find(({ volumeIds }) => volumeIds[0] === need.volumeIds[0])!
          expect(volume.bytes.expected).toBeCloseTo(need.bytes.expected)
          expect(volume.bytes.high).toBeCloseTo(need.bytes.high)
        }
      }
      const suggested = atOnce(suggestOrder(jobs, forecasts, all.machine, orders, at))
      for (const { id, now } of suggested.orders) expect(found.orders.find(entry => entry.id === id)).toMatchObject(now)
    }
  })
})

describe('what if', () => {
  test('there were a lane more, or none', () => {
    expect(endsInMinutes(look({}, { lanesMore: 1 }))).toEqual({ 'SL-1': 60, 'SL-2': 90 })
    expect(look({}, { lanesMore: 1 })).toMatchObject({ lanes: 2, all: { lateSeconds: 0 } })
    expect(look({}, { lanesMore: -5 })).toMatchObject({ lanes: 0, all: { end: null } })
  })

  test('an order came first, or were left out but for what is begun', () => {
    const first = look({}, { first: [2] })
    expect(endsInMinutes(first)).toEqual({ 'SL-1': 150, 'SL-2': 30 })
    expect(first.sequence).toEqual([3, 1, 2])
    const jobs = [waiting(1, 1, 60, { state: 'running' }), waiting(2, 1, 60), waiting(3, 2, 30)]
    expect(endsInMinutes(look({ jobs }, { without: [1] }))).toEqual({ 'SL-1': 60, 'SL-2': 90 })
    expect(endsInMinutes(look({}, { without: [1] }))).toEqual({ 'SL-2': 30 })
  })

  test('orders were due at other times', () => {
    const found = look(
      {},
      {
        due: [
          { orderId: 2, dueAt: inMinutes(200) },
          { orderId: 1, dueAt: null },
        ],
      },
    )
    expect(found.orders).toMatchObject([
      { dueAt: null, inTime: null, lateSeconds: 0 },
      { dueAt: inMinutes(200), lateSeconds: 0 },
    ])
    expect(found.orders[1]!.inTime).toBeGreaterThan(0.95)
  })

  test('jobs were begun by due times', () => {
    const found = look({}, { byDueTimes: true })
    expect(endsInMinutes(found)).toEqual({ 'SL-1': 150, 'SL-2': 30 })
    expect(found.sequence).toEqual([3, 1, 2])
  })

  test('a rush order came: before all that waits, behind what is begun', () => {
    const jobs = [waiting(1, 1, 60, { state: 'running' }), waiting(2, 1, 60), waiting(3, 2, 30)]
    const rush = { jobs: 4, seconds: 80 * minute, dueAt: inMinutes(150) }
    const found = look({ jobs }, { rush })
    expect(endsInMinutes(found)).toEqual({ Rush: 140, 'SL-1': 200, 'SL-2': 230 })
    expect(found.orders[0]).toMatchObject({ id: 0, jobs: 4, dueAt: inMinutes(150), lateSeconds: 0 })
    // It is nothing that could be begun.
    expect(found.sequence).toEqual([2, 3])
  })

  test('drafts were released: behind all that waits', () => {
    const jobs = [waiting(1, 1, 60, { state: 'draft', position: 0 }), waiting(2, 2, 30)]
    expect(endsInMinutes(look({ jobs }, { withDrafts: true }))).toEqual({ 'SL-1': 90, 'SL-2': 30 })
    expect(look({ jobs }, { withDrafts: true })).toMatchObject({ all: { jobs: 2 }, sequence: [2] })
  })

  test('nothing of what there is changes', () => {
    const there = ground({})
    const before = structuredClone(there.jobs)
    atOnce(outlook(there, WhatIf.parse({ first: [2], without: [1], byDueTimes: true, withDrafts: true }), at))
    expect(there.jobs).toEqual(before)
  })
})

describe('a delivery volume', () => {
  const jobs = [
    waiting(1, 1, 10, minutes(10, 300)),
    waiting(2, 2, 10, minutes(10, 300)),
    waiting(3, 1, 10, { ...minutes(10, 300), deliveryVolumeId: 4 }),
    waiting(4, 1, 10, minutes(10, 300)),
    waiting(5, 1, 10, unknown),
  ]

  test('fills as jobs end, of all orders, and is said to be full when it is', () => {
    const [volume, other] = look({ jobs, volumes: [3, 4, 5].map(id => ({ id, freeBytes: 850 })) }).volumes
    expect(volume).toMatchObject({ volumeIds: [3], freeBytes: 850, unknown: 1, fullSeconds: 40 * minute })
    expect(volume!.steps.map(({ seconds, bytes }) => [seconds / minute, bytes.expected])).toEqual([
      [10, 300],
      [20, 600],
      [40, 900],
    ])
    expect(other).toMatchObject({ volumeIds: [4], unknown: 0, bytes: { expected: 300 }, fullSeconds: null })
  })

  test('may be full early where results become larger than is expected', () => {
    const [volume] = look({ jobs, volumes: [{ id: 3, freeBytes: 610 }] }).volumes
    // Two of 300 +- 30 each are 600 +- 42.
    expect(volume).toMatchObject({ fullEarlySeconds: 20 * minute, fullSeconds: 40 * minute })
  })

  test('shares its room with another one of its disk', () => {
    const onDisk = (disks: Record<number, string | null>) =>
      look({ jobs, volumes: [3, 4, 5].map(id => ({ id, freeBytes: 850, disk: disks[id]! })) }).volumes
    // 300 after 10 minutes, 600 after 20, then those of the other volume.
    const [disk, ...others] = onDisk({ 3: 'a', 4: 'a', 5: 'a' })
    expect(others).toEqual([])
    expect(disk).toMatchObject({ volumeIds: [3, 4], freeBytes: 850, unknown: 1, fullSeconds: 30 * minute })
    expect(disk!.steps.map(({ seconds, bytes }) => [seconds / minute, bytes.expected])).toEqual([
      [10, 300],
      [20, 600],
      [30, 900],
      [40, 1200],
    ])
    // Room that is supposed for one of them is that of both; nothing is known of disks that nobody could look at.
    const shared = [3, 4].map(id => ({ id, freeBytes: 850, disk: 'a' }))
    for (const volumeId of [3, 4])
      expect(look({ jobs, volumes: shared }, { room: [{ volumeId, freeBytes: 425 }] }).volumes[0]).toMatchObject({
        freeBytes: 425,
        fullSeconds: 20 * minute,
      })
    expect(onDisk({ 3: null, 4: null, 5: 'a' }).map(({ volumeIds }) => volumeIds)).toEqual([[3], [4]])
    expect(onDisk({ 3: 'a', 4: 'b', 5: 'a' }).map(({ volumeIds }) => volumeIds)).toEqual([[3], [4]])
  })

  test('had less room', () => {
    const volumes = [{ id: 3, freeBytes: 850 }]
    expect(look({ jobs, volumes }, { room: [{ volumeId: 3, freeBytes: 425 }] }).volumes[0]).toMatchObject({
      freeBytes: 425,
      fullSeconds: 20 * minute,
    })
  })

  test('of which nobody knows the room is never full', () => {
    expect(look({ jobs, volumes: [{ id: 3, freeBytes: null }] }).volumes[0]).toMatchObject({
      freeBytes: null,
      fullSeconds: null,
      fullEarlySeconds: null,
    })
  })

  test('is not filled by what lies there already', () => {
    const running = waiting(1, 1, 10, {
      ...minutes(10, 300),
      state: 'running',
      progress: {
        ...{ stage: 'encode', framesDone: 50, framesTotal: 100, framesPerSecond: 25, timesRealTime: 1, part: 0.5 },
        ...{ secondsLeft: 60, bytesWritten: 100 },
      },
    })
    const placing = waiting(2, 1, 10, { ...minutes(10, 300), state: 'placing' })
    expect(look({ jobs: [running, placing] }).volumes[0]!.bytes.expected).toBe(200)
  })

  test('has some hundred steps at most, of which the last is the whole', () => {
    const many = Array.from({ length: 1000 }, (_, index) => waiting(1 + index, 1, 1, minutes(1, 10)))
    const [volume] = look({ jobs: many }).volumes
    expect(volume!.steps.length).toBeLessThan(130)
    expect(volume!.steps.at(-1)).toMatchObject({ seconds: 1000 * minute, bytes: { expected: 10_000 } })
  })
})

test('jobs that were begun for nothing make ends less certain', () => {
  const due = { orders: [order(1, 135), order(2, null)] }
  const [sure, unsure] = [
    { begun: 100, lost: 0 },
    { begun: 100, lost: 30 },
  ].map(repeats => look({ ...due, repeats }))
  expect(sure!.orders[0]!.inTime).toBeGreaterThan(unsure!.orders[0]!.inTime! + 0.1)
  expect(unsure!.repeats).toEqual({ begun: 100, lost: 30 })
})

test('short jobs of several orders are drawn as one, and as nobody’s', () => {
  const many = Array.from({ length: 2000 }, (_, index) => waiting(1 + index, 1 + (index % 2), 1))
  const bars = look({ jobs: [...many, waiting(5000, 2, 500)] }).bars
  expect(bars.length).toBeLessThan(500)
  expect(bars.reduce((sum, bar) => sum + bar.jobs, 0)).toBe(2001)
  expect(bars[0]!.orderId).toBeNull()
  expect(bars.at(-1)).toMatchObject({ orderId: 2, jobs: 1 })
  expect(look({ jobs: [waiting(1, 1, 60), waiting(2, 2, 60)] }).bars).toMatchObject([{ orderId: 1 }, { orderId: 2 }])
})

test('an outlook without jobs is empty', () => {
  expect(look({ jobs: [] })).toMatchObject({ orders: [], volumes: [], bars: [], all: { jobs: 0, end: null } })
  expect(look({ jobs: [], orders: [] }, { rush: { jobs: 1, seconds: 5, dueAt: null } }).all.end!.expected).toEqual(5)
})

describe('what would help', () => {
  const jobs = [waiting(1, 1, 60), waiting(2, 1, 60), waiting(3, 2, 30)]
  const told = (found: Outlook) =>
    found.reliefs.map(({ supposed, lateSeconds, late }) => {
      const changed = Object.entries(supposed).filter(
        ([key, value]) => JSON.stringify(value) !== JSON.stringify(asItIs[key as keyof Supposed]),
      )
      return [Object.fromEntries(changed), lateSeconds / minute, late.map(({ orderId }) => orderId)]
    })

  test('brings one order in beside another that is late by weeks, where that costs nothing', () => {
    const long = [waiting(1, 1, 30_000), waiting(2, 2, 30)]
    const orders = [order(1, 60), order(2, 90)]
    const helps = told(look({ jobs: long, orders }))
    // Half an hour of three weeks is nothing; that order 2 is in time is.
    expect(helps).toContainEqual([{ byDueTimes: true }, 30_000 + 30 - 60, [1]])
    expect(helps).toContainEqual([{ first: [2] }, 30_000 + 30 - 60, [1]])
    // So is that it is late by half an hour, and not by three weeks.
    expect(told(look({ jobs: long, orders: [order(1, 60), order(2, 1)] }))).toContainEqual([
      ...[{ first: [2] }, 30_000 + 30 - 60 + 29, [1, 2]],
    ])
    // Before, it was late with the first: both sums are told.
    expect(look({ jobs: long, orders }).all.lateSeconds / minute).toBe(30_000 - 60 + 30_030 - 90)
  })

  test('is told where something is late: what costs nothing first, then what brings all in', () => {
    // As it is, order 2 ends after 150 minutes, 30 too late.
    const found = look({ jobs, orders: [order(1, 125), order(2, 120)] })
    expect(told(found)).toEqual([
      // Either order alone leaves the other late; a lane more does for both.
      [{ lanesMore: 1 }, 0, []],
      [{ without: [1] }, 0, []],
      [{ due: [{ orderId: 2, dueAt: expect.any(String) }] }, 0, []],
      [{ byDueTimes: true }, 25, [1]],
      [{ first: [2] }, 25, [1]],
    ])
    const due = found.reliefs[2]!.supposed.due[0]!.dueAt!
    expect((new Date(due).getTime() - at.getTime()) / 1000).toBeGreaterThanOrEqual(found.orders[1]!.end!.high)
    expect(new Date(due).getSeconds()).toBe(0)
  })

  test('is what makes less late as orders count', () => {
    // Order 2 first: 25 of order 1 late instead of 30 of order 2.
    const weights = (first: number, second: number) => [order(1, 125, first), order(2, 120, second)]
    const helps = (found: Outlook) => told(found).map(([change]) => change)
    expect(helps(look({ jobs, orders: weights(1, 1) }))).toContainEqual({ first: [2] })
    expect(helps(look({ jobs, orders: weights(2, 1) }))).not.toContainEqual({ first: [2] })
    const found = look({ jobs, orders: weights(1, 3) })
    expect(found.all).toMatchObject({ lateSeconds: 30 * minute, countedSeconds: 90 * minute })
    expect(found.reliefs.find(({ supposed }) => supposed.first.length > 0)).toMatchObject({
      ...{ late: [{ orderId: 1, lateSeconds: 25 * minute }], lateSeconds: 25 * minute, countedSeconds: 25 * minute },
    })
    expect(found.orders.map(({ lateWeight }) => lateWeight)).toEqual([1, 3])
  })

  test('comes true when it is supposed', () => {
    for (let seed = 1; seed <= 5; seed++) {
      const random = seeded(seed)
      const some = Array.from({ length: 30 }, (_, index) =>
        waiting(1 + index, 1 + Math.floor(random() * 4), 1 + random() * 90, { position: random() }),
      )
      const orders = [1, 2, 3, 4].map(id => order(id, random() * 900))
      const found = look({ jobs: some, orders, machine: lanesOnly(2) })
      for (const { supposed, lateSeconds, late } of found.reliefs) {
        expect(lateSeconds).toBeLessThan(found.all.lateSeconds)
        const then = look({ jobs: some, orders, machine: lanesOnly(2) }, supposed)
        expect(then.all.lateSeconds).toBeCloseTo(lateSeconds)
        const lateThen = then.orders.filter(entry => entry.lateSeconds > 0)
        expect(late.map(({ orderId }) => orderId)).toEqual(lateThen.map(({ id }) => id))
        for (const [place, entry] of late.entries()) expect(entry.lateSeconds).toBeCloseTo(lateThen[place]!.lateSeconds)
        if (supposed.lanesMore > 0)
          expect(
            look({ jobs: some, orders, machine: lanesOnly(2) }, { lanesMore: supposed.lanesMore - 1 }).all.lateSeconds,
          ).toBeGreaterThan(0)
      }
    }
  })

  test('is a lane of a graphics device where jobs need one, which lanes of processors are no help for', () => {
    const machine = {
      ...{ lanes: 2, cores: null },
      groups: [
        { name: null, lanes: 1, takes: [null] },
        { name: 'GPU', lanes: 1, takes: ['h264' as const] },
      ],
    }
    const byDevice = [waiting(1, 1, 60, { need: 'h264' }), waiting(2, 1, 60, { need: 'h264' }), waiting(3, 2, 30)]
    const orders = [order(1, 70), order(2, 120)]
    const found = look({ jobs: byDevice, orders, machine })
    expect(endsInMinutes(found)).toEqual({ 'SL-1': 120, 'SL-2': 30 })
    expect(found).toMatchObject({ deviceLanes: 1, deviceJobs: 2, laneNames: ['lane 1', 'GPU'] })
    const helps = told(found).map(([change]) => change)
    expect(helps).toContainEqual({ deviceLanesMore: 1 })
    expect(JSON.stringify(helps)).not.toContain('"lanesMore"')
    expect(endsInMinutes(look({ jobs: byDevice, orders, machine }, { deviceLanesMore: 1 }))).toMatchObject({
      'SL-1': 60,
    })
    // Without the device its jobs have no end, and nothing is said of their order's.
    const without = look({ jobs: byDevice, orders, machine }, { deviceLanesMore: -1 })
    expect(endsInMinutes(without)).toEqual({ 'SL-1': null, 'SL-2': 30 })
  })

  test('is not told of lanes where one job alone takes too long, nor where nothing is late or something is supposed', () => {
    expect(told(look({ jobs: [waiting(1, 1, 60)], orders: [order(1, 30)] }))).toMatchObject([[{ due: {} }, 0, []]])
    expect(look({ jobs, orders: [order(1, 300), order(2, 300)] }).reliefs).toEqual([])
    expect(look({ jobs }, { lanesMore: -1 }).reliefs).toEqual([])
    expect(look({ jobs, machine: lanesOnly(0) }).reliefs).toEqual([])
  })

  test('counts drafts where they count', () => {
    const drafts = [waiting(1, 1, 60, { state: 'draft' })]
    const reliefs = (withDrafts: boolean) =>
      look({ jobs: drafts, orders: [order(1, 30)] }, { withDrafts }).reliefs.length
    expect([reliefs(true), reliefs(false)]).toEqual([1, 0])
  })
})
