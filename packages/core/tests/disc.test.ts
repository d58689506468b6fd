import { describe, expect, test } from 'vitest'
import {
  addSector,
  countSectors,
  describeRanges,
  DiscProblem,
  isoFiles,
  isScrambled,
  mainTitle,
  parseSectorRanges,
  readDiscTables,
  shiftTimes,
  titlePath,
  titlesToBringIn,
  udfFiles,
  unitTimes,
  type Disc,
  type DiscTitle,
  type SectorRange,
} from '../src/index.ts'
import { managerTable, titleSetTable, type CellPlan, type TitleSetPlan } from '../../demo/src/disc/tables.ts'

const cell = (
  vobId: number,
  firstSector: number,
  lastSector: number,
  frames: number,
  angle?: CellPlan['angle'],
): CellPlan => ({
  vobId,
  cellId: 1,
  frames,
  firstSector,
  lastUnitSector: lastSector - 9,
  lastSector,
  ...(angle ? { angle } : {}),
})

function set(changes: Partial<TitleSetPlan>): TitleSetPlan {
  return {
    standard: 'PAL',
    aspect: '16:9',
    audio: [
      { codec: 'ac3', channels: 6, language: 'en' },
      { codec: 'dts', channels: 6, language: 'en' },
      { codec: 'pcm', channels: 2, language: 'da' },
      { codec: 'mp2', channels: 2, language: 'xx' },
    ],
    subtitles: [{ language: 'en' }, { language: 'nl' }],
    titles: [],
    addresses: [],
    units: [0],
    ...changes,
  }
}
const read = (...sets: TitleSetPlan[]) => readDiscTables(managerTable(sets), number => titleSetTable(sets[number - 1]!))

describe('the tables of a disc', () => {
  test('tracks are named by codec, language and the number that the program stream gives them', () => {
    const { titles } = read(set({ titles: [{ cells: [cell(1, 0, 99, 1500)], chapters: [0] }] }))
    expect(titles[0]!.audio.map(track => [track.codec, track.channels, track.language, track.streamId])).toEqual([
      ['ac3', 6, 'en', 0x80],
      ['dts', 6, 'en', 0x89],
      ['pcm', 2, 'da', 0xa2],
      ['mp2', 2, null, 0x1c3],
    ])
    expect(titles[0]!.subtitles).toEqual([
      { language: 'en', streamId: 0x20 },
      { language: 'nl', streamId: 0x21 },
    ])
  })

  test('times are decimal digits, with a count of 30 for 30000/1001', () => {
    // 1 h 2 min 3 s and 10 frames: at 25 it is 3723.4 s; at 30000/1001 111700 frames take 3727.057 s.
    const frames = (rate: number) => 3723 * rate + 10
    const pal = read(set({ titles: [{ cells: [cell(1, 0, 99, frames(25))], chapters: [0] }] })).titles[0]!
    const ntsc = read(set({ standard: 'NTSC', titles: [{ cells: [cell(1, 0, 99, frames(30))], chapters: [0] }] }))
      .titles[0]!
    expect(pal.seconds).toBeCloseTo(3723.4, 6)
    expect(ntsc.seconds).toBeCloseTo((111_700 * 1001) / 30_000, 6)
    expect([pal.height, ntsc.height]).toEqual([576, 480])
  })

  test('cells come in playing order, whatever their order on the disc', () => {
    const { cellsOf, titles } = read(
      set({
        titles: [{ cells: [cell(3, 200, 299, 50), cell(1, 0, 99, 25), cell(2, 100, 199, 75)], chapters: [0, 2] }],
      }),
    )
    expect(cellsOf(1, 1).map(({ pieces }) => pieces)).toEqual([
      [{ firstSector: 200, lastSector: 299 }],
      [{ firstSector: 0, lastSector: 99 }],
      [{ firstSector: 100, lastSector: 199 }],
    ])
    expect(titles[0]!.chapters).toEqual([0, 3])
  })

  test('of a block of angles one cell is played; of interleaved ones its own units', () => {
    const angled = (number: number, isInterleaved: boolean, first: number) =>
      cell(number + 1, first, first + 99, 50, { number, of: 2, isInterleaved })
    const { cellsOf, titles } = read(
      set({
        titles: [
          {
            angles: 2,
            cells: [cell(1, 0, 9, 25), angled(1, true, 10), angled(2, true, 20), cell(4, 110, 119, 25)],
            chapters: [0, 3],
          },
        ],
        addresses: [
          [1, 0, 9],
          [2, 10, 19],
          [3, 20, 29],
          [2, 30, 39],
          [3, 40, 49],
          [4, 110, 119],
        ].map(([vobId, firstSector, lastSector]) => ({
          vobId: vobId!,
          cellId: 1,
          firstSector: firstSector!,
          lastSector: lastSector!,
        })),
      }),
    )
    expect(titles[0]).toMatchObject({ angles: 2, seconds: 4, chapters: [0, 3] })
    expect(cellsOf(1, 1).map(({ pieces }) => pieces.map(piece => piece.firstSector))).toEqual([[0], [10, 30], [110]])
    expect(cellsOf(1, 2).map(({ pieces }) => pieces.map(piece => piece.firstSector))).toEqual([[0], [20, 40], [110]])
    const apart = read(
      set({ titles: [{ angles: 2, cells: [angled(1, false, 10), angled(2, false, 200)], chapters: [0] }] }),
    )
    expect(apart.cellsOf(1, 2)[0]!.pieces).toEqual([{ firstSector: 200, lastSector: 299 }])
  })

  test('a title set that is missing or damaged spoils its own titles only', () => {
    const good = set({ titles: [{ cells: [cell(1, 0, 99, 1500)], chapters: [0] }] })
    const missing = readDiscTables(managerTable([good, good]), number => (number === 1 ? titleSetTable(good) : null))
    expect(missing.titles.map(title => title.problem)).toEqual([
      null,
      'VTS_02_0.IFO is missing, which says what this title is made of. Read the disc again.',
    ])
    expect(() => missing.cellsOf(2, 1)).toThrow(DiscProblem)
    expect(() => missing.cellsOf(3, 1)).toThrow('The disc has no title 3; it has 2.')
  })

  test('any byte of the tables may be wrong: a sentence or a title, never another error', () => {
    const plan = set({
      titles: [{ cells: [cell(1, 0, 99, 1500), cell(2, 100, 199, 25)], chapters: [0, 1] }],
      addresses: [{ vobId: 1, cellId: 1, firstSector: 0, lastSector: 99 }],
    })
    const [manager, table] = [managerTable([plan]), titleSetTable(plan)]
    const attempt = (broken: Buffer, part: Buffer) => {
      try {
        const { titles, cellsOf } = readDiscTables(part === manager ? broken : manager, () =>
          part === table ? broken : table,
        )
        for (const title of titles) if (title.problem === null) cellsOf(title.number, 1)
      } catch (error) {
        if (!(error instanceof DiscProblem)) throw error
      }
    }
    for (const part of [manager, table]) {
      for (let at = 0; at < part.length; at += 1) {
        if (at > 0x300 && at % 2048 > 0x120) continue
        const broken = Buffer.from(part)
        broken[at] = 0xff
        attempt(broken, part)
      }
      for (let length = 0; length < part.length; length += 97) attempt(part.subarray(0, length), part)
    }
  })
})

describe('the main title', () => {
  const title = (number: number, seconds: number, changes: Partial<DiscTitle> = {}): DiscTitle => ({
    number,
    seconds,
    chapters: [0],
    angles: 1,
    standard: 'PAL',
    aspect: '16:9',
    width: 720,
    height: 576,
    audio: [],
    subtitles: [],
    repeats: null,
    problem: null,
    ...changes,
  })
  const disc = (...titles: DiscTitle[]): Disc => ({ name: 'DISC', titles, main: mainTitle(titles) })

  test('is the longest that can be used and repeats no other', () => {
    expect(
      mainTitle([
        title(1, 40),
        title(2, 3000),
        title(3, 5000, { problem: 'It is damaged.' }),
        title(4, 3000, { repeats: 2 }),
      ]),
    ).toEqual({ number: 2, why: 'the longest, 50:00; the next is 0:40.0' })
    expect(mainTitle([title(1, 3000, { problem: 'It is damaged.' })])).toBe(null)
    expect(mainTitle([title(5, 75)])).toEqual({ number: 5, why: 'the only title that can be used, 1:15' })
  })

  test('of several about as long it is the one with the most chapters', () => {
    expect(mainTitle([title(1, 3000), title(2, 2990, { chapters: [0, 60, 120] })])).toEqual({
      number: 2,
      why: 'of 2 titles about 49:50 long the one with the most chapters, 3',
    })
  })

  test('comes in unasked with all others of a minute and more; the rest say why not', () => {
    const { numbers, leftOut } = titlesToBringIn(
      disc(
        title(1, 12),
        title(2, 3000),
        title(3, 3000, { repeats: 2 }),
        title(4, 80),
        title(5, 0, { problem: 'It is damaged.' }),
      ),
    )
    expect(numbers).toEqual([2, 4])
    expect(leftOut).toEqual([
      { number: 1, reason: 'It is only 0:12.0 long. Open the disc to choose it.' },
      { number: 3, reason: 'It plays the same as title 2.' },
      { number: 5, reason: 'It is damaged.' },
    ])
    // On a disc of nothing but short titles the main one still comes.
    expect(titlesToBringIn(disc(title(1, 12), title(2, 5))).numbers).toEqual([1])
  })

  test("its name is the disc's and the title's number", () => {
    expect(titlePath({ path: 'Box 3/Training 4/VIDEO_TS', title: 2, angle: 1 })).toBe('Box 3/Training 4 title 2')
    expect(titlePath({ path: 'boat.iso', title: 1, angle: 2 })).toBe('boat.iso title 1 angle 2')
  })
})

describe('packs of a program stream', () => {
  /** A pack with one packet of a stream: head, presentation time and decoding time. */
  function pack(stream: number, presentation: number, decoding: number | null, scrambled = false): Uint8Array {
    const bits = (value: number, mark: number) => [
      (mark << 4) | (Math.floor(value / 2 ** 30) << 1) | 1,
      Math.floor(value / 2 ** 22) & 0xff,
      ((Math.floor(value / 2 ** 15) & 0x7f) << 1) | 1,
      Math.floor(value / 2 ** 7) & 0xff,
      ((value & 0x7f) << 1) | 1,
    ]
    const times = decoding === null ? bits(presentation, 2) : [...bits(presentation, 3), ...bits(decoding, 1)]
    const sector = new Uint8Array(2048)
    sector.set([0, 0, 1, 0xba, 0x44, 0, 4, 0, 4, 1, 1, 0x89, 0xc3, 0xf8])
    sector.set(
      [
        0,
        0,
        1,
        stream,
        0x07,
        0xec,
        0x80 | (scrambled ? 0x10 : 0),
        decoding === null ? 0x80 : 0xc0,
        times.length,
        ...times,
      ],
      14,
    )
    return sector
  }

  test.each([
    [0xe0, 48_600, 45_000, 180_000],
    [0xbd, 2 ** 32 + 12_345, null, 90_000],
    [0xc0, 1_000_000_000, 999_990_000, -500_000],
  ])('times of stream %i move by the ticks asked for', (stream, presentation, decoding, ticks) => {
    const moved = pack(stream, presentation, decoding)
    shiftTimes(moved, ticks)
    expect(moved).toEqual(pack(stream, presentation + ticks, decoding === null ? null : decoding + ticks))
  })

  test('times run over at 33 bits, and below nought', () => {
    const over = pack(0xe0, 2 ** 33 - 10, null)
    shiftTimes(over, 20)
    expect(over).toEqual(pack(0xe0, 10, null))
    shiftTimes(over, -20)
    expect(over).toEqual(pack(0xe0, 2 ** 33 - 10, null))
  })

  test('what is no pack, or has no times, stays as it is', () => {
    for (const sector of [new Uint8Array(2048).fill(0x5a), pack(0xbe, 0, null)]) {
      const before = sector.slice()
      shiftTimes(sector, 5000)
      expect(sector).toEqual(before)
    }
  })

  test('scrambling bits are seen in picture and sound, and nowhere else', () => {
    expect([
      isScrambled(pack(0xe0, 0, null, true)),
      isScrambled(pack(0xbd, 0, null, true)),
      isScrambled(pack(0xe0, 0, null)),
      isScrambled(pack(0xbe, 0, null, true)),
      isScrambled(new Uint8Array(2048)),
    ]).toEqual([true, true, false, false, false])
  })

  test('a unit says when it begins and ends only in its navigation pack', () => {
    const sector = new Uint8Array(2048)
    sector.set([0, 0, 1, 0xbf, 0x03, 0xd4, 0], 0x26)
    new DataView(sector.buffer).setUint32(0x39, 48_600)
    new DataView(sector.buffer).setUint32(0x3d, 91_800)
    expect(unitTimes(sector)).toEqual({ start: 48_600, end: 91_800 })
    expect(unitTimes(new Uint8Array(2048))).toBe(null)
    expect(unitTimes(sector.subarray(0, 1000))).toBe(null)
  })
})

describe('an image that is none', () => {
  const nothing = async (_: number, length: number) => new Uint8Array(length)
  const ended = async () => new Uint8Array(0)
  test.each([
    ['noughts', nothing],
    ['no bytes', ended],
  ])('of %s has neither file system', async (_, image) => {
    expect(await isoFiles(image, 'VIDEO_TS')).toBe(null)
    expect(await udfFiles(image, 'VIDEO_TS')).toBe(null)
  })
})

describe('ranges of sectors', () => {
  test('are read as a person writes them, and written back', () => {
    const ranges = parseSectorRanges(' 3000, 1200 - 1215,7 ')
    expect(ranges).toEqual([
      { from: 7, to: 7 },
      { from: 1200, to: 1215 },
      { from: 3000, to: 3000 },
    ])
    expect(describeRanges(ranges as SectorRange[])).toBe('7, 1200-1215, 3000')
    expect(parseSectorRanges('')).toEqual([])
    expect(countSectors(ranges as SectorRange[])).toBe(18)
  })

  test.each([
    ['12x', '"12x" is no sector or range of sectors. Write them like 1200-1215, 3000.'],
    ['9-3', 'The range 9-3 ends before it begins.'],
    ['5000000', 'There is no sector 5000000 on a disc; the last is 4171711.'],
    ['-4', '"-4" is no sector or range of sectors. Write them like 1200-1215, 3000.'],
  ])('%j is answered with a sentence', (text, sentence) => {
    expect(parseSectorRanges(text)).toBe(sentence)
  })

  test('grow by sectors that follow', () => {
    const ranges: SectorRange[] = []
    for (const sector of [4, 5, 6, 9]) addSector(ranges, sector)
    expect(ranges).toEqual([
      { from: 4, to: 6 },
      { from: 9, to: 9 },
    ])
  })
})
