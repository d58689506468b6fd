import { expect } from 'vitest'
import { Lanes, planByDueTime, type LaneWork, type Machine, type WorkToOrder } from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { seeded } from '../../../tests/support/seeded.ts'
import { throughTheDay, type SharedJob } from '../../../tests/support/shared-machine.ts'
import { exactly } from './outlines.ts'

/**
 * Jobs of chance: some keep one core busy, some all, some none to speak of; the longer ones can be divided.
 * @param late part of them that comes later
 */
export function jobsOfChance(seed: number, cores: number, late = 0): SharedJob[] {
  const random = seeded(seed)
  return Array.from({ length: 1 + Math.floor(random() * 30) }, (_, index) => ({
    id: index + 1,
    seconds: 1 + 600 * random() ** 3,
    busyCores: 0.2 + random() * (cores - 0.2),
    parts: random() < 0.4 ? 2 + Math.floor(random() * 4) : 1,
    ...(late > 0 ? { hereFrom: random() < late ? random() * 2500 : 0 } : {}),
  }))
}

/** Such a job as lanes take it. */
export const asWork = ({ id, seconds, busyCores, parts, hereFrom }: SharedJob): LaneWork => ({
  ...{ id, seconds: exactly(seconds), busyCores, pieces: parts },
  ...(hereFrom === undefined ? {} : { hereFrom }),
})

/** The places of some work on lanes, and how much they slow each other. */
export function planned(machine: Machine, ...jobs: LaneWork[]) {
  const lanes = new Lanes(machine)
  for (const job of jobs) lanes.place(job)
  return { places: lanes.finish(), slowing: lanes.slowing }
}

/** Whether an order of work on shared cores is what going through the day by the clock comes to, no worse than the one there was, and no better than the bound. */
export function expectAsClaimed(given: WorkToOrder): void {
  const { now, found, bound } = atOnce(planByDueTime(given))
  for (const claimed of [now, found]) {
    const jobs = claimed.ids.map(id => given.jobs.find(entry => entry.id === id)!)
    const day = throughTheDay(
      jobs.map(({ pieces = 1, busyCores = 0, ...job }) => ({ ...job, busyCores, parts: pieces })),
      given.lanes.length,
      given.sharing!.cores,
    )
    for (const { orderId, end } of claimed.orders)
      expect(end).toBeCloseTo(
        Math.max(0, ...jobs.filter(job => job.orderId === orderId).map(({ id }) => day.get(id)!.end)),
        5,
      )
  }
  expect(found.late).toBeLessThanOrEqual(now.late + 1e-6)
  expect(bound.late).toBeLessThanOrEqual(found.late + 1e-6)
  expect(bound.end).toBeLessThanOrEqual(found.end + 1e-6)
}
