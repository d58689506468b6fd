import { describe, expect, test } from 'vitest'
import { contentOf, parametersOf, soundAlone } from '../src/proof/packet-content.ts'

const bytes = (...values: number[]) => Buffer.from(values)

describe('an AV1 packet (AV1 bitstream specification, 5.3)', () => {
  // Type in bits 3 to 6 of the first byte, 2 says that a length follows: temporal delimiter 2, head of the sequence 1, frame 6.
  const delimiter = bytes(0x12, 0)
  const head = bytes(0x0a, 3, 7, 8, 9)
  const frame = bytes(0x32, 2, 1, 2)

  test('is what it holds but for the delimiter that files leave out', () => {
    expect(contentOf('av1', null)(Buffer.concat([delimiter, head, frame]))).toEqual([head, frame])
    expect(contentOf('av1', null)(Buffer.concat([head, frame]))).toEqual([head, frame])
  })

  test('may have units longer than one byte tells, or with no length at the end', () => {
    const long = Buffer.concat([bytes(0x32, 0x80 | 72, 1), Buffer.alloc(200, 5)])
    const last = bytes(0x30, 9, 9, 9)
    expect(contentOf('av1', null)(Buffer.concat([delimiter, long, last]))).toEqual([long, last])
  })

  test('that is cut short ends with what there is', () => {
    expect(contentOf('av1', null)(bytes(0x32, 9, 1))).toEqual([bytes(0x32, 9, 1)])
  })
})

describe('a packet of H.264 or HEVC', () => {
  const code = bytes(0, 0, 0, 1)
  const lengths = (...units: Buffer[]) => Buffer.concat(units.flatMap(unit => [bytes(0, 0, 0, unit.length), unit]))
  const codes = (...units: Buffer[]) => Buffer.concat(units.flatMap(unit => [code, unit]))

  test('is all its units but those between pictures, by start codes and by lengths', () => {
    const [delimiter, filler, sps, sei, idr] = [
      bytes(9, 16),
      bytes(12, 255),
      bytes(0x67, 5),
      bytes(6, 1),
      bytes(0x65, 7),
    ]
    const head = bytes(1, 100, 0, 31, 0xff, 0xe1)
    expect(contentOf('h264', null)(codes(delimiter, sps, sei, idr, filler))).toEqual([sps, sei, idr])
    expect(contentOf('h264', head)(lengths(sps, sei, idr))).toEqual([sps, sei, idr])
    const [aud, vps, slice] = [bytes(0x46, 1, 80), bytes(0x40, 1, 12), bytes(0x26, 1, 9)]
    expect(contentOf('hevc', null)(codes(aud, vps, slice))).toEqual([vps, slice])
  })

  test('in which no unit is found is compared as it is, and not as nothing', () => {
    expect(contentOf('h264', null)(bytes(1, 2, 3))).toEqual([bytes(1, 2, 3)])
  })
})

describe('what a decoder is told first', () => {
  const code = bytes(0, 0, 0, 1)
  const two = (length: number) => bytes(length >> 8, length & 255)

  test('is the same by start codes and in the box of ISO/IEC 14496-15 5.3.3.1 (H.264)', () => {
    const [sps, pps] = [bytes(0x67, 100, 0, 31, 5), bytes(0x68, 1, 2)]
    const sei = bytes(0x06, 5, 1)
    const box = Buffer.concat([bytes(1, 100, 0, 31, 0xff, 0xe1), two(5), sps, bytes(1), two(3), pps])
    expect(parametersOf('h264', Buffer.concat([code, sps, code, pps, code, sei]))).toEqual([sps, pps])
    expect(parametersOf('h264', box)).toEqual([sps, pps])
  })

  test('is the same by start codes and in the box of ISO/IEC 14496-15 8.3.3.1 (HEVC)', () => {
    const [vps, sps, pps] = [bytes(0x40, 1, 12), bytes(0x42, 1, 13, 14), bytes(0x44, 1, 15)]
    const array = (type: number, unit: Buffer) => Buffer.concat([bytes(0x80 | type, 0, 1), two(unit.length), unit])
    const box = Buffer.concat([bytes(1), Buffer.alloc(21, 1), bytes(3), array(32, vps), array(33, sps), array(34, pps)])
    expect(parametersOf('hevc', Buffer.concat([code, vps, code, sps, code, pps]))).toEqual([vps, sps, pps])
    expect(parametersOf('hevc', box)).toEqual([vps, sps, pps])
  })

  test('is the head of the sequence of AV1, with or without its box', () => {
    const head = bytes(0x0a, 2, 7, 8)
    expect(parametersOf('av1', head)).toEqual([head])
    expect(parametersOf('av1', Buffer.concat([bytes(0x81, 4, 12, 0), head]))).toEqual([head])
  })

  test('is all there is for other codecs, and nothing of nothing', () => {
    expect(parametersOf('ffv1', bytes(3, 4))).toEqual([bytes(3, 4)])
    expect(parametersOf('h264', bytes())).toEqual([])
  })

  test('of a box that is cut short is what is left of it', () => {
    expect(parametersOf('h264', bytes(1, 100, 0, 31, 0xff, 0xe1, 0, 9, 0x67, 1))).toEqual([bytes(0x67, 1)])
    expect(parametersOf('hevc', bytes(1, 2, 3))).toEqual([])
  })
})

test('sound is taken without the head of ADTS (ISO/IEC 13818-7, 6.2)', () => {
  const sound = bytes(0x21, 1, 2, 3, 4, 5, 6, 7)
  const head = bytes(0xff, 0xf1, 0x50, 0x80, 1, 0xff, 0xfc)
  expect(soundAlone(null)(Buffer.concat([head, sound]))).toEqual([sound])
  expect(soundAlone(null)(sound)).toEqual([sound])
})
