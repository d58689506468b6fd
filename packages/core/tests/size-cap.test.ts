import { describe, expect, test } from 'vitest'
import {
  extentOf,
  forecastJob,
  leastOfCap,
  nextCapStep,
  pictureBytesUnder,
  pictureSpecs,
  plannedCapProblem,
  plannedRate,
  underCap,
  type CapAttempt,
  type PictureSpec,
} from '../src/index.ts'
import { extent, sample, window } from '../../../tests/support/samples.ts'

const capped = (bytes: number): PictureSpec => {
  const box = pictureSpecs.find(spec => spec.key === 'playback-box')!
  return { ...box, video: { ...box.video, level: null, rateControl: { kind: 'size cap', bytes } } }
}
const stereo = [{ channels: 2 }]

describe('what a cap leaves for the picture', () => {
  test('is the cap less a hundredth, the sound at its rate and what the container adds', () => {
    // 25 MB for a minute at 25 fps: 24.75 MB less 160 kbit/s of sound (1.2 MB), less 16 bytes for 1500 frames and 2813 packets of sound.
    const load = { seconds: 60, frames: 1500, soundBytes: 1_200_000, soundPackets: 2813 }
    expect(pictureBytesUnder(25_000_000, capped(25_000_000), load)).toBe(24_750_000 - 1_200_000 - 69_008)
    expect(plannedRate(capped(25_000_000), { frameCount: 1500, rate: { num: 25, den: 1 } }, stereo)).toEqual({
      kind: 'average rate',
      bitsPerSecond: Math.round(((24_750_000 - 1_200_000 - 69_008) * 8) / 60),
      peakBitsPerSecond: null,
      bufferBits: null,
    })
  })

  test('is nothing where the sound alone fills it, which is said with figures', () => {
    expect(plannedCapProblem(capped(1_000_000), { frameCount: 1500, rate: { num: 25, den: 1 } }, stereo)).toBe(
      "At most 1.0 MB leaves no room for the picture: the sound of 1 min 00 s takes 1.2 MB of it. Raise the cap, lower the sound's rate, or cut the item shorter.",
    )
    expect(plannedCapProblem(capped(2_000_000), { frameCount: 1500, rate: { num: 25, den: 1 } }, stereo)).toBeNull()
    expect(plannedCapProblem(capped(1_000_000), { frameCount: 1500, rate: { num: 25, den: 1 } }, [])).toBeNull()
    // How much FLAC takes is known only when it was made.
    const flac = { ...capped(1_000_000), audio: { ...capped(1).audio!, codec: 'flac', bitsPerSecondPerChannel: null } }
    expect(plannedCapProblem(flac, { frameCount: 1500, rate: { num: 25, den: 1 } }, stereo)).toBeNull()
  })
})

/** Made-up encoders: bytes of a whole file at a rate asked for. */
const seconds = 60
const other = 1_300_000
const encoders: [string, (rate: number, turn: number) => number][] = [
  ['one that keeps its rate', rate => other + (rate * seconds) / 8],
  ['one that spends 15 % more than it is told', rate => other + (1.15 * rate * seconds) / 8],
  ['one that spends a third less', rate => other + (0.67 * rate * seconds) / 8],
  ['one whose size hardly follows the rate', rate => other + 9_000_000 * (rate / 3e6) ** 0.6],
  ['one with a least size', rate => Math.max(other + 2_000_000, other + (rate * seconds) / 8)],
  [
    'one that is off by a little each time',
    (rate, turn) => other + ((1 + 0.012 * Math.sin(turn * 2)) * rate * seconds) / 8,
  ],
]

function settle(capBytes: number, encode: (rate: number, turn: number) => number) {
  const attempts: CapAttempt[] = []
  let bitsPerSecond = ((capBytes * 0.99 - other) * 8) / seconds
  for (;;) {
    attempts.push({ bitsPerSecond, bytes: Math.round(encode(bitsPerSecond, attempts.length)) })
    const step = nextCapStep(capBytes, other, attempts)
    if (step.kind !== 'try') return { step, attempts }
    bitsPerSecond = step.bitsPerSecond
  }
}

describe('attempts under a cap', () => {
  test('go on where two rates that are both too high come to the same', () => {
    const attempts = [
      { bitsPerSecond: 1_800_000, bytes: 2_096_000 },
      { bitsPerSecond: 1_080_000, bytes: 2_087_000 },
      { bitsPerSecond: 68_000, bytes: 1_384_000 },
    ]
    expect(nextCapStep(1_500_000, 20_000, attempts)).toMatchObject({ kind: 'try' })
    // One that fits and is hardly smaller than one at a much higher rate has all that its picture needs.
    expect(nextCapStep(1_500_000, 20_000, [...attempts, { bitsPerSecond: 90_000, bytes: 1_390_000 }])).toMatchObject({
      kind: 'keep',
    })
  })

  test.each(encoders)('of %s come to a file that fills it to 98 % and never passes it', (_name, encode) => {
    for (const cap of [5e6, 25e6, 100e6, 700e6]) {
      const { step, attempts } = settle(cap, encode)
      expect(step.kind).toBe('keep')
      const { bytes } = (step as { attempt: CapAttempt }).attempt
      expect(bytes).toBeLessThanOrEqual(cap)
      expect(bytes).toBeGreaterThanOrEqual(cap * leastOfCap)
      expect(attempts.length).toBeLessThanOrEqual(8)
    }
  })

  test('end where the picture needs no more bits, and keep the largest that was made', () => {
    const { step, attempts } = settle(25e6, rate => other + Math.min(6_000_000, (rate * seconds) / 8))
    expect(step).toMatchObject({ kind: 'keep', attempt: { bytes: other + 6_000_000 } })
    expect(attempts.length).toBeLessThanOrEqual(3)
  })

  test('end where an encoder that counts in whole kilobits has no rate in between', () => {
    // 6 % of the file for each kilobit a second: 4.71 MB at 484, 5.02 at 485.
    const { step, attempts } = settle(5e6, rate => other + 310_000 * (Math.round(rate / 1000) - 473))
    expect(step).toMatchObject({ kind: 'keep', attempt: { bytes: other + 11 * 310_000 } })
    expect(new Set(attempts.map(attempt => Math.round(attempt.bitsPerSecond / 1000))).size).toBe(attempts.length)
  })

  test('end in nothing where even the least is too large', () => {
    expect(settle(5e6, () => 9e6).step.kind).toBe('none')
  })
})

describe('a forecast under a cap', () => {
  const range = (expected: number) => ({ expected, low: expected * 0.8, high: expected * 1.2 })

  test('fills it where the stretches used their rate, and is what they used where they needed less', () => {
    expect(underCap(range(24e6), 25e6)).toEqual({ expected: 24.75e6, low: 24.5e6, high: 25e6 })
    expect(underCap(range(40e6), 25e6)).toEqual({ expected: 24.75e6, low: 24.5e6, high: 25e6 })
    // Passes go on until it is filled, or more bits add nothing: which of both is not known where stretches used part of their rate.
    expect(underCap(range(18e6), 25e6)).toEqual({ expected: 24.75e6, low: 18e6 * 0.8, high: 25e6 })
    expect(underCap(range(5e6), 25e6)).toEqual({ expected: 5e6, low: 4e6, high: 25e6 })
    expect(underCap(range(40e6), undefined)).toEqual(range(40e6))
  })

  test('counts the time of both passes', () => {
    const forecast = forecastJob(sample([window({ firstPassSeconds: 1.2 }), window({ firstPassSeconds: 1.2 })]), {
      ...extent,
      sizeIs: 'by format',
      capBytes: 6_000_000,
    })
    // (0.04 s to learn + 0.1 s to encode + 0.02 s to check) x 3000 + 0.01 x 120 + 0.5
    expect(forecast.seconds.expected).toBeCloseTo(481.7, 6)
    // A second pass that misses is made once more.
    expect(forecast.seconds.high).toBeCloseTo(481.7 * 1.25 + 300, 6)
    expect(forecast.bytes).toEqual({ expected: 5.94e6, low: 5.88e6, high: 6e6 })
  })

  test('knows the cap from the spec', () => {
    const result = { frameCount: 100, rate: { num: 25, den: 1 }, frame: { width: 640, height: 360 } }
    const treatment = { result, steps: [] } as never
    expect(extentOf({ spec: capped(3_000_000), treatment })).toMatchObject({ capBytes: 3_000_000, sizeIs: 'by format' })
    expect(extentOf({ spec: pictureSpecs[0]!, treatment })).not.toHaveProperty('capBytes')
  })
})
