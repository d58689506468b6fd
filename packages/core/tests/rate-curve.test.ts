import { describe, expect, test } from 'vitest'
import {
  containerFacts,
  curveAt,
  curvePoints,
  curveValues,
  kneeOf,
  pictureCodec,
  valueUnder,
  type CurvePoint,
  type JobExtent,
  type SampleWindow,
  type StretchQuality,
} from '../src/index.ts'
import { sample as sampleOf, window } from '../../../tests/support/samples.ts'

const scale = { best: 10, worst: 40, usual: 20, step: 0.5 }
const point = (value: number, bytes: number, xpsnr: number | null): CurvePoint => ({
  value,
  bytes: { expected: bytes, low: bytes * 0.8, high: bytes * 1.2 },
  xpsnr,
  worstXpsnr: xpsnr === null ? null : xpsnr - 2,
  ssim: 0.9,
})

describe('the values that a curve is measured at', () => {
  test('go from a fifth of the scale under the usual one to two fifths above it', () => {
    // 20 - 0.2 x 30 = 14, 20 + 0.4 x 30 = 32, in five equal steps of 3.6, each on the scale's grid of 0.5.
    expect(curveValues(scale, null)).toEqual([14, 17.5, 21, 25, 28.5, 32])
  })

  test("hold the spec's own, which takes its neighbour's place or is one more beyond the ends", () => {
    expect(curveValues(scale, 20)).toEqual([14, 17.5, 20, 25, 28.5, 32])
    expect(curveValues(scale, 25)).toEqual([14, 17.5, 21, 25, 28.5, 32])
    expect(curveValues(scale, 38)).toEqual([14, 17.5, 21, 25, 28.5, 32, 38])
  })

  test.each(['h264', 'hevc', 'av1', 'vp9', 'mpeg2video', 'mpeg4', 'mjpeg', 'webp'])('are on the scale of %s', codec => {
    const { quality } = pictureCodec(codec)
    const values = curveValues(quality!, quality!.usual)
    expect(values.length).toBeGreaterThanOrEqual(5)
    expect(values).toContain(quality!.usual)
    expect(values.every(value => value >= quality!.best && value <= quality!.worst)).toBe(true)
    expect(values).toEqual([...new Set(values)].sort((a, b) => a - b))
  })
})

describe('points of a curve', () => {
  /** Ten frames: a keyframe and nine others. */
  const stretch = (key: number, inter: number, quality: StretchQuality = { xpsnr: 40, ssim: 0.9 }): SampleWindow =>
    window({ frames: 10, firstKeyframeBytes: key, interFrames: 9, interBytes: inter * 9, quality })
  const sample = sampleOf([stretch(700, 70)], { soundBytesPerSecond: 500, soundPacketsPerSecond: 0 })
  const extent: JobExtent = {
    frames: 100,
    pixels: 1,
    durationSeconds: 4,
    keyframeDistance: 50,
    container: 'mkv',
    sizeIs: 'by format',
    capBytes: 1000,
  }
  /** Two keyframes, 98 others, 4 s of sound, and what the container adds. */
  const weight = (key: number, inter: number) =>
    2 * key + 98 * inter + 4 * 500 + 100 * containerFacts('mkv').bytesPerPacket

  test('weigh what keyframes, other frames, sound and container do, whatever cap the spec has', () => {
    const curve = {
      tookSeconds: 1,
      points: [
        {
          value: 30,
          windows: [stretch(100, 10, { xpsnr: 30, ssim: 0.8 }), stretch(100, 10, { xpsnr: 30, ssim: 0.9 })],
        },
        {
          value: 20,
          windows: [stretch(1000, 100, { xpsnr: 40, ssim: 0.95 }), stretch(3000, 300, { xpsnr: null, ssim: 1 })],
        },
      ],
    }
    const [fine, coarse] = curvePoints(curve, sample, extent, null)
    expect([fine!.value, fine!.bytes.expected]).toEqual([20, weight(2000, 200)])
    // Half of the frames are without error, so the mean error is half of that at 40 dB: 3.01 dB better.
    expect(fine!.xpsnr).toBeCloseTo(43.01, 2)
    expect(fine!.worstXpsnr).toBe(40)
    expect(fine!.ssim).toBeCloseTo(0.975)
    expect([coarse!.value, coarse!.bytes.expected, coarse!.xpsnr]).toEqual([30, weight(100, 10), 30])
  })

  test('are the stretches of the forecast where its spec holds a quality, in place of what is measured there', () => {
    const curve = { tookSeconds: 1, points: [20, 30].map(value => ({ value, windows: [stretch(value, value)] })) }
    const bytes = (own: number | null) =>
      curvePoints(curve, sample, extent, own).map(point => [point.value, point.bytes.expected])
    expect(bytes(null)).toEqual([
      [20, weight(20, 20)],
      [30, weight(30, 30)],
    ])
    expect(bytes(30)).toEqual([
      [20, weight(20, 20)],
      [30, weight(700, 70)],
    ])
    expect(bytes(25)).toEqual([
      [20, weight(20, 20)],
      [25, weight(700, 70)],
      [30, weight(30, 30)],
    ])
  })
})

test('between two points, bytes run by factors and decibels by differences; beyond the ends nothing is made up', () => {
  const points = [point(20, 400, 40), point(30, 100, 30)]
  expect(curveAt(points, 25)).toMatchObject({
    bytes: { expected: 200, low: 160, high: 240 },
    xpsnr: 35,
    worstXpsnr: 33,
  })
  expect(curveAt(points, 5)).toBe(points[0])
  expect(curveAt(points, 35)).toBe(points[1])
  expect(curveAt(points, 20)).toBe(points[0])
  expect(curveAt(points, 30)).toBe(points[1])
  // What is identical on one side has no decibels until the other side is reached.
  expect(curveAt([point(20, 400, null), point(30, 100, 30)], 25).xpsnr).toBe(null)
})

test('the best value under a size is the finest on the scale whose expected size keeps it', () => {
  const points = [point(20, 400, 40), point(30, 100, 30)]
  expect(valueUnder(points, scale, 1000)).toBe(20)
  // 400 x (1/4)^((v - 20) / 10) is 210 at v = 24.65: the next half step is 25.
  expect(valueUnder(points, scale, 210)).toBe(25)
  expect(valueUnder(points, scale, 100)).toBe(30)
  expect(valueUnder(points, scale, 99)).toBe(null)
})

describe('the knee', () => {
  test('is the point farthest above the line between the ends', () => {
    // Above the line from (100, 30) to (1600, 43), in parts of both: 200 has 0.39, 400 has 0.57, 800 has 0.46.
    const points = [point(10, 1600, 43), point(15, 800, 42), point(20, 400, 40), point(25, 200, 36), point(30, 100, 30)]
    expect(kneeOf(points)?.value).toBe(20)
  })

  test('is not there where bytes bring the same all along, or too little is known', () => {
    expect(kneeOf([point(10, 300, 40), point(20, 200, 35), point(30, 100, 30)])).toBe(null)
    expect(kneeOf([point(10, 300, 40), point(20, 100, 30)])).toBe(null)
    expect(kneeOf([point(10, 300, null), point(20, 200, null), point(30, 100, 30)])).toBe(null)
    expect(kneeOf([])).toBe(null)
  })
})
