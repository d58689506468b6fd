import { describe, expect, test } from 'vitest'
import { describeRate, framesIn, frameTime, rational, snapRate, timecode } from '../src/index.ts'

const ntsc = rational(30000, 1001)

describe('rates', () => {
  test("snap to the trade's, and 24 stays apart from 23.976", () => {
    expect(snapRate(rational(2997, 100))).toEqual(ntsc)
    expect(snapRate(rational(23976, 1000))).toEqual({ num: 24000, den: 1001 })
    expect(snapRate(rational(24))).toEqual({ num: 24, den: 1 })
    expect(snapRate(rational(17))).toEqual({ num: 17, den: 1 })
  })

  test('are written as the trade writes them', () => {
    expect(
      [rational(25), ntsc, rational(24000, 1001), rational(25, 2), rational(60000, 1001)].map(describeRate),
    ).toEqual(['25', '29.97', '23.976', '12.5', '59.94'])
  })

  test('count frames in a length and give a frame its time', () => {
    expect(framesIn(14, rational(25))).toBe(350)
    // An hour at 30000/1001 has 107892 frames (SMPTE ST 12-1).
    expect(framesIn(3600, ntsc)).toBe(107_892)
    expect(frameTime(30, ntsc)).toBeCloseTo(1.001, 12)
  })
})

describe('timecode', () => {
  test('counts at the rounded rate', () => {
    expect(timecode(0, rational(25))).toBe('00:00:00:00')
    expect(timecode(90_000, rational(25))).toBe('01:00:00:00')
    expect(timecode(1799, ntsc)).toBe('00:00:59:29')
  })

  // SMPTE ST 12-1: numbers 00 and 01 are dropped at each minute except every tenth.
  test.each([
    [1799, '00:00:59;29'],
    [1800, '00:01:00;02'],
    [3597, '00:01:59;29'],
    [3598, '00:02:00;02'],
    [17_981, '00:09:59;29'],
    [17_982, '00:10:00;00'],
    [107_892, '01:00:00;00'],
  ])('in drop-frame, frame %i is %s', (frame, expected) => {
    expect(timecode(frame, ntsc, true)).toBe(expected)
  })

  test('drops four numbers at 59.94', () => {
    expect(timecode(3600, rational(60000, 1001), true)).toBe('00:01:00;04')
  })

  test('refuses drop-frame where there is none, and times before the start', () => {
    expect(() => timecode(0, rational(25), true)).toThrow('does not exist at 25')
    expect(() => timecode(-1, rational(25))).toThrow('no timecode')
  })
})
