import { describe, expect, test } from 'vitest'
import {
  asTest,
  outlook,
  renderOrTreat,
  secondsOfFrame,
  shotsToAnnounce,
  WhatIf,
  WorkingHours,
  type Machine,
  type MeasuredTest,
  type RenderQuestion,
  type RenderTest,
} from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { seeded } from '../../../tests/support/seeded.ts'
import { sample } from '../../../tests/support/samples.ts'
import { at, exactly, extent, forecast, inMinutes, job, lanesOnly, order, traits } from './outlines.ts'

const noForecasts = { rates: new Map(), calibrations: new Map() }

/** Frames that are still to be rendered: as they are wanted, or at a reduced cost and treated here. */

/** A test of a hundred frames of 1 kB each, that takes so many seconds a frame here, and nothing to begin. */
const takes = (secondsPerFrame: number, changes: Partial<RenderTest> = {}): RenderTest => ({
  known: {
    extent: extent(100),
    measurement: { startSeconds: 0 },
    forecast: forecast(exactly(100 * secondsPerFrame), exactly(100 * 500)),
  },
  sourceFrames: 100,
  sourceBytes: 100_000,
  ...changes,
})
/** Two machines render shots of 240 frames. */
const question = (full: number, reduced: number, changes: Partial<RenderQuestion> = {}): RenderQuestion => ({
  ...{ shots: 1, framesOfShot: 240, machines: 2, doubt: 0 },
  full: { jobId: 1, minutesPerFrame: full },
  reduced: { jobId: 2, minutesPerFrame: reduced },
  ...changes,
})
interface There {
  full?: RenderTest
  reduced?: RenderTest
  machine?: Machine
  before?: number[]
  dueAt?: string | null
}
const answer = (
  asked: RenderQuestion,
  { full = takes(1), reduced = takes(20), machine = lanesOnly(1), before = [], dueAt = null }: There = {},
) =>
  atOnce(
    renderOrTreat(
      {
        ...{ machine, full, reduced, orderId: 1, dueAt },
        before: before.map((seconds, index) => ({ work: { id: index + 1, seconds: exactly(seconds) } })),
      },
      asked,
      at,
    ),
  )

describe('a shot', () => {
  test('is rendered by all machines, and then done here', () => {
    const { full, reduced } = answer(question(10, 2))
    // 240 frames of 10 minutes on 2 machines are 20 hours; a frame takes a second here.
    expect(full.rendered.expected).toBe(20 * 3600)
    expect(full.end.expected).toBeCloseTo(20 * 3600 + 240, 6)
    expect(full.seconds.expected).toBeCloseTo(240, 6)
    expect(full.secondsPerFrame).toBeCloseTo(1, 9)
    expect(reduced.rendered.expected).toBe(4 * 3600)
    expect(reduced.end.expected).toBeCloseTo(4 * 3600 + 240 * 20, 6)
  })

  test('has frames and results as large as those of its test', () => {
    const { full } = answer(question(10, 2, { shots: 3 }))
    expect(full.renderedBytes).toBe(3 * 240 * 1000)
    expect(full.bytes.expected).toBeCloseTo(3 * 240 * 500, 6)
    expect(answer(question(10, 2), { full: takes(1, { sourceBytes: null }) }).full.renderedBytes).toBeNull()
  })

  test('of which every second frame is rendered and the others are made here delivers as many, and renders half', () => {
    // The test of 50 frames that were rendered came to 100, at 20 s each.
    const { reduced, full } = answer(question(10, 10), { reduced: takes(20, { sourceFrames: 50 }) })
    expect(reduced.seconds.expected).toBeCloseTo(240 * 20, 6)
    expect(reduced.rendered.expected).toBeCloseTo(full.rendered.expected / 2, 6)
    expect(reduced.renderedBytes).toBe(120 * 2000)
    expect(secondsOfFrame(takes(20, { sourceFrames: 50 }))).toBeCloseTo(20, 9)
  })

  test('begins once, whatever its length', () => {
    const begins = takes(1)
    const slow = {
      ...begins,
      known: { ...begins.known, measurement: { startSeconds: 30 }, forecast: forecast(exactly(130), exactly(1)) },
    }
    expect(answer(question(10, 2), { full: slow }).full.seconds.expected).toBeCloseTo(30 + 240, 6)
  })
})

describe('several shots', () => {
  test('end as a line of two stations does: with equal shots, when the slower of the two lets them', () => {
    const random = seeded(3)
    for (let round = 0; round < 50; round++) {
      const shots = 1 + Math.floor(random() * 12)
      const [minutes, perFrame] = [random() * 5, random() * 100]
      const { full } = answer(question(minutes, 1, { shots }), { full: takes(perFrame) })
      const [rendering, working] = [(240 * minutes * 60) / 2, 240 * perFrame]
      // Johnson 1954: of equal jobs in a flow shop with two machines.
      expect(full.end.expected).toBeCloseTo(rendering + working + (shots - 1) * Math.max(rendering, working), 4)
      expect(full.shots).toHaveLength(shots)
      expect(full.shots.at(-1)!.rendered).toBeCloseTo(shots * rendering, 6)
      for (const { rendered, start, end } of full.shots) {
        expect(start).toBeGreaterThanOrEqual(rendered - 1e-6)
        expect(end - start).toBeCloseTo(working, 4)
      }
    }
  })

  test('are done by as many lanes as there are', () => {
    // Two shots an hour, of two hours' work each: four lanes keep up with them, one does not.
    const asked = question(0.25, 0.25, { shots: 8 })
    const ends = (lanes: number) => answer(asked, { machine: lanesOnly(lanes), full: takes(30) }).full.end.expected
    expect(ends(1)).toBeCloseTo(1800 + 8 * 7200, 4)
    expect(ends(4)).toBeCloseTo(8 * 1800 + 7200, 4)
    expect(ends(64)).toBe(ends(4))
  })

  test('wait behind what waits already', () => {
    const { full, before } = answer(question(0.5, 0.1), { before: [3600, 3 * 3600] })
    expect(before.expected).toBe(4 * 3600)
    // Rendered within an hour; the lane is free after four.
    expect(full.end.expected).toBeCloseTo(4 * 3600 + 240, 6)
  })

  test('are worked on in working hours only, and rendered at any time', () => {
    const hours = WorkingHours.parse({
      zone: 'UTC',
      spans: [{ days: [1, 2, 3, 4, 5, 6, 7], from: '08:00', to: '09:00' }],
    })
    const machine = { ...lanesOnly(1), hours: { hours, workOnUntil: null } }
    // Rendered after two hours, at ten; the hours begin at eight the next day.
    const { full } = answer(question(1, 1), { machine })
    expect(full.rendered.expected).toBe(7200)
    expect(full.end.expected).toBeCloseTo(24 * 3600 + 240, 6)
  })

  test('are late by how long after the due time they are done', () => {
    const { full, reduced } = answer(question(10, 2), { dueAt: inMinutes(10 * 60) })
    expect(full.lateSeconds).toBeCloseTo(10 * 3600 + 240, 6)
    expect(reduced.lateSeconds).toBe(0)
  })
})

describe('minutes that may be off', () => {
  test('make ends as early and as late as they may be', () => {
    const { full } = answer(question(10, 2, { doubt: 0.25 }))
    expect(full.rendered).toEqual({ expected: 72_000, low: 54_000, high: 90_000 })
    expect(full.end.expected).toBeCloseTo(72_000 + 240, 6)
    expect(full.end.low).toBeLessThan(54_000 + 240)
    expect(full.end.high).toBeGreaterThan(90_000 + 240)
  })
})

describe('the minutes from which on treating is quicker', () => {
  test('are those at which both ways end together', () => {
    // Treating costs 19 s more a frame; rendering on two machines must take as much longer: 38 s of a machine.
    expect(answer(question(10, 2)).evenMinutes).toBeCloseTo(2 + 38 / 60, 2)
  })

  test('are where the answer turns, whatever there is', () => {
    const random = seeded(9)
    for (let round = 0; round < 20; round++) {
      const shots = 1 + Math.floor(random() * 6)
      const asked = (minutes: number) =>
        question(minutes, 0.5 + random(), { shots, full: { jobId: 1, minutesPerFrame: minutes } })
      const fixed = { ...asked(1), reduced: { jobId: 2, minutesPerFrame: 0.5 + random() } }
      const there = {
        reduced: takes(random() * 60),
        full: takes(random() * 5),
        machine: lanesOnly(1 + Math.floor(random() * 3)),
        before: [random() * 9000],
      }
      const at = (minutesPerFrame: number) => answer({ ...fixed, full: { jobId: 1, minutesPerFrame } }, there)
      const { evenMinutes } = at(1)
      if (!evenMinutes) continue
      const [before, after] = [at(evenMinutes * 0.98), at(evenMinutes * 1.02)]
      expect(before.full.end.expected).toBeLessThanOrEqual(before.reduced.end.expected)
      expect(after.full.end.expected).toBeGreaterThan(after.reduced.end.expected)
    }
  })

  test('are none where what is rendered as wanted takes longer here', () => {
    expect(answer(question(1, 1), { full: takes(50), reduced: takes(1) }).evenMinutes).toBe(0)
  })
})

test('a test without frames says nothing', () => {
  expect(() => answer(question(1, 1), { full: takes(1, { sourceFrames: 0 }) })).toThrow('says nothing')
})

test('shots are announced with what their frames are like, each for when it is rendered', () => {
  const asked = question(10, 2, { shots: 12 })
  const shots = shotsToAnnounce(
    'Reef approach',
    asked,
    'reduced',
    {
      extent: extent(100),
      sourceWidth: 960,
      sourceHeight: 540,
      sourceFrames: 100,
      sourceRate: { num: 24, den: 1 },
      sourceBytes: 100_000,
    },
    answer(asked),
  )
  expect(shots).toHaveLength(12)
  expect(shots[2]).toEqual({
    ...{ name: 'Reef approach 03', carrier: null, seconds: 10, width: 960, height: 540, framesPerSecond: 24 },
    ...{ scan: 'progressive', codec: null, bytes: 240_000, notes: 'still to be rendered, 2 min a frame' },
    expectedAt: inMinutes(3 * 4 * 60),
  })
})

test('once its shots are announced, the outlook of all orders tells of a way what was told of it', () => {
  const window = { startSeconds: 0, frames: 100, encodeSeconds: 900, checkSeconds: 100, firstKeyframeBytes: 5000 }
  const measured: MeasuredTest = {
    ...{ extent: extent(100), traits, sourceFrames: 50, sourceBytes: 100_000 },
    measurement: sample([{ ...window, otherKeyframes: 0, otherKeyframeBytes: 0, interFrames: 99, interBytes: 99_000 }]),
  }
  const told = asTest(measured, noForecasts)
  const asked = question(4, 2, { shots: 7 })
  const waits = job({ id: 5, orderId: 2, state: 'waiting', measured: forecast(exactly(7200), exactly(100)) })
  const found = answer(asked, { full: told, reduced: told, before: [7200] })
  const frames = { extent: extent(100), sourceFrames: 50, sourceRate: { num: 24, den: 1 }, sourceBytes: 100_000 }
  const shots = shotsToAnnounce('Reef', asked, 'reduced', { ...frames, sourceWidth: 960, sourceHeight: 540 }, found)
  const { orders } = atOnce(
    outlook(
      {
        ...{ jobs: [waits], forecasts: noForecasts, machine: lanesOnly(1), orders: [order(1, null), order(2, null)] },
        ...{ volumes: [], repeats: { begun: 0, lost: 0 } },
        announced: {
          items: shots.map((planned, index) => ({ id: index + 1, orderId: 1, planned, specKey: 'any', likeId: 3 })),
          ...{ specs: new Map(), known: new Map(), likes: new Map([[3, measured]]) },
        },
      },
      WhatIf.parse({ withAnnounced: true }),
      at,
    ),
  )
  expect(orders[0]).toMatchObject({ jobs: 7, unknown: 0 })
  expect(orders[0]!.end!.expected).toBeCloseTo(found.reduced.end.expected, 1)
  expect(orders[0]!.seconds.expected).toBeCloseTo(found.reduced.seconds.expected, 6)
})
