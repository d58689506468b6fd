import { describe, expect, test } from 'vitest'
import { describeFrameNumbers, describeSequence, findSequences, frameFileName, framesPresent, sequenceRemarks } from '../src/index.ts'

const numbered = (prefix: string, from: number, to: number, digits: number, ending = '.png') => Array.from({ length: to - from + 1 }, (_, index) => `${prefix}${String(from + index).padStart(digits, '0')}${ending}`)

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
    expect(sequence!.missing).toEqual([{ from: 4, to: 6 }, { from: 9, to: 9 }])
    expect(framesPresent(sequence!)).toBe(6)
  })

  test('several sequences stay apart by what stands before and after the number', () => {
    const { sequences } = findSequences([...numbered('b', 0, 4, 4), ...numbered('a', 100, 104, 4, '.exr'), ...numbered('a', 1, 2, 4, '.dpx')])
    expect(sequences.map(describeSequence)).toEqual(['a[0100-0104].exr', 'a[0001-0002].dpx', 'b[0000-0004].png'])
  })

  test('unpadded numbers count past the tens', () => {
    const [sequence] = findSequences(numbered('x', 8, 12, 1)).sequences
    expect(sequence).toMatchObject({ padding: 0, first: 8, last: 12, missing: [] })
    expect(frameFileName(sequence!, 12)).toBe('x12.png')
  })

  test('one numbered picture is a still and not a sequence; numbered films are files', () => {
    expect(findSequences(['plate-0001.tif', 'tape-0001.avi', 'tape-0002.avi'])).toEqual({ sequences: [], rest: ['tape-0001.avi', 'tape-0002.avi', 'plate-0001.tif'] })
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
      '2 frames are empty files: 61-62. They are probably still to be rendered.', 'One frame file is less than a fifth of the usual size: 63. They may be half written.',
    ])
  })

  test('say nothing where pictures simply differ', () => {
    expect(sequenceRemarks(frames(Array.from({ length: 60 }, (_, index) => index % 2 ? 1000 : 100)))).toEqual([])
    expect(sequenceRemarks(frames([900, 1000, 1100]))).toEqual([])
  })
})
