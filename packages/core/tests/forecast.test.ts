import { describe, expect, test } from 'vitest'
import {
  forecastJob,
  Lanes,
  sampleStarts,
  studentQuantile,
  RangeSum,
  type JobProgress,
  type Range,
  workLeft,
  type LaneWork,
} from '../src/index.ts'
import { extent, sample, window } from '../../../tests/support/samples.ts'
import { lanesOnly } from './outlines.ts'

describe('forecast of a job', () => {
  const forecast = forecastJob(sample([window(), window(), window()]), extent)

  test('time is seconds a frame times frames, plus sound and start', () => {
    // (0.1 + 0.02) s x 3000 + 0.01 x 120 + 0.5
    expect(forecast.seconds.expected).toBeCloseTo(361.7, 6)
    expect(forecast.checkSeconds).toBeCloseTo(60, 6)
  })

  test("size counts keyframes at the spec's distance, other frames, sound and the container's tables", () => {
    // 60 keyframes x 10000 + 2940 x 1000 + 16000 x 120 + 16 x (3000 + 6000)
    expect(forecast.bytes.expected).toBeCloseTo(600_000 + 2_940_000 + 1_920_000 + 144_000, 3)
  })

  test("a file's head is counted once, as the stretch with the smallest had it", () => {
    const headed = forecastJob(sample([window({ headBytes: 3000 }), window({ headBytes: 2500 })]), extent)
    const bare = forecastJob(sample([window(), window()]), extent)
    expect(headed.bytes.expected - bare.bytes.expected).toBe(2500)
  })

  test('says what was measured', () => {
    expect(forecast.measuredFrom).toBe('90 of 3000 frames in 3 stretches, encoded and checked on test, 2 cores in 12 s')
  })

  test("equal stretches still leave the machine's own unsteadiness", () => {
    expect(forecast.seconds.high / forecast.seconds.expected).toBeCloseTo(1.25, 6)
    expect(forecast.bytes.high / forecast.bytes.expected).toBeCloseTo(1.2, 6)
    expect(
      forecastJob(sample([window(), window(), window()]), { ...extent, sizeIs: 'by format' }).bytes.high /
        forecast.bytes.expected,
    ).toBeCloseTo(1.04, 6)
  })

  test("unlike stretches widen the range by Student's t", () => {
    const wide = forecastJob(
      sample([window({ encodeSeconds: 2 }), window({ encodeSeconds: 3 }), window({ encodeSeconds: 4 })]),
      extent,
    )
    // Mean 0.1 s, standard error 0.03333 / sqrt 3 = 0.019245, t(2 degrees, 90 %) = 2.92, 90 of 3000 frames seen.
    expect(wide.seconds.high / wide.seconds.expected - 1).toBeCloseTo((2.92 * 0.019245 * Math.sqrt(0.97)) / 0.1, 4)
  })

  test("cuts inside the stretches make more keyframes than the spec's distance would", () => {
    const cuts = forecastJob(
      sample([window({ otherKeyframes: 3, otherKeyframeBytes: 30_000, interFrames: 26, interBytes: 26_000 })]),
      extent,
    )
    // Natural share 3 of 29: 1 + 3000 x 3 / 29 = 311.3 keyframes.
    expect(cuts.bytes.expected).toBeCloseTo(311.345 * 10_000 + 2688.655 * 1000 + 1_920_000 + 144_000, -2)
  })

  test('a source measured whole has no sampling error left', () => {
    const whole = forecastJob(
      sample([window({ frames: 48, encodeSeconds: 4.8, interFrames: 47, interBytes: 47_000 })]),
      { ...extent, frames: 48, durationSeconds: 2 },
    )
    expect(whole.bytes.high / whole.bytes.expected).toBeCloseTo(1.2, 6)
  })

  test('one stretch of many says little', () => {
    expect(forecastJob(sample([window()]), extent).seconds.high / 361.7).toBeCloseTo(1.5, 6)
  })
})

describe('sums', () => {
  const sumOf = (ranges: Range[], sharedPart?: number): Range => {
    const sum = new RangeSum(sharedPart)
    for (const range of ranges) sum.add(range)
    return sum.range()
  }

  test("independent errors add in quadrature, the machine's shared one in proportion", () => {
    const part = { expected: 100, low: 70, high: 130 }
    expect(sumOf([part, part])).toEqual({
      expected: 200,
      low: 200 - Math.hypot(30, 30),
      high: 200 + Math.hypot(30, 30),
    })
    // Of thirty per hundred, eight are the machine's: 16 for both. What is left of each, the root of 900 - 64, is its own.
    expect(sumOf([part, part], 0.08).high).toBeCloseTo(200 + Math.sqrt(16 ** 2 + 2 * (900 - 64)), 9)
    const many = sumOf(new Array<Range>(10_000).fill(part), 0.08)
    expect(many.high / many.expected).toBeCloseTo(1.08, 3)
  })

  test('of one are as sure as that one, and what is surer than the machine is stays so', () => {
    const uneven = { expected: 100, low: 60, high: 190 }
    expect(sumOf([uneven], 0.08)).toEqual({ expected: 100, low: expect.closeTo(60, 9), high: expect.closeTo(190, 9) })
    const sure = { expected: 100, low: 98, high: 105 }
    expect(sumOf([sure, sure], 0.08)).toEqual({ expected: 200, low: 196, high: 210 })
  })

  test('go down no more than twice as far as up, as a factor: what may be seven times as much is a forty-ninth at least', () => {
    expect(sumOf([{ expected: 1, low: -5, high: 7 }]).low).toBeCloseTo(1 / 49)
    expect(sumOf([{ expected: 1, low: 0.9, high: 7 }]).low).toBeCloseTo(0.9)
    expect(sumOf([])).toEqual({ expected: 0, low: 0, high: 0 })
  })

  test("t quantiles are the tables'", () => {
    expect([1, 4, 10].map(studentQuantile)).toEqual([6.314, 2.132, 1.812])
    // As tabled in the usual books: 15, 30 and 100 degrees of freedom, and the normal distribution.
    for (const [degrees, quantile] of [
      [15, 1.7531],
      [30, 1.6973],
      [100, 1.6602],
      [1e9, 1.6449],
    ] as const)
      expect(studentQuantile(degrees)).toBeCloseTo(quantile, 3)
    expect(studentQuantile(0)).toBe(Number.POSITIVE_INFINITY)
  })
})

describe('places of samples', () => {
  test('lie in the middle of equal parts, in an order that is spread when cut short', () => {
    const starts = sampleStarts(100, 2, 5)
    expect([...starts].sort((a, b) => a - b)).toEqual([9, 29, 49, 69, 89])
    expect(Math.abs(starts[0]! - starts[1]!)).toBeGreaterThan(20)
  })

  test('a short source is taken whole', () => {
    expect(sampleStarts(6, 1.2, 5)).toEqual([0])
  })
})

describe('lanes', () => {
  const planLanes = (jobs: readonly LaneWork[], count: number) => {
    const lanes = new Lanes(lanesOnly(count))
    for (const job of jobs) lanes.place(job)
    return lanes.finish()
  }
  const hour = { expected: 3600, low: 3000, high: 4200 }

  test('takes jobs in order by the first free lane', () => {
    const plan = planLanes(
      [
        { id: 1, seconds: hour },
        { id: 2, seconds: { expected: 600, low: 600, high: 600 } },
        { id: 3, seconds: hour },
      ],
      2,
    )
    expect(
      plan.map(place => [
        place.id,
        place.stretches[0]!.lane,
        Math.round(place.start.expected),
        Math.round(place.end.expected),
      ]),
    ).toEqual([
      [1, 0, 0, 3600],
      [2, 1, 0, 600],
      [3, 1, 600, 4200],
    ])
  })

  test('the end of a lane is less sure the more comes before it', () => {
    const [first, second] = planLanes(
      [
        { id: 1, seconds: hour },
        { id: 2, seconds: hour },
      ],
      1,
    )
    expect(second!.end.high - second!.end.expected).toBeGreaterThan(first!.end.high - first!.end.expected)
  })

  test('what is left of a running job comes from its progress, before that from its forecast', () => {
    const forecast = { seconds: hour, bytes: hour, checkSeconds: 600, measuredFrom: '', carried: null }
    expect(workLeft({ state: 'waiting', forecast, progress: null })).toEqual(hour)
    const progress: JobProgress = {
      ...{ stage: 'encode', framesDone: 1, framesTotal: 2, framesPerSecond: 1, timesRealTime: 1, bytesWritten: 0 },
      ...{ secondsLeft: null, part: 0 },
    }
    const running = (part: number, secondsLeft: number | null) =>
      workLeft({ state: 'running', forecast, progress: { ...progress, secondsLeft, part } })!
    expect(running(0.9, 700).expected).toBe(700)
    // Until a speed is seen, what its forecast says of what is left.
    expect(running(0.01, null)).toEqual({
      expected: hour.expected * 0.99,
      low: hour.low * 0.99,
      high: hour.high * 0.99,
    })
    // Nor while its forecast is surer: of an hour's work, known to a tenth, the first ten minutes are no better guide.
    expect(running(1 / 6, 6000).expected).toBeCloseTo((hour.expected * 5) / 6)
    expect(running(0.6, 3000).expected).toBe(3000)
    // Without one, the first minute of an hour says less than half of it, and ten seconds next to nothing.
    const width = (part: number, seconds: number) =>
      workLeft({ state: 'running', forecast: null, progress: { ...progress, part, secondsLeft: seconds } })!.high /
      seconds
    expect(width(0.5, 1800)).toBeLessThan(1.15)
    expect(width(1 / 60, 3540)).toBeGreaterThan(1.3)
    expect(width(1 / 360, 3590)).toBeGreaterThan(4)
    expect(width(0.99, 36)).toBeLessThan(1.05)
    // It is told for one lane: three that make 15 minutes more of it have 45 minutes' work, and forecasts are of one lane, too.
    const segments = { done: 1, total: 9, awaitsSound: false, lanes: 3 }
    const inLanes = (part: number) =>
      workLeft({ state: 'running', forecast, progress: { ...progress, part, secondsLeft: 900, segments } })!.expected
    expect(inLanes(0.6)).toBeCloseTo(2700)
    expect(inLanes(0.1)).toBeCloseTo(hour.expected * 0.9)
    // What was seen beside others that slowed it to a half is half as much work.
    expect(
      workLeft({ state: 'running', forecast, progress: { ...progress, part: 0.6, secondsLeft: 3000 } }, 2)!.expected,
    ).toBeCloseTo(1500)
    expect(running(1, 0)).toEqual({ expected: 0, low: 0, high: 0 })
    expect(workLeft({ state: 'placing', forecast, progress: null })!.expected).toBe(0)
    expect(workLeft({ state: 'waiting', forecast: null, progress: null })).toBeNull()
  })
})
