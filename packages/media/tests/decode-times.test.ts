import { describe, expect, test } from 'vitest'
import { decodeTime } from '../src/encoding/decode-times.ts'

describe('when a packet is decoded', () => {
  test('is as the encoder says, reordered frames too', () => {
    const packets: [pts: bigint, dts: bigint][] = [
      [0n, -2n],
      [4n, -1n],
      [2n, 0n],
      [1n, 1n],
      [3n, 3n],
    ]
    for (const [pts, dts] of packets) expect(decodeTime(pts, dts, dts - 1n)).toBe(dts)
  })

  test('is when it is shown, where the encoder left it to chance', () => {
    // What two frames of HEVC were given in a process whose memory was not empty.
    expect(decodeTime(0n, 2893606913523066960n, null)).toBe(0n)
    expect(decodeTime(1n, 2893606913523066961n, 0n)).toBe(1n)
    expect(decodeTime(1n, -2893606913523066960n, 0n)).toBe(1n)
  })

  test('that is not stated stays so: the writer works it out', () => {
    const unknown = -9223372036854775808n
    expect(decodeTime(40n, unknown, null)).toBe(unknown)
  })
})
