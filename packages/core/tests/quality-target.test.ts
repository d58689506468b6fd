import { describe, expect, test } from 'vitest'
import { forecastJob, nextQualityStep, togetherXpsnr, type QualityAttempt } from '../src/index.ts'
import { extent, sample, window } from '../../../tests/support/samples.ts'

/** Scales as codecs have them, and made-up encoders: XPSNR at a value. */
const fine = { best: 10, worst: 40, usual: 20, step: 0.5 }
const whole = { best: 10, worst: 63, usual: 32, step: 1 }
const encoders: [string, typeof fine, (value: number) => number][] = [
  ['half a dB a step', fine, value => 52 - 0.5 * value],
  ['a dB a step', fine, value => 62 - value],
  ['a quarter of a dB a step', whole, value => 50 - 0.25 * value],
  ['less and less a step', fine, value => 30 + 22 * Math.exp(-value / 20)],
  ['identical frames at its best values', whole, value => (value < 20 ? Number.POSITIVE_INFINITY : 55 - 0.4 * value)],
]

function settle(target: number, scale: typeof fine, measure: (value: number) => number, tolerance?: number) {
  const attempts: QualityAttempt[] = []
  let value = scale.usual
  for (;;) {
    attempts.push({ value, xpsnr: measure(value) })
    const step = nextQualityStep(target, scale, attempts, tolerance)
    if (step.kind === 'keep') return { kept: step.attempt, attempts }
    value = step.value
  }
}

describe('a measured quality', () => {
  test.each(encoders)('is met within half a dB by an encoder of %s', (_name, scale, measure) => {
    for (const target of [38, 40, 42]) {
      const { kept, attempts } = settle(target, scale, measure)
      expect(Math.abs(kept.xpsnr - target)).toBeLessThanOrEqual(0.5)
      expect(attempts.length).toBeLessThanOrEqual(7)
      // Values are those of the scale, and none is tried twice.
      for (const { value } of attempts) {
        expect(value / scale.step).toBe(Math.round(value / scale.step))
        expect(value).toBeGreaterThanOrEqual(scale.best)
        expect(value).toBeLessThanOrEqual(scale.worst)
      }
      expect(new Set(attempts.map(attempt => attempt.value)).size).toBe(attempts.length)
    }
  })

  test('out of reach is the best there is; one that the coarsest value passes is the coarsest', () => {
    expect(settle(58, fine, value => 52 - 0.5 * value).kept.value).toBe(10)
    expect(settle(30, fine, value => 60 - 0.5 * value).kept.value).toBe(40)
  })

  test('between two neighbours of a coarse scale is the one that is good enough', () => {
    const { kept } = settle(40, whole, value => 40.9 - 2 * (value - 32))
    expect(kept).toEqual({ value: 32, xpsnr: 40.9 })
  })

  test('of stretches together is of their errors: one at 30 dB and one at 50 are 33 dB, and not 40', () => {
    expect(
      togetherXpsnr([
        { frames: 10, xpsnr: 30 },
        { frames: 10, xpsnr: 50 },
      ]),
    ).toBeCloseTo(32.967, 3)
    expect(togetherXpsnr([{ frames: 3, xpsnr: Number.POSITIVE_INFINITY }])).toBe(Number.POSITIVE_INFINITY)
    // Three frames without error beside one at 30 dB leave a quarter of it.
    expect(
      togetherXpsnr([
        { frames: 3, xpsnr: Number.POSITIVE_INFINITY },
        { frames: 1, xpsnr: 30 },
      ]),
    ).toBeCloseTo(36.021, 3)
  })

  test('is forecast with the search, and may take one more encode and check', () => {
    const { seconds } = forecastJob(sample([window(), window()], { searchSeconds: 7 }), extent)
    const once = 0.12 * 3000 + 0.01 * 120 + 0.5
    expect(seconds.expected).toBeCloseTo(7 + once, 6)
    expect(seconds.high).toBeCloseTo((7 + once) * 1.25 + 0.12 * 3000, 6)
  })
})
