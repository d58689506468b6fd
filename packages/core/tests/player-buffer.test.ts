import { describe, expect, test } from 'vitest'
import { FlowMeter, pictureSpecs, streamLimits, type PictureSpec } from '../src/index.ts'

type Picture = [seconds: number, bits: number]

function flowOf(pictures: readonly Picture[], bitsPerSecond: number, bufferBits = Number.POSITIVE_INFINITY) {
  const meter = new FlowMeter({ bitsPerSecond, bufferBits })
  for (const [seconds, bits] of pictures) meter.add(seconds, bits)
  return meter.found
}

/** A player in other terms: a tank that is full at first, fills while there is room, and is emptied picture by picture. */
function runsDry(pictures: readonly Picture[], bitsPerSecond: number, bufferBits: number): boolean {
  let [held, before] = [bufferBits, pictures[0]![0]]
  for (const [seconds, bits] of pictures) {
    held = Math.min(bufferBits, held + (seconds - before) * bitsPerSecond)
    before = seconds
    if (held < bits) return true
    held -= bits
  }
  return false
}

describe('what a player needs to keep ahead', () => {
  test('is a picture, where each comes at the rate at which it is read', () => {
    expect(
      flowOf(
        [
          [0, 1000],
          [1, 1000],
          [2, 1000],
        ],
        1000,
      ),
    ).toEqual({
      bufferBits: 1000,
      dryAtSeconds: null,
      busiestSecondBits: 1000,
    })
  })

  test('is what large pictures take beyond what comes in the meantime', () => {
    // 40 kbit, then 30 more while 4 come, then 30 while 4 come: 40 - 4 + 30 - 4 + 30.
    const pictures: Picture[] = [
      [0, 40_000],
      [0.04, 30_000],
      [0.08, 30_000],
      [0.12, 0],
      [2, 10_000],
    ]
    expect(flowOf(pictures, 100_000)).toEqual({ bufferBits: 92_000, dryAtSeconds: null, busiestSecondBits: 100_000 })
  })

  test('that has less runs dry at the first picture that is not there in time', () => {
    const pictures: Picture[] = [
      [5, 40_000],
      [5.04, 30_000],
      [5.08, 30_000],
    ]
    expect(flowOf(pictures, 100_000, 66_000).dryAtSeconds).toBeCloseTo(0.08, 9)
    expect(flowOf(pictures, 100_000, 65_999).dryAtSeconds).toBeCloseTo(0.04, 9)
    expect(flowOf(pictures, 100_000, 92_000).dryAtSeconds).toBeNull()
  })

  test('is counted from the first picture, whenever that is, and not shaken by times that go back', () => {
    expect(
      flowOf(
        [
          [10, 500],
          [10.5, 2000],
          [10.4, 100],
        ],
        1000,
      ),
    ).toEqual({
      bufferBits: 2100,
      dryAtSeconds: null,
      busiestSecondBits: 2600,
    })
  })

  test('is the smallest tank that never runs dry', () => {
    let seed = 5
    const random = () => (seed = (seed * 16_807) % 2_147_483_647) / 2_147_483_647
    for (let round = 0; round < 200; round++) {
      const rate = 1000 + Math.floor(random() * 9000)
      const pictures = Array.from({ length: 60 }, (_, index): Picture => [index / 25, Math.floor(random() ** 6 * 8000)])
      const { bufferBits } = flowOf(pictures, rate)
      expect(runsDry(pictures, rate, bufferBits + 1e-6)).toBe(false)
      expect(runsDry(pictures, rate, bufferBits - 1)).toBe(true)
    }
  })
})

describe('limits of a spec', () => {
  const specOf = (key: string) => pictureSpecs.find(spec => spec.key === key)!
  const at = (spec: PictureSpec, changes: Partial<PictureSpec['video']>) =>
    streamLimits({ video: { ...spec.video, ...changes } })

  test('are its own', () => {
    expect(streamLimits(specOf('television-625'))).toEqual({ bitsPerSecond: 8_000_000, bufferBits: 1_835_008 })
  })

  test("are else its level's, by the standards' tables", () => {
    // ITU-T H.264 table A-1, level 4.1.
    expect(streamLimits(specOf('playback-box'))).toEqual({ bitsPerSecond: 50_000_000, bufferBits: 62_500_000 })
    // ITU-T H.265 table A.8, Main tier, level 4.
    expect(at(specOf('small-mp4'), { level: '4' })).toEqual({ bitsPerSecond: 12_000_000, bufferBits: 12_000_000 })
    // ITU-T H.262 tables 8-13 and 8-14.
    const held = { kind: 'constant quality' as const, value: 3 }
    expect(at(specOf('television-625'), { rateControl: held })).toEqual({
      bitsPerSecond: 15_000_000,
      bufferBits: 1_835_008,
    })
  })

  test('are none where it names none', () => {
    expect(streamLimits(specOf('small-mp4'))).toBeNull()
    // The 4:2:2 profile of MPEG-2 has other rates (table 8-13 is of the main profile).
    const editing = { profile: '4:2:2', rateControl: { kind: 'constant quality' as const, value: 3 } }
    expect(at(specOf('television-625'), editing)).toBeNull()
    expect(streamLimits(specOf('archive-master'))).toBeNull()
  })
})
