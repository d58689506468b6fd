import { describe, expect, test } from 'vitest'
import { lanesToBeInTime, planByDueTime, type DuePlan, type WorkToOrder } from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { workOfChance, wrongIn } from '../../../tests/support/order-of-work.ts'

const plan = (work: WorkToOrder): DuePlan => atOnce(planByDueTime(work))
const lanesMore = (work: WorkToOrder) => atOnce(lanesToBeInTime(work, plan(work).found))
const hour = 3600

/** The least lateness there is, by trying every way to share out few jobs among lanes, each lane's in every order. Idle lanes gain nothing: ends only get later. */
function leastLate({ jobs, orders, lanes }: WorkToOrder): { late: number; end: number } {
  let [late, end] = [Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY]
  const visit = (
    left: readonly WorkToOrder['jobs'][number][],
    free: readonly number[],
    ends: ReadonlyMap<number, number>,
  ) => {
    if (left.length === 0) {
      late = Math.min(
        late,
        orders.reduce(
          (sum, { orderId, dueSeconds, lateWeight = 1 }) =>
            sum + lateWeight * Math.max(0, ends.get(orderId)! - (dueSeconds ?? Infinity)),
          0,
        ),
      )
      end = Math.min(end, Math.max(...ends.values()))
      return
    }
    for (const job of left)
      for (const [lane, at] of free.entries()) {
        const done = at + job.seconds
        visit(
          left.filter(other => other !== job),
          free.with(lane, done),
          new Map(ends).set(job.orderId, Math.max(ends.get(job.orderId)!, done)),
        )
      }
  }
  visit(jobs, lanes, new Map(orders.map(({ orderId, begunUntil }) => [orderId, begunUntil])))
  return { late, end }
}

describe('an order of work by due times', () => {
  test('puts the order that is due first to the front, and says when both end', () => {
    const work: WorkToOrder = {
      lanes: [0],
      jobs: [
        { id: 1, orderId: 7, seconds: 4 * hour },
        { id: 2, orderId: 7, seconds: 3 * hour },
        { id: 3, orderId: 8, seconds: 2 * hour },
      ],
      orders: [
        { orderId: 7, dueSeconds: 10 * hour, begunUntil: 0 },
        { orderId: 8, dueSeconds: 3 * hour, begunUntil: 0 },
      ],
    }
    const { now, found, bound } = plan(work)
    expect(now).toEqual({
      ids: [1, 2, 3],
      orders: [
        { orderId: 7, end: 7 * hour, late: 0 },
        { orderId: 8, end: 9 * hour, late: 6 * hour },
      ],
      late: 6 * hour,
      end: 9 * hour,
    })
    expect(found.ids[0]).toBe(3)
    expect(found.orders).toEqual([
      { orderId: 7, end: 9 * hour, late: 0 },
      { orderId: 8, end: 2 * hour, late: 0 },
    ])
    expect(bound).toEqual({ late: 0, end: 9 * hour })
  })

  test('begins a long job of an order that has time before the short ones of one that has none, where a lane is left for those', () => {
    const { found } = plan({
      lanes: [0, 0],
      jobs: [
        { id: 1, orderId: 1, seconds: 60 },
        { id: 2, orderId: 1, seconds: 60 },
        { id: 3, orderId: 2, seconds: 600 },
      ],
      orders: [
        { orderId: 1, dueSeconds: 120, begunUntil: 0 },
        { orderId: 2, dueSeconds: 600, begunUntil: 0 },
      ],
    })
    expect(found.late).toBe(0)
    expect(found.ids.indexOf(3)).toBeLessThan(2)
  })

  test('of orders that are late in any case does what counts most for the time that it takes first', () => {
    // Smith's rule (1956): least weighted sum of ends by seconds over weight: 4 / 4, 6 / 3, 3 / 1.
    const work: WorkToOrder = {
      lanes: [0],
      jobs: [
        { id: 1, orderId: 1, seconds: 3 * hour },
        { id: 2, orderId: 2, seconds: 6 * hour },
        { id: 3, orderId: 3, seconds: 4 * hour },
      ],
      orders: [
        { orderId: 1, dueSeconds: 0, begunUntil: 0 },
        { orderId: 2, dueSeconds: 0, begunUntil: 0, lateWeight: 3 },
        { orderId: 3, dueSeconds: 0, begunUntil: 0, lateWeight: 4 },
      ],
    }
    const { now, found, bound } = plan(work)
    expect(now.late).toBe((3 + 3 * 9 + 4 * 13) * hour)
    expect(found.ids).toEqual([3, 2, 1])
    expect(found.late).toBe((4 * 4 + 3 * 10 + 13) * hour)
    // Told of each as it is, of all as it counts.
    expect(found.orders.map(({ late }) => late / hour)).toEqual([13, 10, 4])
    // What all three are late once, the two that count thrice twice more, the one that counts four times once more: no less than 3 + 7 + 13, 2 (4 + 10), 4.
    expect(bound.late).toBe((3 + 7 + 13 + 2 * (4 + 10) + 4) * hour)
    const alike = { ...work, orders: work.orders.map(({ lateWeight: _, ...rest }) => rest) }
    expect(plan(alike).found.ids).toEqual([1, 3, 2])
  })

  test('lets an order be late that counts little for one that counts more, even where it is later so', () => {
    const due = (lateWeight: number): WorkToOrder => ({
      lanes: [0],
      jobs: [
        { id: 1, orderId: 1, seconds: 5 * hour },
        { id: 2, orderId: 2, seconds: 8 * hour },
      ],
      orders: [
        { orderId: 1, dueSeconds: 5 * hour, begunUntil: 0 },
        { orderId: 2, dueSeconds: 8 * hour, begunUntil: 0, lateWeight },
      ],
    })
    // 5 h late of the one, or 8 h of the other.
    expect(plan(due(1)).found).toMatchObject({ ids: [1, 2], late: 5 * hour })
    expect(plan(due(2)).found).toMatchObject({ ids: [2, 1], late: 8 * hour })
  })

  test('leaves an order of jobs that is as good as any alone', () => {
    const work: WorkToOrder = {
      lanes: [0],
      jobs: [3, 1, 2].map(id => ({ id, orderId: 1, seconds: 10 })),
      orders: [{ orderId: 1, dueSeconds: null, begunUntil: 0 }],
    }
    expect(plan(work).found.ids).toEqual([3, 1, 2])
  })

  test('counts what is begun of an order, and lanes that are not free yet', () => {
    const { now, bound } = plan({
      lanes: [50, 100],
      jobs: [{ id: 1, orderId: 1, seconds: 10 }],
      orders: [
        { orderId: 1, dueSeconds: 55, begunUntil: 100 },
        { orderId: 2, dueSeconds: 20, begunUntil: 50 },
      ],
    })
    expect(now.orders).toEqual([
      { orderId: 1, end: 100, late: 45 },
      { orderId: 2, end: 50, late: 30 },
    ])
    expect(bound).toEqual({ late: 75, end: 100 })
  })

  test('has jobs in it that take no time at all', () => {
    const work: WorkToOrder = {
      lanes: [0],
      jobs: [
        { id: 1, orderId: 1, seconds: 60 },
        { id: 2, orderId: 2, seconds: 0 },
      ],
      orders: [
        { orderId: 1, dueSeconds: null, begunUntil: 0 },
        { orderId: 2, dueSeconds: 10, begunUntil: 0 },
      ],
    }
    const { found } = plan(work)
    expect(found.ids).toEqual([2, 1])
    expect([...wrongIn(work, found), found.late]).toEqual([0])
  })

  test('of nothing that waits is what is begun', () => {
    expect(plan({ lanes: [0], jobs: [], orders: [] })).toEqual({
      now: { ids: [], orders: [], late: 0, end: 0 },
      found: { ids: [], orders: [], late: 0, end: 0 },
      bound: { late: 0, end: 0 },
    })
  })

  test('with a job of an order that nobody knows is refused', () => {
    expect(() => plan({ lanes: [0], jobs: [{ id: 5, orderId: 9, seconds: 1 }], orders: [] })).toThrow(
      'Job 5 belongs to no order of the plan.',
    )
  })

  test.each(Array.from({ length: 40 }, (_, seed) => seed))(
    'of few jobs (%i) is as good as trying all, or near',
    seed => {
      const weighted = seed % 8 >= 4
      const work = workOfChance(1000 + seed, {
        ...{ jobs: 3 + (seed % 4), orders: 1 + (seed % 3), lanes: 1 + (seed % 2), weighted },
      })
      const { found, bound } = plan(work)
      const least = leastLate(work)
      expect(wrongIn(work, found)).toEqual([])
      expect(found.late).toBeGreaterThanOrEqual(least.late - 1e-6)
      const most = Math.max(...work.orders.map(({ lateWeight = 1 }) => lateWeight))
      expect(found.late - least.late).toBeLessThanOrEqual(0.05 * most * least.end + 1e-6)
      expect(bound.late).toBeLessThanOrEqual(least.late + 1e-6)
      expect(bound.end).toBeLessThanOrEqual(least.end + 1e-6)
    },
  )

  test.each([10, 60, 400].flatMap(jobs => [2, 5, 16].map(lanes => [jobs, lanes] as const)))(
    'of %i jobs on %i lanes is what it claims, no worse than the one there was, and no better than the bound',
    (jobs, lanes) => {
      // A search of many jobs takes as long whatever they are.
      for (let seed = 0; seed < (jobs > 100 ? 2 : 5); seed++) {
        const weighted = seed % 2 === 1
        const work = workOfChance(seed * 31 + jobs + lanes, { jobs, orders: 1 + seed * 4, lanes, weighted })
        const { now, found, bound } = plan(work)
        expect([...wrongIn(work, now), ...wrongIn(work, found)]).toEqual([])
        expect(now.ids).toEqual(work.jobs.map(job => job.id))
        expect(found.late).toBeLessThanOrEqual(now.late + 1e-6)
        expect(bound.late).toBeLessThanOrEqual(found.late + 1e-6)
        expect(bound.end).toBeLessThanOrEqual(found.end + 1e-6)
        if (jobs <= 100) expect(plan(work)).toEqual({ now, found, bound })
      }
    },
  )

  test('does not change when it is made of its own result', () => {
    for (let seed = 0; seed < 8; seed++) {
      const work = workOfChance(seed, { jobs: 30, orders: 4, lanes: 3 })
      const { found } = plan(work)
      const byId = new Map(work.jobs.map(job => [job.id, job]))
      const again = plan({ ...work, jobs: found.ids.map(id => byId.get(id)!) })
      expect(again.now.late).toBeCloseTo(found.late, 6)
      expect(again.found.late).toBeLessThanOrEqual(found.late + 1e-6)
    }
  })
})

describe('lanes that would do', () => {
  const work: WorkToOrder = {
    lanes: [0],
    jobs: Array.from({ length: 12 }, (_, id) => ({ id, orderId: 1, seconds: hour })),
    orders: [{ orderId: 1, dueSeconds: 4 * hour, begunUntil: 0 }],
  }

  test('are as many as the work needs until it is due', () => {
    expect(lanesMore(work)).toBe(2)
  })

  test('can be very many, up to one for each job', () => {
    const jobs = Array.from({ length: 60 }, (_, id) => ({ id, orderId: 1, seconds: hour }))
    expect(lanesMore({ ...work, jobs, orders: [{ orderId: 1, dueSeconds: 1.5 * hour, begunUntil: 0 }] })).toBe(59)
  })

  test('are none where nothing is late', () => {
    expect(lanesMore({ ...work, orders: [{ orderId: 1, dueSeconds: 12 * hour, begunUntil: 0 }] })).toBe(0)
  })

  test('are counted with the cores that they share', () => {
    // Twelve jobs of an hour, two cores each, due after four hours: three at once do, where there are cores for them.
    const busy = (cores: number, dueSeconds = 4 * hour): WorkToOrder => ({
      ...work,
      jobs: Array.from({ length: 12 }, (_, id) => ({ id, orderId: 1, seconds: hour, busyCores: 2 })),
      orders: [{ orderId: 1, dueSeconds, begunUntil: 0 }],
      sharing: { cores, begun: [0] },
    })
    expect(lanesMore(busy(6))).toBe(2)
    // Two lanes keep four cores busy: six hours, however many lanes there are.
    expect(lanesMore(busy(4))).toBeNull()
    expect(lanesMore(busy(4, 6 * hour))).toBe(1)
  })

  test('are not so many that what is due first is slowed by what is not', () => {
    const jobs = Array.from({ length: 22 }, (_, id) => ({ id, orderId: id < 2 ? 1 : 2, seconds: hour, busyCores: 2 }))
    const shared: WorkToOrder = {
      jobs,
      lanes: [0],
      orders: [
        { orderId: 1, dueSeconds: 1.1 * hour, begunUntil: 0 },
        { orderId: 2, dueSeconds: null, begunUntil: 0 },
      ],
      sharing: { cores: 4, begun: [0] },
    }
    // On two lanes both end after an hour; on three they share four cores with a third, and take half as long again.
    expect(lanesMore(shared)).toBe(1)
    expect(plan({ ...shared, lanes: [0, 0] }).found.late).toBe(0)
    expect(plan({ ...shared, lanes: [0, 0, 0] }).found.late).toBeGreaterThan(0)
  })

  test('help one job that can be divided, although there is only one', () => {
    const one = { ...work, jobs: [{ id: 1, orderId: 1, seconds: 12 * hour, pieces: 16 }] }
    expect(lanesMore(one)).toBe(2)
    expect(lanesMore({ ...one, jobs: [{ ...one.jobs[0]!, pieces: 1 }] })).toBeNull()
  })

  test('do not help where one job alone takes too long, or what is begun ends too late', () => {
    expect(lanesMore({ ...work, orders: [{ orderId: 1, dueSeconds: hour / 2, begunUntil: 0 }] })).toBeNull()
    expect(lanesMore({ ...work, orders: [{ orderId: 1, dueSeconds: 12 * hour, begunUntil: 13 * hour }] })).toBeNull()
  })
})
