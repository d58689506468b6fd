import { describe, expect, test } from 'vitest'
import {
  Agenda,
  chooseJobs,
  chooseStandIns,
  forecastByLike,
  forecastOf,
  likeRate,
  rangeAround,
  RangeSum,
  sharedTimePart,
  sortJobs,
  type Calibration,
  type JobForecast,
  type JobOutline,
  type LikeRate,
} from '../src/index.ts'
import { atOnce } from '../../../tests/support/at-once.ts'
import { around, exactly, extent, forecast, job, lanesOnly, traits } from './outlines.ts'

/** A source of `frames` frames, of which each took so many seconds and bytes, after two seconds to begin. */
const known = (frames: number, secondsPerFrame: number, bytesPerFrame: number) => ({
  extent: extent(frames),
  measurement: { startSeconds: 2 },
  forecast: forecast(around(2 + frames * secondsPerFrame, 0.2), around(frames * bytesPerFrame, 0.15)),
})

describe('a forecast carried over from like sources', () => {
  test('grows with the work, apart from what a job takes whatever its length', () => {
    const rate = likeRate('lot', [known(100, 0.1, 1000), known(300, 0.1, 1000), known(200, 0.1, 1000)])!
    const carried = forecastByLike(rate, extent(1000))
    expect(carried.seconds.expected).toBeCloseTo(102, 9)
    expect(carried.bytes.expected).toBeCloseTo(1_000_000, 6)
    expect(carried.measuredFrom).toBe(
      'not this source: 3 of its lot were measured with the same spec and treatment, and stand for the rest',
    )
  })

  test("is as wide as one more of them may be off, by Student's t", () => {
    const rate = likeRate('lot', [known(100, 0.08, 1000), known(100, 0.1, 1000), known(100, 0.12, 1000)])!
    // Mean 0.1, deviation 0.02, t(2 degrees, 90 %) = 2.92; one more value: times sqrt(1 + 1/3); each was known to 20 %.
    expect(rate.time.each).toBeCloseTo(Math.hypot(2.92 * 0.2 * Math.sqrt(4 / 3), 0.25), 4)
    // What all of the lot share is how well the mean is known.
    expect(rate.time.shared).toBeCloseTo(Math.hypot((2.92 * 0.2) / Math.sqrt(3), 0.25 / Math.sqrt(3)), 4)
  })

  test('keeps as many cores busy as those that were measured, the longer ones counting for more', () => {
    const busy = (frames: number, busyCores?: number) => {
      const { forecast: told, ...rest } = known(frames, 0.1, 1000)
      return { ...rest, forecast: { ...told, ...(busyCores === undefined ? {} : { busyCores }) } }
    }
    // 12 s of one core, 32 s of three: 108 s of a processor in 44.
    const rate = likeRate('lot', [busy(100, 1), busy(300, 3), busy(200)])!
    expect(forecastByLike(rate, extent(1000)).busyCores).toBeCloseTo(108 / 44, 9)
    expect(forecastByLike(likeRate('lot', [busy(100)])!, extent(1000))).not.toHaveProperty('busyCores')
  })

  test('of one source says little', () => {
    const rate = likeRate('lot', [known(100, 0.1, 1000)])!
    expect(rate.time.each).toBe(0.65)
    expect(rate.size.each).toBe(0.75)
    expect(likeRate('lot', [])).toBeNull()
  })

  test("counts only where the source's own measurement is not there", () => {
    const ground = {
      rates: new Map([['lot', likeRate('lot', [known(100, 0.1, 1000)])!]]),
      calibrations: new Map<string, Calibration>(),
    }
    const own = forecast(exactly(7), exactly(8))
    const seed = { measured: null, likeKey: 'lot', extent: extent(10), traits, promised: null }
    expect(forecastOf({ ...seed, measured: own }, ground)).toBe(own)
    expect(forecastOf(seed, ground)!.seconds.expected).toBeCloseTo(3)
    expect(forecastOf({ ...seed, likeKey: 'another' }, ground)).toBeNull()
    expect(forecastOf({ ...seed, likeKey: null }, ground)).toBeNull()
    // What was told when a job was begun stays, whatever is learned since.
    const told = forecast(exactly(5), exactly(6))
    expect(forecastOf({ ...seed, measured: own, promised: told }, ground)).toBe(told)
  })

  test('needs sources of different lengths, the middle one first', () => {
    expect(chooseStandIns([50, 10, 90, 30, 70, 20, 60, 80, 40], 3)).toEqual([0, 5, 7])
    expect(chooseStandIns([5, 3], 3)).toEqual([1, 0])
    expect(chooseStandIns([], 3)).toEqual([])
  })
})

test('a range is as far down as up, until as factors that would be more than twice as far; it never begins at nothing', () => {
  expect(rangeAround(100, 0.2)).toEqual({ expected: 100, low: 80, high: 120 })
  expect(rangeAround(100, 1)).toEqual({ expected: 100, low: 25, high: 200 })
  expect(rangeAround(100, 4)).toEqual({ expected: 100, low: 4, high: 500 })
  expect(rangeAround(0, 1)).toEqual({ expected: 0, low: 0, high: 0 })
})

describe('sums', () => {
  test('of forecasts with a common error stay unsure, however many there are', () => {
    const [alone, common] = [new RangeSum(), new RangeSum()]
    for (let count = 0; count < 1000; count++) {
      alone.add(around(10, 0.3))
      common.add(around(10, 0.3), { group: 'lot', part: 0.2 })
    }
    expect(alone.range().high).toBeCloseTo(10_000 + 3 * Math.sqrt(1000), 6)
    // A fifth of the whole in common; what is each one's own, sqrt(0.3^2 - 0.2^2) of ten, in quadrature.
    expect(common.range().high).toBeCloseTo(10_000 + Math.hypot(2000, Math.sqrt(1000) * Math.sqrt(9 - 4)), 6)
    const two = new RangeSum()
    two.add(around(100, 0.2), { group: 'a', part: 0.2 })
    two.add(around(100, 0.2), { group: 'b', part: 0.2 })
    expect(two.range().high).toBeCloseTo(200 + Math.hypot(20, 20), 9)
  })
})

const noRates: ReadonlyMap<string, LikeRate> = new Map()
const at = new Date('2026-11-27T08:00:00Z')
const agendaOf = (own: JobOutline[], others: JobOutline[] = [], rates = noRates, lanes = 1) =>
  atOnce(Agenda.make(1, own, others, lanesOnly(lanes), { rates, calibrations: new Map() }, at))

describe('an agenda', () => {
  test('of workers without a lane has an end for what was begun alone', () => {
    const begun = job({ state: 'running' })
    const waits = job({ state: 'waiting' })
    const drafted = job()
    const { places, summary } = agendaOf([begun, waits, drafted], [], noRates, 0)
    expect([...places.keys()]).toEqual([begun.id])
    expect(summary.lanes).toBe(0)
    // What it takes is known all the same.
    expect(summary.withDrafts.seconds.expected).toBe(30)
    expect(agendaOf([waits, drafted], [], noRates, 0).summary.withDrafts.end).toBeNull()
  })

  test("takes every order's jobs on the same lanes: what runs, what waits by its place, then the order's drafts", () => {
    const own = [
      job({ id: 1, state: 'draft', position: 1 }),
      job({ id: 2, state: 'waiting', position: 3 }),
      job({ id: 3, state: 'running', position: 2 }),
      job({ id: 4, state: 'held', position: 0 }),
      job({ id: 5, state: 'done', position: 0 }),
    ]
    const others = [
      job({ id: 10, orderId: 2, state: 'waiting', position: 2.5, measured: forecast(exactly(1000), exactly(1)) }),
      job({ id: 11, orderId: 2, state: 'draft', position: 0 }),
      job({ id: 12, orderId: 2, state: 'waiting', position: 9, measured: forecast(exactly(500), exactly(1)) }),
    ]
    const agenda = agendaOf(own, others)
    const end = (id: number) => agenda.places.get(id)?.end.expected
    expect([end(3), end(10), end(2), end(12), end(1)]).toEqual([10, 1010, 1020, 1520, 1530])
    expect(end(4)).toBeUndefined()
    const summary = agenda.summary
    expect(summary.released).toMatchObject({ jobs: 2, measured: 2 })
    expect(summary.released.end!.expected).toBe(1020)
    expect(summary.withDrafts.end!.expected).toBe(1530)
    // What this order takes is its own.
    expect(summary.withDrafts.seconds.expected).toBe(30)
    expect(summary.counts).toMatchObject({ draft: 1, waiting: 1, running: 1, held: 1, done: 1, failed: 0 })
    expect(summary.bars.map(bar => [bar.from, bar.to, bar.isDraft])).toEqual([
      [0, 10, false],
      [1010, 1020, false],
      [1520, 1530, true],
    ])
  })

  test('never shows what is known of some as if it were all', () => {
    const rates = new Map([['lot', likeRate('lot', [known(100, 0.1, 1000)])!]])
    const own = [
      job(),
      ...Array.from({ length: 9 }, () => job({ measured: null, sampleState: 'later' })),
      job({ measured: null, sampleState: 'failed', likeKey: null }),
      job({ measured: null, sampleState: 'waiting', likeKey: null }),
    ]
    const { drafts } = agendaOf(own, [], rates).summary
    expect(drafts).toMatchObject({ jobs: 12, measured: 1, byLike: 9, unknown: 2, unmeasurable: 1 })
    expect(drafts.measuredSeconds.expected).toBe(10)
    expect(drafts.seconds.expected).toBeCloseTo(10 + 9 * 12, 9)
    // One source was measured, so all nine may be off together by four tenths, and not only by a ninth of that each.
    expect(drafts.seconds.high - drafts.seconds.expected).toBeGreaterThan(0.4 * 9 * 12)
  })

  test('draws thousands of short jobs as a few bars that cover the same time', () => {
    const measured = forecast(around(10, 0.3), exactly(100))
    const own = Array.from({ length: 3000 }, () => job({ state: 'waiting', measured }))
    const { bars, released } = agendaOf(own, [], noRates, 2).summary
    expect(bars.length).toBeLessThan(600)
    expect(bars.reduce((sum, bar) => sum + bar.jobs, 0)).toBe(3000)
    expect(bars.reduce((sum, bar) => sum + bar.to - bar.from, 0)).toBeCloseTo(30_000, 3)
    expect(released.end!.expected).toBe(15_000)
    // Each lane does 1500 of them: what the machine is off by is the same for all, and what is each one's own goes out against the others'.
    const variance = 1500 * 10 ** 2 * (0.3 ** 2 - sharedTimePart ** 2)
    expect(released.end!.high).toBeCloseTo(15_000 + Math.hypot(15_000 * sharedTimePart, Math.sqrt(variance)), 6)
  })

  test('sums up by lot, lots in the order of their first job', () => {
    const own = [
      job({ lotId: 7, state: 'done', verdict: 'pass', outputBytes: 40 }),
      job({ lotId: null, state: 'done', verdict: 'look', outputBytes: 2 }),
      job({ lotId: 7, state: 'failed' }),
    ]
    const lots = atOnce(agendaOf(own).lots(own, new Map([[7, 'Lot C']])))
    expect(lots.map(lot => [lot.name, lot.pass, lot.look, lot.counts.failed, lot.outputBytes])).toEqual([
      ['Lot C', 1, 0, 1, 40],
      ['In no lot', 0, 1, 0, 2],
    ])
  })
})

describe('work by spec', () => {
  const like = (xpsnr: number | null) => ({ xpsnr, worstXpsnr: xpsnr, ssim: 0.98 })
  const measured = (seconds: number, bytes: number, xpsnr: number | null) => ({
    ...forecast(exactly(seconds), exactly(bytes)),
    quality: like(xpsnr),
  })
  const draft = (specKey: string, known: JobForecast | null) =>
    job({ state: 'draft', specKey, specName: specKey, measured: known, likeKey: null })

  test('sums what the drafts of each take, and tells the least likeness of those that were measured', () => {
    const own = [
      draft('small', measured(10, 100, 38)),
      draft('exact', measured(4, 900, null)),
      draft('small', measured(20, 300, 35.5)),
      draft('small', null),
      draft('exact', forecast(exactly(6), exactly(700))),
    ]
    const specs = atOnce(agendaOf(own).specs(own))
    expect(
      specs.map(({ specKey, totals, likenessKnown, leastXpsnr }) => [
        specKey,
        totals.jobs,
        totals.unknown,
        totals.bytes.expected,
        totals.seconds.expected,
        likenessKnown,
        leastXpsnr,
      ]),
    ).toEqual([
      ['small', 3, 1, 400, 30, 2, 35.5],
      ['exact', 2, 0, 1600, 10, 1, null],
    ])
  })
})

describe('lists of jobs', () => {
  const own = [
    job({ id: 101, position: 3, sourceName: 'reel 10.mov', lotId: 1, state: 'done', verdict: 'pass', workSeconds: 5 }),
    job({ id: 102, position: 1, sourceName: 'reel 9.mov', lotId: 2, state: 'failed', workSeconds: null }),
    job({
      id: 103,
      position: 2,
      sourceName: 'reel 1.mov',
      lotId: null,
      state: 'done',
      verdict: 'look',
      workSeconds: 2,
    }),
  ]
  const agenda = agendaOf(own)

  test('are chosen by their spec as well', () => {
    const two = [job({ id: 201, specKey: 'small' }), job({ id: 202, specKey: 'exact' })]
    expect(chooseJobs(two, { specKey: 'exact' }).map(({ id }) => id)).toEqual([202])
    expect(chooseJobs(two, {})).toHaveLength(2)
  })
  const ids = (jobs: JobOutline[]) => jobs.map(entry => entry.id)

  test('are narrowed by state, lot, source and sample', () => {
    expect(ids(chooseJobs(own, { states: ['done'] }))).toEqual([101, 103])
    expect(ids(chooseJobs(own, { lotId: null }))).toEqual([103])
    expect(ids(chooseJobs(own, { lotId: 2 }))).toEqual([102])
    expect(ids(chooseJobs(own, { sourceId: 101 }))).toEqual([101])
    expect(ids(chooseJobs(own, { sample: 'failed' }))).toEqual([])
  })

  test('are sorted: numbers in names count, failures come first, and what has no value comes last either way', () => {
    expect(ids(sortJobs(own, 'plan', false, agenda))).toEqual([102, 103, 101])
    expect(ids(sortJobs(own, 'name', false, agenda))).toEqual([103, 102, 101])
    expect(ids(sortJobs(own, 'verdict', false, agenda))).toEqual([102, 103, 101])
    expect(ids(sortJobs(own, 'took', false, agenda))).toEqual([103, 101, 102])
    expect(ids(sortJobs(own, 'took', true, agenda))).toEqual([101, 103, 102])
  })
})
