import { describe, expect, test } from 'vitest'
import { suggestOrder, type JobForecast, type JobOutline, type OrderSuggestion } from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { seeded } from '../../../tests/support/seeded.ts'
import { throughTheDay } from '../../../tests/support/shared-machine.ts'
import { around, at, exactly, forecast, job, lanesOnly, minute, order } from './outlines.ts'

/** Orders that share lanes, their due times, and an order of the jobs in which less is late. */
const waiting = (id: number, orderId: number, changes: Partial<JobOutline> = {}) =>
  job({ id, orderId, state: 'waiting', ...changes })
const suggest = (
  jobs: readonly JobOutline[],
  minutes: Record<number, number>,
  orders: Parameters<typeof suggestOrder>[3],
  lanes = 1,
): OrderSuggestion => {
  const forecasts = new Map<number, JobForecast>(
    Object.entries(minutes).map(([id, value]) => [Number(id), forecast(around(value * minute, 0.1), exactly(1))]),
  )
  return atOnce(suggestOrder(jobs, forecasts, lanesOnly(lanes), orders, at))
}

describe('an order of the jobs', () => {
  const jobs = [waiting(1, 1), waiting(2, 1), waiting(3, 2)]
  const minutes = { 1: 60, 2: 60, 3: 30 }

  test('in which nothing is late is suggested, with the ends that it gives', () => {
    const found = suggest(jobs, minutes, [order(1, 300), order(2, 40)])
    expect(found).toMatchObject({
      at: at.toISOString(),
      lanes: 1,
      waiting: 3,
      unknown: 0,
      now: { lateSeconds: 110 * minute },
      suggested: { lateSeconds: 0 },
      bound: { countedSeconds: 0, endSeconds: 150 * minute },
      lanesMore: 0,
      isBetter: true,
      before: [1, 2, 3],
      after: [3, 1, 2],
    })
    const [first, second] = found.orders
    expect(first).toMatchObject({ code: 'SL-1', waiting: 2, now: { lateSeconds: 0 }, suggested: { lateSeconds: 0 } })
    expect([first!.now.end!.expected, first!.suggested.end!.expected]).toEqual([120 * minute, 150 * minute])
    expect([second!.now.end!.expected, second!.suggested.end!.expected]).toEqual([150 * minute, 30 * minute])
    // Every end has its range: that of a lane's first job is its own.
    expect(second!.suggested.end!.high).toBeCloseTo(30 * minute * 1.1)
    expect(found.suggested.end!.expected).toBe(150 * minute)
  })

  test('is left as it is where nothing is late', () => {
    const found = suggest(jobs, minutes, [order(1, 300), order(2, null)])
    expect(found).toMatchObject({ isBetter: false, lanesMore: 0, now: { lateSeconds: 0 } })
    expect(found.after).toEqual(found.before)
  })

  test('is left as it is where no other is a minute better; lanes that would help are counted', () => {
    const found = suggest(jobs, minutes, [order(1, 60), order(2, null)])
    expect(found).toMatchObject({
      isBetter: false,
      now: { lateSeconds: 60 * minute },
      suggested: { lateSeconds: 60 * minute },
      bound: { countedSeconds: 60 * minute },
      lanesMore: 1,
      after: [1, 2, 3],
    })
  })

  test('is left as it is where another is two minutes better, of two hours', () => {
    const late = {
      jobs: [waiting(1, 1), waiting(2, 2)],
      minutes: { 1: 2, 2: 60 },
      orders: [order(1, 600), order(2, -60)],
    }
    expect(suggest(late.jobs, late.minutes, late.orders)).toMatchObject({
      isBetter: false,
      now: { lateSeconds: 122 * minute },
    })
    expect(suggest(late.jobs, { ...late.minutes, 1: 10 }, late.orders).isBetter).toBe(true)
  })

  test('goes by how often the lateness of orders counts; what is late is told as it is, too', () => {
    // As they wait, one is late by 30 minutes and the other by 40; the other way round the first alone is, by 60.
    const two = [waiting(1, 1), waiting(3, 2)]
    expect(suggest(two, minutes, [order(1, 30), order(2, 50)])).toMatchObject({ isBetter: true, after: [3, 1] })
    const counted = suggest(two, minutes, [order(1, 30, 3), order(2, 50)])
    expect(counted).toMatchObject({
      ...{ isBetter: false, after: [1, 3] },
      now: { lateSeconds: 70 * minute, countedSeconds: (3 * 30 + 40) * minute },
    })
    // Forty seconds sooner are no more worth a change for that they count three times.
    expect(suggest(two, { 1: 40 / minute, 3: 30 }, [order(1, 300), order(2, 10, 3)]).isBetter).toBe(false)
    expect(counted.orders.map(({ lateWeight, now }) => [lateWeight, now.lateSeconds / minute])).toEqual([
      [3, 30],
      [1, 40],
    ])
  })

  test('cannot help where one job alone takes too long', () => {
    expect(suggest(jobs, minutes, [order(1, 30), order(2, null)]).lanesMore).toBeNull()
  })

  test('counts what runs, and leaves held jobs, drafts, done ones and orders without work out', () => {
    const found = suggest(
      [
        job({ id: 10, orderId: 1, state: 'running', position: 1 }),
        waiting(1, 1),
        waiting(2, 2),
        job({ id: 3, orderId: 2, state: 'held' }),
        job({ id: 4, orderId: 2, state: 'draft' }),
        job({ id: 5, orderId: 3, state: 'done' }),
      ],
      { 1: 60, 2: 10, 3: 500, 4: 500, 5: 500, 10: 20 },
      [order(1, null), order(2, 30), order(3, 1)],
    )
    expect(found.orders.map(({ id }) => id)).toEqual([1, 2])
    expect(found).toMatchObject({ before: [1, 2], after: [2, 1], now: { lateSeconds: 60 * minute } })
    expect(found.orders[1]!.suggested.end!.expected).toBe(30 * minute)
  })

  test('keeps a job of which nothing is known behind the one that it waits behind', () => {
    const found = suggest(
      [7, 1, 8, 3, 9].map((id, position) => waiting(id, id === 3 || id === 9 ? 2 : 1, { position })),
      { 1: 60, 3: 30 },
      [order(1, null), order(2, 40)],
    )
    expect(found).toMatchObject({ waiting: 5, unknown: 3, after: [7, 3, 9, 1, 8] })
  })

  test('is not looked for where no worker has a lane: what waits has no end, and what is begun keeps its own', () => {
    const running = job({ id: 10, orderId: 1, state: 'running', position: 0 })
    const found = suggest([running, ...jobs], { ...minutes, 10: 20 }, [order(1, 1), order(2, 1)], 0)
    expect(found).toMatchObject({ lanes: 0, isBetter: false, lanesMore: 0, now: { lateSeconds: 19 * minute } })
    expect(found.orders.map(({ now }) => [now.end?.expected ?? null, now.lateSeconds])).toEqual([
      [20 * minute, 19 * minute],
      [null, 0],
    ])
  })

  test.each(Array.from({ length: 30 }, (_, seed) => seed))(
    '(%i) comes to what it says on lanes that share cores, behind what is begun',
    seed => {
      const random = seeded(seed)
      const [lanes, cores] = [1 + (seed % 3), 2 + (seed % 5)]
      const jobs = Array.from({ length: 4 + Math.floor(random() * 12) }, (_, index) =>
        waiting(index + 1, 1 + Math.floor(random() * 3), index < lanes ? { state: 'queued' } : {}),
      )
      const busy = new Map(jobs.map(({ id }) => [id, 0.2 + random() * (cores - 0.2)]))
      const forecasts = new Map(
        jobs.map(({ id }) => [
          id,
          { ...forecast(exactly(minute * (1 + 59 * random())), exactly(1)), busyCores: busy.get(id)! },
        ]),
      )
      const orders = [1, 2, 3].map(id => order(id, 200 * random()))
      const answer = atOnce(suggestOrder(jobs, forecasts, { lanes, cores }, orders, at))
      const begun = jobs.slice(0, lanes).map(({ id }) => id)
      for (const [ids, of] of [
        [answer.before, 'now'],
        [answer.after, 'suggested'],
      ] as const) {
        const day = throughTheDay(
          [...begun, ...ids].map(id => ({
            ...{ id, seconds: forecasts.get(id)!.seconds.expected, busyCores: busy.get(id)!, parts: 1 },
          })),
          lanes,
          cores,
        )
        for (const entry of answer.orders) {
          const theirs = jobs.filter(({ orderId }) => orderId === entry.id).map(({ id }) => day.get(id)!.end)
          expect(entry[of].end!.expected).toBeCloseTo(Math.max(...theirs), 4)
        }
      }
      expect(answer.suggested.lateSeconds).toBeLessThanOrEqual(answer.now.lateSeconds + 1e-6)
      expect(answer.bound.countedSeconds).toBeLessThanOrEqual(answer.suggested.countedSeconds + 1e-6)
    },
  )

  test('of a thousand jobs comes in turns of no more than a few milliseconds each', () => {
    const many = Array.from({ length: 1000 }, (_, index) => waiting(index + 1, 1 + (index % 3)))
    const forecasts = new Map(many.map(({ id }) => [id, forecast(exactly(minute * (1 + (id % 7))), exactly(1))]))
    const planning = suggestOrder(many, forecasts, lanesOnly(4), [order(1, 1000), order(2, 500), order(3, 250)], at)
    let turns = 0
    let turn = planning.next()
    for (; !turn.done; turn = planning.next()) turns++
    expect(turn.value.suggested.lateSeconds).toBeLessThan(turn.value.now.lateSeconds)
    expect([...turn.value.after].sort((a, b) => a - b)).toEqual(many.map(({ id }) => id))
    expect(turns).toBeGreaterThan(20)
  })
})
