import { describe, expect, test } from 'vitest'
import {
  arrivalOf,
  completeAt,
  describeFrameNumbers,
  describeSequence,
  findSequences,
  frameFileName,
  framesPresent,
  framesSpanned,
  missingFrames,
  isTiffOfJpeg,
  pictureSize,
  presentNumbers,
  sequenceRemarks,
  standInNumber,
} from '../src/index.ts'

const numbered = (prefix: string, from: number, to: number, digits: number, ending = '.png') =>
  Array.from({ length: to - from + 1 }, (_, index) => `${prefix}${String(from + index).padStart(digits, '0')}${ending}`)

describe('numbered pictures in a folder', () => {
  test('are one sequence, with its padding and its first and last number', () => {
    const { sequences, rest } = findSequences([...numbered('approach-', 1, 48, 4), 'notes.txt'])
    expect(sequences).toEqual([{ prefix: 'approach-', suffix: '.png', padding: 4, first: 1, last: 48, missing: [] }])
    expect(rest).toEqual(['notes.txt'])
    expect(describeSequence(sequences[0]!)).toBe('approach-[0001-0048].png')
    expect(frameFileName(sequences[0]!, 7)).toBe('approach-0007.png')
  })

  test('gaps are ranges, and do not count as present', () => {
    const names = [...numbered('f', 1, 3, 3), ...numbered('f', 7, 8, 3), 'f010.png']
    const [sequence] = findSequences(names).sequences
    expect(sequence!.missing).toEqual([
      { from: 4, to: 6 },
      { from: 9, to: 9 },
    ])
    expect(framesPresent(sequence!)).toBe(6)
  })

  test('several sequences stay apart by what stands before and after the number', () => {
    const { sequences } = findSequences([
      ...numbered('b', 0, 4, 4),
      ...numbered('a', 100, 104, 4, '.exr'),
      ...numbered('a', 1, 2, 4, '.dpx'),
    ])
    expect(sequences.map(describeSequence)).toEqual(['a[0100-0104].exr', 'a[0001-0002].dpx', 'b[0000-0004].png'])
  })

  test('unpadded numbers count past the tens', () => {
    const [sequence] = findSequences(numbered('x', 8, 12, 1)).sequences
    expect(sequence).toMatchObject({ padding: 0, first: 8, last: 12, missing: [] })
    expect(frameFileName(sequence!, 12)).toBe('x12.png')
  })

  test('one numbered picture is a still and not a sequence; numbered films are files', () => {
    expect(findSequences(['plate-0001.tif', 'tape-0001.avi', 'tape-0002.avi'])).toEqual({
      sequences: [],
      rest: ['tape-0001.avi', 'tape-0002.avi', 'plate-0001.tif'],
    })
  })

  test('names with line breaks and signs are no trouble', () => {
    const { sequences } = findSequences(numbered('odd\n%d "name" ', 1, 3, 2))
    expect(frameFileName(sequences[0]!, 2)).toBe('odd\n%d "name" 02.png')
  })
})

test('frame numbers are written as ranges', () => {
  expect(describeFrameNumbers([3, 7, 8, 9, 12])).toBe('3, 7-9, 12')
  expect(describeFrameNumbers([])).toBe('')
})

describe('the sizes of frame files', () => {
  const frames = (sizes: number[]) => sizes.map((bytes, index) => ({ number: index + 1, bytes }))

  test('show which are empty and which may be half written', () => {
    expect(sequenceRemarks(frames([...Array.from({ length: 60 }, () => 1000), 0, 0, 150]))).toEqual([
      '2 frames are empty files: 61-62. They are probably still to be rendered.',
      'One frame file is less than a fifth of the usual size: 63. They may be half written.',
    ])
  })

  test('say nothing where pictures simply differ', () => {
    expect(sequenceRemarks(frames(Array.from({ length: 60 }, (_, index) => (index % 2 ? 1000 : 100))))).toEqual([])
    expect(sequenceRemarks(frames([900, 1000, 1100]))).toEqual([])
  })
})

describe('numbers that run in steps', () => {
  const names = (...numbers: number[]) => numbers.map(number => `r.${String(number).padStart(4, '0')}.exr`)

  test('are one sequence of that step, and its gaps are gaps', () => {
    const [sequence] = findSequences(names(10, 20, 30, 60, 70)).sequences
    expect(sequence).toEqual({
      prefix: 'r.',
      suffix: '.exr',
      padding: 4,
      first: 10,
      last: 70,
      step: 10,
      missing: [{ from: 40, to: 50 }],
    })
    expect([framesSpanned(sequence!), framesPresent(sequence!), describeSequence(sequence!)]).toEqual([
      7,
      5,
      'r.[0010-0070 by 10].exr',
    ])
    expect([...presentNumbers(sequence!)]).toEqual([10, 20, 30, 60, 70])
    expect(missingFrames(sequence!)).toEqual([{ from: 3, to: 4 }])
    expect([0, 2, 3, 4, 5].map(index => standInNumber(sequence!, index))).toEqual([10, 30, 30, 30, 60])
  })

  test('dates and other numbers far apart are pictures of their own', () => {
    const dated = ['log-20230101.png', 'log-20240615.png', 'log-20251231.png']
    expect(findSequences(dated)).toEqual({ sequences: [], rest: dated })
    // One frame in ten is enough: a render that has just begun, from both ends.
    expect(findSequences(names(1, 2, 3, 30)).sequences).toMatchObject([
      { first: 1, last: 30, missing: [{ from: 4, to: 29 }] },
    ])
  })

  test('two numbers far apart have a gap, not a step', () => {
    expect(findSequences(names(1, 5)).sequences[0]).toMatchObject({ first: 1, last: 5, missing: [{ from: 2, to: 4 }] })
  })
})

describe('a sequence that is still being rendered', () => {
  const start = Date.UTC(2026, 10, 25, 12, 0, 0)
  const every = (seconds: number, count: number) =>
    Array.from({ length: count }, (_, index) => start + index * seconds * 1000)

  test('has a pace, from which follows when it is complete', () => {
    const arriving = arrivalOf(every(90, 11), start + 1000 * 1000)
    expect(arriving).toEqual({ secondsPerFrame: 90, lastAt: '2026-11-25T12:15:00.000Z', from: 10 })
    // Frame 11 came at 12:15; nine more take 13 min 30 s.
    expect(new Date(completeAt({ last: 11 }, 20, arriving!)).toISOString()).toBe('2026-11-25T12:28:30.000Z')
    expect(completeAt({ last: 110, step: 10 }, 200, arriving!)).toBe(completeAt({ last: 11 }, 20, arriving!))
  })

  test('one slow frame does not change the pace', () => {
    const times = every(10, 21)
    times[20] = times[19]! + 60_000
    expect(arrivalOf(times, times[20]! + 5000)!.secondsPerFrame).toBe(10)
  })

  test('is none when nothing came for twenty frame times, when it was copied, or when there are too few frames', () => {
    expect(arrivalOf(every(10, 20), start + 190_000 + 201_000)).toBe(null)
    expect(arrivalOf(every(0.01, 100), start + 1000)).toBe(null)
    expect(arrivalOf(every(10, 3), start + 20_000)).toBe(null)
    expect(arrivalOf([], start)).toBe(null)
  })
})

describe('the head of a picture file', () => {
  const reader = (data: Uint8Array) => async (at: number, length: number) => data.subarray(at, at + length)
  const bytes = (length: number, ...parts: [at: number, values: number[]][]) => {
    const data = new Uint8Array(length)
    for (const [at, values] of parts) data.set(values, at)
    return data
  }

  test.each([
    [
      'PNG',
      bytes(
        64,
        [0, [0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10, 0, 0, 0, 13, 73, 72, 68, 82]],
        [16, [0, 0, 7, 128, 0, 0, 4, 56]],
      ),
    ],
    ['DPX, big endian', bytes(1024, [0, [0x53, 0x44, 0x50, 0x58]], [772, [0, 0, 7, 128, 0, 0, 4, 56]])],
    ['DPX, little endian', bytes(1024, [0, [0x58, 0x50, 0x44, 0x53]], [772, [128, 7, 0, 0, 56, 4, 0, 0]])],
    [
      'TIFF with its directory at the end',
      bytes(
        600,
        [0, [0x49, 0x49, 0x2a, 0, 0x00, 0x02, 0, 0]],
        [512, [2, 0, 0, 1, 3, 0, 1, 0, 0, 0, 128, 7, 0, 0, 1, 1, 4, 0, 1, 0, 0, 0, 56, 4, 0, 0]],
      ),
    ],
    [
      'JPEG behind another segment',
      bytes(64, [0, [0xff, 0xd8, 0xff, 0xe0, 0, 16]], [20, [0xff, 0xc0, 0, 17, 8, 4, 56, 7, 128]]),
    ],
    // Attributes: "a" of type "b" with two bytes, then the data window from (10, 20) to (1929, 1099).
    [
      'OpenEXR',
      bytes(
        96,
        [0, [0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0, 97, 0, 98, 0, 2, 0, 0, 0, 1, 1]],
        [18, [...'dataWindow\0box2i\0'].map(letter => letter.charCodeAt(0))],
        [35, [16, 0, 0, 0, 10, 0, 0, 0, 20, 0, 0, 0, 137, 7, 0, 0, 75, 4, 0, 0]],
      ),
    ],
  ])('%s', async (_, data) => {
    expect(await pictureSize(reader(data))).toEqual({ width: 1920, height: 1080 })
  })

  test('of something else, or cut short anywhere, says nothing', async () => {
    expect(await pictureSize(reader(new Uint8Array(0)))).toBe(null)
    expect(await pictureSize(reader(bytes(100, [0, [1, 2, 3]])))).toBe(null)
    expect(await pictureSize(reader(bytes(24, [0, [0x76, 0x2f, 0x31, 0x01]], [8, [97, 98, 99]])))).toBe(null)
    expect(await pictureSize(reader(bytes(64, [0, [0x49, 0x49, 0x2a, 0, 255, 255, 255, 255]])))).toBe(null)
  })

  test.each([
    ['old', 6, true],
    ['new', 7, true],
    ['LZW', 5, false],
  ] as const)('of a TIFF says whether JPEGs are inside: %s', async (_, compression, isJpeg) => {
    // A directory of one entry, with the highest byte first: tag 259, a short.
    const tiff = bytes(26, [0, [0x4d, 0x4d, 0, 0x2a, 0, 0, 0, 8, 0, 1, 1, 3, 0, 3, 0, 0, 0, 1, 0, compression]])
    expect(await isTiffOfJpeg(reader(tiff))).toBe(isJpeg)
    expect(await isTiffOfJpeg(reader(tiff.subarray(0, 9)))).toBe(false)
  })
})
