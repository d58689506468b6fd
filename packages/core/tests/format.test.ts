import { describe, expect, test } from 'vitest'
import {
  describeBitRate,
  describeBytes,
  describeBytesRange,
  describeClock,
  describeDuration,
  describeDurationRange,
} from '../src/index.ts'

describe('numbers with their units', () => {
  test.each([
    [0, '0 bytes'],
    [999, '999 bytes'],
    [1000, '1.0 kB'],
    [28_900_000_000, '28.9 GB'],
    [123_456_789, '123 MB'],
    [999_600, '1.0 MB'],
    [1.4e12, '1.4 TB'],
    [2e15, '2000 TB'],
  ])('%d bytes', (bytes, words) => {
    expect(describeBytes(bytes)).toBe(words)
  })

  test.each([
    [0.04, '0.0 s'],
    [8.24, '8.2 s'],
    [9.96, '10 s'],
    [59.6, '1 min 00 s'],
    [250, '4 min 10 s'],
    [3599.7, '1 h 00 min'],
    [20_400, '5 h 40 min'],
    [359_999, '100 h 00 min'],
    [360_000, '100 h'],
    [2_547_960, '708 h'],
  ])('%d seconds of work', (seconds, words) => {
    expect(describeDuration(seconds)).toBe(words)
  })

  test.each([
    [7, '0:07.0'],
    [20.5, '0:20.5'],
    [120, '2:00'],
    [8048, '2:14:08'],
    [59.94, '0:59.9'],
    [59.97, '1:00'],
  ])('%d seconds of material', (seconds, words) => {
    expect(describeClock(seconds)).toBe(words)
  })

  test("ranges of sizes keep the expected value's unit", () => {
    expect(describeBytesRange({ expected: 41e9, low: 38e9, high: 45.2e9 })).toBe('41 GB (38-45)')
    expect(describeBytesRange({ expected: 7.62e6, low: 3.9e6, high: 11.36e6 })).toBe('7.6 MB (3.9-11.4)')
    expect(describeBytesRange({ expected: 1.0e9, low: 0.9e9, high: 1.2e9 })).toBe('1.0 GB (0.9-1.2)')
  })

  test.each([
    [6.41, 9.02, '6.4-9.0 s'],
    [18.7, 23.5, '18-24 s'],
    [241, 780, '4-13 min'],
    [1159, 2168, '19-37 min'],
    [70, 100, '70-100 s'],
    [176, 275, '2-5 min'],
    [3000, 4200, '50-70 min'],
    [20_400, 23_400, '5 h 40 - 6 h 30 min'],
    [5, 5.01, '5.0 s'],
    [763_201, 3_239_999, '212-900 h'],
    [72_000, 763_200, '20 h 00 - 212 h'],
    [0, 3_240_000, 'up to 900 h'],
    [42, 492, '42 s - 9 min'],
    [0, 2165, 'up to 37 min'],
    [0.4, 29.3, 'up to 30 s'],
    [42, 9000, 'up to 2 h 30 min'],
    [0, 5, '0.0-5.0 s'],
  ])('a range from %d to %d s of work', (low, high, words) => {
    expect(describeDurationRange({ expected: (low + high) / 2, low, high })).toBe(words)
  })

  test('bit rates', () => {
    expect([192_000, 4_200_000].map(describeBitRate)).toEqual(['192 kbit/s', '4.2 Mbit/s'])
  })
})
