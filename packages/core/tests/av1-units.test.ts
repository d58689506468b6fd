import { expect, test } from 'vitest'
import { av1Unit, av1Units, av1UnitType, readAv1Sequence } from '../src/index.ts'

const bytesOf = (hex: string) => Uint8Array.from(hex.match(/../g)!, pair => Number.parseInt(pair, 16))

test('units are parted by the lengths that they state; one without is all that is left', () => {
  // A delimiter of no bytes, a padding of two, one of 200 (its length takes two bytes), and a frame without a length.
  const long = Uint8Array.from([0x7a, 0xc8, 0x01, ...Array.from({ length: 200 }, () => 7)])
  const packet = Uint8Array.from([0x12, 0x00, 0x7a, 0x02, 1, 2, ...long, 0x30, 9, 9, 9])
  const units = av1Units(packet)
  expect(units.map(unit => [av1UnitType(unit), unit.length])).toEqual([
    [av1Unit.temporalDelimiter, 2],
    [15, 4],
    [15, 203],
    [6, 4],
  ])
  expect(av1Units(new Uint8Array())).toEqual([])
})

test('a unit that is cut short is told as far as it goes', () => {
  expect(av1Units(Uint8Array.from([0x32, 0x20, 1, 2])).map(unit => unit.length)).toEqual([4])
})

/** Heads written by other encoders than the one that results are made by, with what their users told them. */
test.each([
  [
    'of a still picture (reduced), 301x201 in 8 bits of 4:2:0, sRGB by the matrix of BT.601 in full range',
    '0a0a1821e5990d1010d06840',
    {
      ...{ profile: 0, level: 0, isHighTier: false, bitDepth: 8, isGrey: false, halvesAcross: true, halvesDown: true },
      ...{ chromaPosition: 0, primaries: 1, transfer: 13, matrix: 6, isFullRange: true },
    },
  ],
] as const)('the head of a sequence is read: %s', (_, hex, said) => {
  expect(readAv1Sequence(bytesOf(hex))).toEqual(said)
})

/** Writes bits, the highest of a byte first. */
function bits(...fields: [value: number, count: number][]): number[] {
  const all = fields.map(([value, count]) => value.toString(2).padStart(count, '0')).join('')
  return all
    .padEnd(Math.ceil(all.length / 8) * 8, '0')
    .match(/.{8}/g)!
    .map(byte => Number.parseInt(byte, 2))
}

test('the head of a film is read, with its timing, its buffers and all its tools (AV1 bitstream specification, 5.5)', () => {
  const flag = (value: boolean): [number, number] => [Number(value), 1]
  const payload = bits(
    ...([
      [2, 3], // profile
      flag(false), // still picture
      flag(false), // reduced
      flag(true), // timing: 1001 ticks of 1/30,000 s, pictures alike far apart, by 1 (uvlc 010)
      [1001, 32],
      [30_000, 32],
      flag(true),
      [2, 3],
      flag(true), // model of the decoder: delays of 10 bits
      [9, 5],
      [1001, 32],
      [9, 5],
      [9, 5],
      flag(true), // delay of the display
      [1, 5], // two operating points
      [0, 12],
      [9, 5],
      flag(true), // high tier
      flag(true),
      [700, 10],
      [20, 10],
      flag(false),
      flag(true),
      [3, 4],
      [1, 12],
      [5, 5], // of a low level: no tier
      flag(false),
      flag(false),
      [10, 4], // sizes of 11 bits
      [9, 4],
      [1919, 11],
      [799, 10],
      flag(true), // numbers of frames
      [3, 4],
      [2, 3],
      [7, 3], // large blocks, filters and edges within a picture
      [15, 4],
      flag(true), // order of frames
      [3, 2],
      flag(false), // tools for what screens show are off, so that nothing is said of vectors
      flag(false),
      [6, 3],
      [5, 3],
      flag(true), // 12 bits
      flag(true),
      flag(false), // colour
      flag(true),
      [9, 8],
      [16, 8],
      [9, 8],
      flag(false), // limited range
      flag(true), // 4:2:2
      flag(false),
      flag(false),
    ] as [number, number][]),
  )
  expect(readAv1Sequence(Uint8Array.from([0x0a, payload.length, ...payload]))).toEqual({
    ...{ profile: 2, level: 9, isHighTier: true, bitDepth: 12, isGrey: false, halvesAcross: true, halvesDown: false },
    ...{ chromaPosition: 0, primaries: 9, transfer: 16, matrix: 9, isFullRange: false },
  })
})
