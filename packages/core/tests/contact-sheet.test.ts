import { describe, expect, test } from 'vitest'
import {
  describeSheetTime,
  planContactSheet,
  rational,
  sheetProblems,
  specProblems,
  withContainer,
  type PictureSpec,
  type SpecSheet,
} from '../src/index.ts'
import { spec } from './examples.ts'

/** Every size and time is worked out by hand. */
const film = {
  frame: { width: 1920, height: 1080, pixelAspect: rational(1) },
  rate: rational(25),
  seconds: 120,
}
const rule: SpecSheet = { across: 4, down: 3, width: 1000 }

describe('a contact sheet', () => {
  test('shows the frame in the middle of each of as many equal parts, in rows', () => {
    const { width, frame, cells, lettering, height } = planContactSheet(rule, film)
    // Five gaps of 10 leave 950 for four frames of 237; 237 of 16:9 are 133 high.
    expect({ width, frame, lettering }).toEqual({ width: 1000, frame: { width: 237, height: 133 }, lettering: null })
    expect(cells.map(({ seconds }) => seconds)).toEqual([5, 15, 25, 35, 45, 55, 65, 75, 85, 95, 105, 115])
    expect(cells.slice(0, 5).map(({ left, top }) => [left, top])).toEqual([
      [10, 10],
      [257, 10],
      [504, 10],
      [751, 10],
      [10, 153],
    ])
    expect(height).toBe(10 + 3 * 143)
  })

  test('has frames that begin where one of the result does', () => {
    const odd = planContactSheet(
      { ...rule, across: 1, down: 2 },
      { ...film, rate: rational(30_000, 1001), seconds: 10.01 },
    )
    // 300 frames: 75 and 225.
    expect(odd.cells.map(({ seconds }) => Math.round((seconds * 30_000) / 1001))).toEqual([75, 225])
    // Of three frames each, the middle one.
    const few = planContactSheet({ ...rule, across: 2, down: 1 }, { ...film, seconds: 6 / 25 })
    expect(few.cells.map(({ seconds }) => seconds * 25)).toEqual([1, 4])
  })

  test('has as many frames as there are, and the rows that they need', () => {
    const short = planContactSheet(rule, { ...film, seconds: 0.2 })
    expect(short.cells.map(({ seconds }) => Math.round(seconds * 25))).toEqual([0, 1, 2, 3, 4])
    expect(short.height).toBe(10 + 2 * 143)
    expect(planContactSheet(rule, { ...film, seconds: 0 }).cells).toHaveLength(1)
  })

  test('keeps the shape of pixels that are not square', () => {
    const tape = { width: 720, height: 576, pixelAspect: rational(16, 15) }
    // 768x576 shown: 237 wide are 177.75 high.
    expect(planContactSheet(rule, { ...film, frame: tape }).frame).toEqual({ width: 237, height: 178 })
  })

  test('has room for times below the frames', () => {
    const { lettering, cells } = planContactSheet({ ...rule, times: true }, film)
    // 5.5 % of 237, and 1.8 times that for the line.
    expect(lettering).toBe(13)
    expect(cells[4]!.top - cells[0]!.top).toBe(133 + 23 + 10)
    expect([0, 0.049, 64.299, 3599.99, 3723.4].map(describeSheetTime)).toEqual([
      '0:00.0',
      '0:00.0',
      '1:04.2',
      '59:59.9',
      '1:02:03',
    ])
  })

  test('that would be taller than files of pictures go is narrower', () => {
    const tall = { ...film, frame: { width: 1080, height: 1920, pixelAspect: rational(1) } }
    const { width, height, frame } = planContactSheet({ across: 4, down: 50, width: 8000 }, tall)
    expect(height).toBeLessThanOrEqual(32_000)
    expect(height).toBeGreaterThan(28_000)
    expect(width).toBeLessThan(8000)
    expect(frame.height / frame.width).toBeCloseTo(16 / 9, 2)
  })
})

describe('the rule of a contact sheet', () => {
  const sheeted = (sheet: SpecSheet): PictureSpec => ({ ...spec('small-mkv'), sheet })

  test('is refused with what is too much or too small', () => {
    expect(sheetProblems({ across: 20, down: 21, width: 8000 })).toEqual([
      'A contact sheet has 400 frames at most, and this one 420: choose fewer.',
    ])
    expect(specProblems(sheeted({ across: 20, down: 5, width: 600 }))).toEqual([
      '20 frames side by side in 600 pixels are too small to be seen: choose fewer, or a wider sheet.',
    ])
    expect(specProblems(sheeted(rule))).toEqual([])
  })

  test('goes where there is one picture, or none, and stays with a sequence', () => {
    expect(withContainer(sheeted(rule), 'png')).not.toHaveProperty('sheet')
    expect(withContainer(sheeted(rule), 'flac')).not.toHaveProperty('sheet')
    expect(withContainer(sheeted(rule), 'images')).toMatchObject({ sheet: rule })
    expect(specProblems({ ...(withContainer(sheeted(rule), 'png') as PictureSpec), sheet: rule })).toEqual([
      expect.stringContaining('is one picture, and a contact sheet shows several of a result: leave it out.'),
    ])
  })
})
