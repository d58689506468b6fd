import { describe, expect, test } from 'vitest'
import {
  calibrated,
  calibratedRange,
  calibrationFor,
  calibrationOf,
  coverageOver,
  coverageWindow,
  describeKind,
  errorShape,
  forecastError,
  isWithin,
  kindOfWork,
  leastOutcomes,
  mostOutcomes,
  recordOf,
  recordsByKind,
  type ForecastOutcome,
  type JobForecast,
  type Range,
  type WorkTraits,
} from '../src/index.ts'
import { seeded } from '../../../tests/support/seeded.ts'

const around = (expected: number, part: number): Range => ({
  expected,
  low: expected * (1 - part),
  high: expected * (1 + part),
})

describe('errors of forecasts', () => {
  test('are counted in half-widths, twice as much as far as half as much', () => {
    expect(forecastError(around(100, 0.2), 120)).toBeCloseTo(1, 9)
    expect(forecastError(around(100, 1), 200)).toBeCloseTo(1, 9)
    expect(forecastError(around(100, 1), 50)).toBeCloseTo(-1, 9)
    expect(forecastError(around(100, 0.2), 100)).toBe(0)
  })

  test('are none where there is nothing to compare', () => {
    expect(forecastError(around(0, 0.2), 5)).toBeNull()
    expect(forecastError(around(5, 0.2), 0)).toBeNull()
  })

  test('of a forecast that says it is certain are large, and still numbers', () => {
    expect(forecastError(around(100, 0), 101)).toBeCloseTo(Math.log(1.01) / 0.005, 9)
  })
})

describe('the shape of errors', () => {
  const upTo = (count: number) => Array.from({ length: count }, (_, index) => index + 1)

  test('is not known of fewer than twenty', () => {
    expect(errorShape(upTo(leastOutcomes - 1))).toBeNull()
  })

  test('has the limits that one more error lies in nine times out of ten, and the median', () => {
    // Of n errors the next is as likely in each of the n + 1 gaps: 19 of 21 lie between the first and the last of twenty.
    expect(errorShape(upTo(20))).toEqual({ low: 1, middle: 10.5, high: 20 })
    // floor(0.05 x 40) and ceil(0.95 x 40)
    expect(errorShape(upTo(39).reverse())).toEqual({ low: 2, middle: 20, high: 38 })
    expect(errorShape(upTo(199))).toEqual({ low: 10, middle: 100, high: 190 })
  })
})

/** Work whose time is drawn: how unsure it is differs from job to job, long times are likelier than short ones, and it takes a third longer than sampled. */
function drawWork(random: () => number) {
  const part = 0.1 + 0.4 * random()
  const expected = 10 ** (1 + 2 * random())
  const skewed = -Math.log(1 - random()) - 0.7
  const took = expected * 1.33 * Math.exp(skewed * 0.6 * Math.log(1 + part))
  const told = { raw: around(expected, part), took }
  return { seconds: told, bytes: told }
}

describe('calibrated ranges', () => {
  test('hold nine times out of ten whatever the errors are like', () => {
    const random = seeded(20_261_129)
    for (const count of [20, 60, 200]) {
      let hits = 0
      const [rounds, each] = [200, 50]
      for (let round = 0; round < rounds; round++) {
        const calibration = calibrationOf(Array.from({ length: count }, () => drawWork(random)))!
        for (let next = 0; next < each; next++) {
          const { seconds } = drawWork(random)
          if (isWithin({ said: calibratedRange(seconds.raw, calibration.seconds), took: seconds.took })) hits++
        }
      }
      // The ranks of n errors leave out 2 of 21, 6 of 61 and 20 of 201 places.
      const exact = { 20: 19 / 21, 60: 55 / 61, 200: 181 / 201 }[count]!
      expect(hits / (rounds * each)).toBeGreaterThan(exact - 0.02)
      expect(hits / (rounds * each)).toBeLessThan(exact + 0.02)
    }
  })

  test('have their middle where the middle of the results was', () => {
    const steady = Array.from({ length: 30 }, () => {
      const told = { raw: around(100, 0.25), took: 125 }
      return { seconds: told, bytes: told }
    })
    const range = calibratedRange(around(40, 0.25), calibrationOf(steady)!.seconds)
    expect(range.expected).toBeCloseTo(50, 9)
    expect(range.low).toBeCloseTo(50, 9)
    expect(range.high).toBeCloseTo(50, 9)
  })

  test('follow the newest results', () => {
    const told = (took: number) => ({ raw: around(100, 0.25), took })
    const results = (count: number, took: number) =>
      Array.from({ length: count }, () => ({ seconds: told(took), bytes: told(took) }))
    const calibration = calibrationOf([...results(500, 300), ...results(mostOutcomes, 100)])!
    expect(calibration.count).toBe(mostOutcomes)
    expect(calibratedRange(around(10, 0.25), calibration.seconds).expected).toBeCloseTo(10, 9)
  })

  test('of nothing stay nothing', () => {
    expect(calibratedRange(around(0, 0.2), { low: -1, middle: 0, high: 1 })).toEqual(around(0, 0.2))
  })
})

describe('a calibrated forecast', () => {
  const raw: JobForecast = {
    seconds: around(100, 0.25),
    bytes: around(1000, 0.2),
    checkSeconds: 20,
    measuredFrom: 'a test',
    quality: null,
    carried: { from: 2, group: 'lot', timePart: 0.2, sizePart: 0.1 },
  }
  const shape = (low: number, middle: number, high: number) => ({ low, middle, high })

  test('says of how many results it is, and keeps the parts of its time together', () => {
    const forecast = calibrated(raw, { count: 34, seconds: shape(0, 1, 2), bytes: shape(-1, 0, 1) })
    expect(forecast.heldAgainst).toBe(34)
    // A half-width up, as a logarithm: 100 x 1.25, and 100 x 1.25 squared.
    expect(forecast.seconds.expected).toBeCloseTo(125, 9)
    expect(forecast.seconds.high).toBeCloseTo(156.25, 9)
    expect(forecast.seconds.low).toBeCloseTo(100, 9)
    expect(forecast.checkSeconds).toBeCloseTo(25, 9)
    // As wide above as it was: what it shares with its like is as much of it.
    expect(forecast.carried!.timePart).toBeCloseTo(0.2, 9)
    expect(forecast.bytes.high).toBeCloseTo(1200, 9)
    expect(forecast.bytes.low).toBeCloseTo(1000 / 1.2, 9)
  })

  test('is as it was while too little is finished', () => {
    expect(calibrated(raw, null)).toBe(raw)
  })
})

describe('kinds of work', () => {
  const traits: WorkTraits = {
    videoCodec: 'h264',
    rate: 'constant quality',
    soundCodec: 'aac',
    isCopied: false,
    durationSeconds: 60,
  }
  const says = (changes: Partial<WorkTraits>, basis: 'own' | 'like' = 'own') =>
    describeKind(kindOfWork({ ...traits, ...changes }, basis))

  test('go by codec, rate control and length, and by what the forecast was made of', () => {
    expect(says({})).toBe('H.264, held quality; 10 s and longer; measured itself')
    expect(says({ durationSeconds: 9.9 }, 'like')).toBe('H.264, held quality; under 10 s; by its like')
    expect(says({ videoCodec: 'ffv1', rate: 'lossless' })).toBe('FFV1, lossless; 10 s and longer; measured itself')
    expect(says({ videoCodec: null, rate: null })).toBe('AAC alone; 10 s and longer; measured itself')
    expect(says({ videoCodec: null, rate: null, isCopied: true })).toBe(
      'copied picture; 10 s and longer; measured itself',
    )
  })

  test('with too few results of their own take those of their basis, and never those of the other', () => {
    const shape = { low: -1, middle: 0, high: 1 }
    const [few, many] = [25, 90].map(count => ({ count, seconds: shape, bytes: shape }))
    const kind = kindOfWork(traits, 'own')
    expect(calibrationFor(kind, new Map([['own', many!]]))).toBe(many)
    expect(
      calibrationFor(
        kind,
        new Map([
          ['own', many!],
          [kind, few!],
        ]),
      ),
    ).toBe(few)
    expect(calibrationFor(kind, new Map([['like', many!]]))).toBeNull()
  })
})

describe('how forecasts did', () => {
  const outcome = (id: number, took: number, kind = 'own/long/h264/constant quality'): ForecastOutcome => ({
    id,
    jobId: id,
    sourceName: `reel ${id}.mov`,
    specName: 'Small MP4',
    kind,
    heldAgainst: null,
    finishedAt: new Date(Date.UTC(2026, 10, 1) + id * 60_000).toISOString(),
    seconds: { said: around(100, 0.25), took },
    bytes: { said: around(1000, 0.1), took: took * 10 },
  })

  test('is told by the middle error, the part within their ranges and the middle width', () => {
    const told = [100, 110, 130, 90, 60].map(took => ({ said: around(100, 0.25), took }))
    expect(recordOf(told)).toEqual({
      count: 5,
      off: expect.closeTo(0.1, 9),
      within: 0.6,
      width: expect.closeTo(0.25, 9),
    })
    expect(recordOf([])).toEqual({ count: 0, off: 0, within: 0, width: 0 })
  })

  test('is told by kind, most results first', () => {
    const records = recordsByKind([outcome(1, 100, 'own/short/sound/flac'), outcome(2, 100), outcome(3, 140)])
    expect(records.map(({ name, seconds, bytes }) => [name, seconds.within, bytes.within])).toEqual([
      ['H.264, held quality; 10 s and longer; measured itself', 0.5, 0.5],
      ['FLAC alone; under 10 s; measured itself', 1, 1],
    ])
  })

  test('is followed over runs of twenty results, in the order in which they were finished', () => {
    const within = Array.from({ length: 30 }, (_, index) => outcome(index + 1, index < 25 ? 100 : 200))
    const coverage = coverageOver([...within].reverse(), 'seconds')
    expect(coverage).toHaveLength(30 - coverageWindow + 1)
    expect(coverage[0]).toEqual({ last: 20, within: 1 })
    expect(coverage.at(-1)).toEqual({ last: 30, within: 0.75 })
    expect(coverageOver(within.slice(0, 19), 'seconds')).toEqual([])
  })
})
