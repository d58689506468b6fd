import { describe, expect, test } from 'vitest'
import {
  differencesFromPlan,
  inventoryColumns,
  inventoryKey,
  matchColumns,
  onlyNamed,
  readInventory,
  type PlannedSource,
  tooLargeForInventory,
} from '../src/index.ts'
import { discFacts, facts } from './examples.ts'

const headings = inventoryColumns.map(column => column.title)
const columns = matchColumns(headings)
/** A line of our own columns: name, carrier, length, frame, rate, scan, codec, size, notes, expected. */
const read = (...lines: string[][]) => readInventory(lines, columns, 'Europe/Lisbon')
const planned = (changes: Partial<PlannedSource> = {}): PlannedSource => ({
  ...onlyNamed('a'),
  ...changes,
})

describe('columns', () => {
  test('are found by our headings, whatever their order and capitals', () => {
    expect(matchColumns(['NOTES', 'length', ' Name '])).toMatchObject({ name: 2, length: 1, notes: 0, rate: null })
  })

  test('are found by other words, each column once', () => {
    expect(matchColumns(['File_name', 'Duration', 'Resolution', 'FPS', 'File size', 'Comments', 'Media'])).toEqual({
      name: 0,
      carrier: 6,
      length: 1,
      frame: 2,
      rate: 3,
      scan: null,
      codec: null,
      size: 4,
      notes: 5,
      expected: null,
    })
    // "Title" would do as a name, but there is a column of exactly that name.
    expect(matchColumns(['Title', 'Name'])).toMatchObject({ name: 1 })
  })
})

describe('cells', () => {
  test.each([
    ['2:14:08', 8048],
    ['14:08', 848],
    ['0:20.5', 20.5],
    ['848', 848],
    ['848 s', 848],
    ['90 min', 5400],
    ['1,5 h', 5400],
  ])('a length of %s is %d seconds', (text, seconds) => {
    expect(read(['a', '', text]).sources[0]!.seconds).toBeCloseTo(seconds, 6)
  })

  test.each([
    ['25', 25],
    ['29.97', 30_000 / 1001],
    ['23,976 fps', 24_000 / 1001],
    ['30000/1001', 30_000 / 1001],
  ])('a rate of %s', (text, rate) => {
    expect(read(['a', '', '', '', text]).sources[0]!.framesPerSecond).toBeCloseTo(rate, 9)
  })

  test.each([
    ['28.9 GB', 28_900_000_000],
    ['1,5GiB', 1_610_612_736],
    ['1200', 1200],
    ['700 mb', 700_000_000],
  ])('a size of %s', (text, bytes) => {
    expect(read(['a', '', '', '', '', '', '', text]).sources[0]!.bytes).toBe(bytes)
  })

  // Lisbon is at UTC in winter, and an hour before it in summer.
  test.each([
    ['2026-12-02 14:05', '2026-12-02T14:05:00.000Z'],
    ['2026-07-02T14:05', '2026-07-02T13:05:00.000Z'],
    ['2026-07-02T14:05:00+02:00', '2026-07-02T12:05:00.000Z'],
    ['2026-07-02T14:05Z', '2026-07-02T14:05:00.000Z'],
    ['2026-07-02 14:05:30-0330', '2026-07-02T17:35:30.000Z'],
    ['2 Dec 2026, 9:30', '2026-12-02T09:30:00.000Z'],
    ['1. Sept. 2026', '2026-09-01T22:59:00.000Z'],
    ['2 december 2026', '2026-12-02T23:59:00.000Z'],
    ['2.12.2026', '2026-12-02T23:59:00.000Z'],
    ['02.12.2026 07:00:30', '2026-12-02T07:00:30.000Z'],
    ['2026-02-28', '2026-02-28T23:59:00.000Z'],
  ])('a moment of %s', (text, expectedAt) => {
    expect(read(['a', '', '', '', '', '', '', '', '', text]).sources[0]!.expectedAt).toBe(expectedAt)
  })

  test.each([
    '02/12/2026',
    '2026-02-30',
    '2026-12-02 25:00',
    '2026-12-02 14:00 or so',
    '2 Dex 2026',
    'soon',
    '14:00',
    '2026',
  ])('a moment of %s is not guessed at', text => {
    expect(read(['a', '', '', '', '', '', '', '', '', text])).toMatchObject({
      sources: [],
      problems: [{ column: 'Expected' }],
    })
  })

  test('a whole line', () => {
    expect(read(['Tape 7', 'U-matic', '0:30:00', '720 × 576', '25', 'TFF', 'DV', '6.5 GB', 'box 3']).sources).toEqual([
      {
        name: 'Tape 7',
        carrier: 'U-matic',
        seconds: 1800,
        width: 720,
        height: 576,
        framesPerSecond: 25,
        scan: 'interlaced',
        codec: 'DV',
        bytes: 6_500_000_000,
        notes: 'box 3',
        expectedAt: null,
      },
    ])
    expect(read(['Only a name']).sources).toEqual([planned({ name: 'Only a name' })])
  })

  test('that cannot be read are named with line, column and how they are written; the other lines are kept', () => {
    const { sources, problems } = read(
      ['a', '', 'long'],
      ['b', '', '', '720', 'fast', 'woven'],
      ['c'],
      [],
      ['', 'tape 3'],
      ['C.mov'],
      ['d', '', '', '', '25/0', '', '', '-5'],
    )
    expect(sources.map(source => source.name)).toEqual(['c'])
    expect(problems).toEqual([
      {
        line: 2,
        column: 'Length',
        message: '"long" cannot be read. Write it like 2:14:08, 14:08 (minutes and seconds), 848 s, 90 min.',
      },
      { line: 3, column: 'Frame', message: '"720" cannot be read. Write it like 720x576.' },
      { line: 3, column: 'Rate', message: '"fast" cannot be read. Write it like 25, 29.97, 30000/1001.' },
      { line: 3, column: 'Scan', message: '"woven" cannot be read. Write it like progressive or interlaced.' },
      { line: 6, column: 'Name', message: 'is empty' },
      { line: 7, column: 'Name', message: '"C.mov" stands in line 4 already.' },
      { line: 8, column: 'Rate', message: '"25/0" cannot be read. Write it like 25, 29.97, 30000/1001.' },
      { line: 8, column: 'Size', message: '"-5" cannot be read. Write it like 28.9 GB, or a number of bytes.' },
    ])
  })
})

test('a table that a page cannot hold is refused before it is taken apart', () => {
  expect(tooLargeForInventory(`${Array.from({ length: 50_000 }, (_, index) => `c${index}`).join(';')}\nx`)).toMatch(
    /^The table has 50000 columns; at most 200/,
  )
  expect(tooLargeForInventory('name\n'.repeat(20_002))).toMatch(/lines; at most 20000 are taken/)
  expect(tooLargeForInventory('x'.repeat(20_000_001))).toMatch(/million characters/)
  expect(tooLargeForInventory('Name,Length\na,1:00\n')).toBeNull()
})

describe('an item and its source', () => {
  test.each([
    ['Harbour tape 12', 'box/Harbour_Tape-12.dv'],
    ["Keeper's rounds (2).mov", 'keeper s rounds 2'],
    ['Åse 灯台', 'ÅSE  灯台.mkv'],
  ])('%s is %s', (name, other) => {
    expect(inventoryKey(name)).toBe(inventoryKey(other))
  })

  test('other numbers are other items', () => {
    expect(inventoryKey('Tape 1')).not.toBe(inventoryKey('Tape 12'))
  })

  test('what differs is named; labels are rounded, so that 2 % or two seconds do not count', () => {
    expect(
      differencesFromPlan(
        planned({ seconds: 122, width: 1920, height: 1080, framesPerSecond: 25, scan: 'progressive', codec: 'h264' }),
        facts(),
      ),
    ).toEqual([])
    expect(differencesFromPlan(planned({ seconds: 14.9, codec: 'mpeg 2', scan: 'interlaced' }), discFacts)).toEqual([])
    expect(
      differencesFromPlan(
        planned({
          seconds: 130,
          width: 3840,
          height: 2160,
          framesPerSecond: 30_000 / 1001,
          scan: 'interlaced',
          codec: 'ProRes',
        }),
        facts(),
      ),
    ).toEqual([
      'length 2:00 instead of 2:10',
      'frame 1920x1080 instead of 3840x2160',
      'rate 25 instead of 29.97',
      'scan progressive instead of interlaced',
      'codec H.264 instead of ProRes',
    ])
  })

  test('a table that says nothing differs in nothing', () => {
    expect(differencesFromPlan(planned(), facts())).toEqual([])
  })
})
