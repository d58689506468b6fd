import { describe, expect, test } from 'vitest'
import {
  Agenda,
  asItIs,
  outlook,
  suggestOrder,
  WaysAsked,
  waysOf,
  WhatIf,
  WorkingHours,
  type JobOutline,
  type Machine,
} from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { seeded } from '../../../tests/support/seeded.ts'
import { throughTheDay } from '../../../tests/support/shared-machine.ts'
import {
  around,
  at,
  exactly,
  forecast,
  inMinutes,
  job,
  lanesOnly,
  minute,
  nothingAnnounced,
  order,
} from './outlines.ts'

/** Plans of jobs that are worked on in some hours only. They are made at 08:00 UTC. */
const hoursOf = (from: string, to: string) => ({
  hours: {
    hours: WorkingHours.parse({ zone: 'UTC', spans: [{ days: [1, 2, 3, 4, 5, 6, 7], from, to }] }),
    workOnUntil: null,
  },
})
/** From 10:00 to 12:00 each day: rests of two hours, then of twenty-two. */
const mornings: Machine = { ...lanesOnly(1), ...hoursOf('10:00', '12:00') }
const day = 24 * 60
const forecasts = { rates: new Map(), calibrations: new Map() }
const takes = (minutes: number, busyCores?: number) => ({
  measured: {
    ...forecast(exactly(minutes * minute), exactly(100)),
    ...(busyCores === undefined ? {} : { busyCores }),
  },
})
const waiting = (id: number, orderId: number, minutes: number, changes: Partial<JobOutline> = {}) =>
  job({ id, orderId, state: 'waiting', ...takes(minutes), ...changes })
const look = (
  jobs: readonly JobOutline[],
  machine: Machine,
  orders: ReturnType<typeof order>[],
  supposed: Partial<WhatIf> = {},
) =>
  atOnce(
    outlook(
      {
        jobs,
        forecasts,
        machine,
        orders,
        volumes: [{ id: 3, freeBytes: 150 }],
        repeats: { begun: 0, lost: 0 },
        announced: nothingAnnounced,
      },
      WhatIf.parse({ ...asItIs, ...supposed }),
      at,
    ),
  )

describe('jobs that rest out of hours', () => {
  test('begin when the hours do, stand still after them, and end on another day', () => {
    const jobs = [waiting(1, 1, 60), waiting(2, 1, 90), waiting(3, 1, 30)]
    const { places, summary } = atOnce(Agenda.make(1, jobs, [], mornings, forecasts, at))
    const told = jobs.map(({ id }) => {
      const { start, end } = places.get(id)!
      return [start.expected / minute, end.expected / minute]
    })
    expect(told).toEqual([
      [120, 180],
      [180, 120 + day + 30],
      [120 + day + 30, 120 + day + 60],
    ])
    // What they take is what they take; when they end is another matter.
    expect(summary.released.seconds.expected).toBe(180 * minute)
    expect(summary.released.end!.expected).toBe((120 + day + 60) * minute)
    expect(summary.bars.map(({ from, to }) => [from / minute, to / minute])).toEqual(told)
  })

  test('an end that may come after the hours comes on the next day then', () => {
    const [first] = look([waiting(1, 1, 0, { measured: forecast(around(115 * minute, 0.1), exactly(1)) })], mornings, [
      order(1, 250),
    ]).orders
    expect(first!.end!.expected).toBe(235 * minute)
    expect(first!.end!.high).toBeGreaterThan(day * minute)
    // Nine in ten lie within its range, so that somewhat more than half are over before the hours are.
    expect(first!.inTime).toBeGreaterThan(0.6)
    expect(first!.inTime).toBeLessThan(0.9)
  })

  test('are late by the clock, and are not at any time', () => {
    const jobs = [waiting(1, 1, 60), waiting(2, 1, 90)]
    const asIs = look(jobs, mornings, [order(1, 300)])
    expect(asIs.orders[0]).toMatchObject({ lateSeconds: (120 + day + 30 - 300) * minute, inTime: 0 })
    expect(look(jobs, mornings, [order(1, 300)], { atAnyTime: true }).orders[0]).toMatchObject({
      end: { expected: 150 * minute },
      lateSeconds: 0,
      inTime: 1,
    })
    expect(asIs.reliefs.find(({ supposed }) => supposed.atAnyTime)).toMatchObject({ lateSeconds: 0, late: [] })
    // A second lane would do as well; where jobs are worked on at any time, that alone is told.
    expect(asIs.reliefs.find(({ supposed }) => supposed.lanesMore > 0)).toMatchObject({ lateSeconds: 0 })
    const always = look(jobs, lanesOnly(1), [order(1, 100)])
    expect(always.reliefs.some(({ supposed }) => supposed.atAnyTime)).toBe(false)
  })

  test('a later due time that would do is one by the clock', () => {
    const unsure = { measured: forecast(around(150 * minute, 0.2), exactly(100)) }
    const { reliefs } = look([waiting(1, 1, 150, unsure)], mornings, [order(1, 300)])
    expect(reliefs.find(({ supposed }) => supposed.due.length > 0)!.supposed.due).toEqual([
      // As late as it may come.
      { orderId: 1, dueAt: inMinutes(day + 150 * 1.2) },
    ])
  })

  test('a volume is full when the job that fills it ends, by the clock', () => {
    const [volume] = look([waiting(1, 1, 60), waiting(2, 1, 90)], mornings, []).volumes
    expect(volume!.fullSeconds).toBe((120 + day + 30) * minute)
  })

  test('are put in an order in which nothing is late on another morning', () => {
    const jobs = [waiting(1, 1, 100), waiting(2, 2, 30)]
    const orders = [order(1, 10 * day), order(2, 235)]
    const found = atOnce(
      suggestOrder(jobs, new Map(jobs.map(({ id, measured }) => [id, measured!])), mornings, orders, at),
    )
    expect(found.now.lateSeconds).toBe((120 + day + 10 - 235) * minute)
    expect(found).toMatchObject({ isBetter: true, after: [2, 1], suggested: { lateSeconds: 0 }, lanesMore: 0 })
    expect(found.bound.endSeconds).toBe((120 + day + 10) * minute)
  })

  test('of two orders that cannot both be in time, the one is late that is later by less on the clock', () => {
    // One has to end ten minutes into the next morning: order 2 is late by ten minutes then, order 1 by a day less 110 minutes. In hours worked both are ten minutes.
    const jobs = [waiting(1, 2, 60), waiting(2, 1, 70)]
    const orders = [order(1, 240), order(2, 120 + day)]
    const found = atOnce(
      suggestOrder(jobs, new Map(jobs.map(({ id, measured }) => [id, measured!])), mornings, orders, at),
    )
    expect(found.now.lateSeconds).toBe((day - 110) * minute)
    expect(found).toMatchObject({ isBetter: true, after: [2, 1], suggested: { lateSeconds: 10 * minute } })
  })

  test('and what would do in time is told by the clock where ways are chosen', () => {
    const drafted = (specKey: string, minutes: number, xpsnr: number, id: number) =>
      job({
        ...{ id, sourceId: 1, specKey, specName: specKey },
        measured: { ...takes(minutes).measured, quality: { xpsnr, worstXpsnr: xpsnr, ssim: 1 } },
      })
    const jobs = [drafted('quick', 100, 38, 901), drafted('slow', 130, 42, 902)]
    const ground = { orderId: 1, jobs, forecasts, machine: mornings, names: new Map(), volumes: [] }
    const ways = (dueMinutes: number) =>
      atOnce(waysOf(ground, WaysAsked.parse({ dueAt: inMinutes(dueMinutes), bytes: null }), at))
    expect(ways(120 + day + 10).lots[0]!.chosen).toBe('slow')
    expect(ways(120 + day + 9).lots[0]!.chosen).toBe('quick')
    expect(ways(220).chosen).toMatchObject({ end: { expected: 220 * minute }, lateSeconds: 0 })
    // Before the hours begin nothing can be done: 220 minutes are when the quick one is.
    expect(ways(110).missing).toEqual({ bytes: null, seconds: (110 + 1) * minute })
    expect(ways(150).missing).toEqual({ bytes: null, seconds: (70 + 1) * minute })
  })

  test('every end is what going through the days by the clock comes to, on lanes that share cores', () => {
    for (let seed = 1; seed <= 15; seed++) {
      const random = seeded(seed)
      const cores = 1 + Math.floor(random() * 8)
      const lanes = 1 + Math.floor(random() * 4)
      const [from, to] = [9 + Math.floor(random() * 5), 14 + Math.floor(random() * 9)]
      const machine = { lanes, cores, ...hoursOf(`${String(from).padStart(2, '0')}:00`, `${to}:00`) }
      const jobs = Array.from({ length: 1 + Math.floor(random() * 25) }, (_, index) =>
        waiting(1 + index, 1 + Math.floor(random() * 3), 1 + 300 * random() ** 2, {
          ...takes(1 + 300 * random() ** 2, 0.2 + random() * cores),
          position: index,
        }),
      )
      // They are made at eight.
      const rests = Array.from({ length: 200 }, (_, index) => ({
        from: index === 0 ? 0 : ((index - 1) * 24 + to - 8) * 3600,
        to: (index * 24 + from - 8) * 3600,
      }))
      const byClock = throughTheDay(
        jobs.map(({ id, measured }) => ({
          id,
          seconds: measured!.seconds.expected,
          busyCores: measured!.busyCores!,
          parts: 1,
        })),
        lanes,
        cores,
        rests,
      )
      const { places } = atOnce(
        Agenda.make(
          1,
          jobs.filter(({ orderId }) => orderId === 1),
          jobs.filter(({ orderId }) => orderId !== 1),
          machine,
          forecasts,
          at,
        ),
      )
      for (const { id } of jobs) expect(places.get(id)!.end.expected).toBeCloseTo(byClock.get(id)!.end, 4)
      // Where jobs are put in order, what is told of it is what comes of it, and it is no later than before.
      const orders = [1, 2, 3].map(number => order(number, random() * 3 * day))
      const found = look(jobs, machine, orders, { byDueTimes: true })
      const before = look(jobs, machine, orders)
      expect(found.all.lateSeconds).toBeLessThanOrEqual(before.all.lateSeconds + 1e-6)
      const again = throughTheDay(
        found.sequence.map(id => {
          const { measured } = jobs.find(entry => entry.id === id)!
          return { id, seconds: measured!.seconds.expected, busyCores: measured!.busyCores!, parts: 1 }
        }),
        lanes,
        cores,
        rests,
      )
      for (const { id, end } of found.orders) {
        const ends = jobs.filter(({ orderId }) => orderId === id).map(entry => again.get(entry.id)!.end)
        expect(end!.expected).toBeCloseTo(Math.max(...ends), 4)
      }
    }
  })
})
