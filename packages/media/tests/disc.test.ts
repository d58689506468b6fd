import { copyFile, cp, mkdir, open, readFile, rm, truncate, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { isoFiles, udfFiles, type ReadBytes } from '@hematine/core'
import { Frame } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { readFacts, setUpLibraries } from '../src/index.ts'
import { openFrames } from '../src/reading/frame-reader.ts'
import { OpenDisc } from '../src/discs/disc.ts'
import type { MediaInput } from '../src/ground/media-input.ts'
import { listDirectory } from '../src/volumes/volume-files.ts'
import { writeProgramStream } from '../../../tests/support/discs.ts'
import { runProgram } from '../../../tests/support/programs.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { managerTable, titleSetTable, type CellPlan, type TitleSetPlan } from '../../demo/src/disc/tables.ts'
import { writeDiscFolder, writeDiscImage, type CellClip } from '../../demo/src/disc/write-disc.ts'

/** Discs made by Debian's authoring programs, whose structures are not ours, and by the demo's writer, where a disc of a certain kind is wanted. */

const scratch = scratchDirectory()
const at = (...parts: string[]) => path.join(scratch, ...parts)

/** A program stream for authoring: frame n is a flat grey of luma `level` + n. */
async function writeProgram(file: string, level: number, frames: number, ntsc = false, tracks = 1): Promise<void> {
  const rate = ntsc ? '30000/1001' : '25'
  const seconds = ntsc ? (frames * 1001) / 30_000 : frames / 25
  await writeProgramStream(
    file,
    `nullsrc=s=720x${ntsc ? 480 : 576}:r=${rate},format=yuv420p,geq=lum='${level}+N':cb=128:cr=128,trim=end_frame=${frames},setsar=${ntsc ? '8/9' : '64/45'}`,
    Array.from(
      { length: tracks },
      (_, index) => `sine=frequency=${300 + 200 * index}:sample_rate=48000:duration=${seconds}`,
    ),
  )
}

async function greys(input: MediaInput): Promise<{ luma: number[]; times: number[]; errors: number }> {
  const { video } = await readFacts(input)
  const decoder = await openFrames(input, video!.streamIndex)
  const frame = new Frame()
  frame.alloc()
  const [luma, times]: [number[], number[]] = [[], []]
  while (await decoder.next(frame)) {
    luma.push(frame.data![0]![0]!)
    times.push(Number(frame.pts))
    frame.unref()
  }
  frame.free()
  await decoder.close()
  return { luma, times, errors: decoder.errors }
}

// A chapter begins with the video object unit that the wished second lies in: 24 frames, or as the authoring program counts them.
const secondChapter = expect.closeTo(0.92, 1)
const from = (first: number, count: number) => Array.from({ length: count }, (_, index) => first + index)

beforeAll(async () => {
  setUpLibraries()
  await writeProgram(at('a.mpg'), 20, 75, false, 2)
  await writeProgram(at('b.mpg'), 120, 50, false, 2)
  await writeProgram(at('c.mpg'), 60, 60, true)
  await writeFile(
    at('author.xml'),
    `<dvdauthor dest="${at('authored')}"><vmgm/>
    <titleset><titles><video format="pal" aspect="16:9"/><audio lang="en"/><audio lang="de"/><subpicture lang="nl"/>
      <pgc><vob file="${at('a.mpg')}" chapters="0,1.0"/><vob file="${at('b.mpg')}" chapters="0"/></pgc><pgc><vob file="${at('b.mpg')}"/></pgc></titles></titleset>
    <titleset><titles><video format="ntsc" aspect="4:3"/><audio lang="fr"/><pgc><vob file="${at('c.mpg')}"/></pgc></titles></titleset></dvdauthor>`,
  )
  runProgram('dvdauthor', ['-x', at('author.xml')], { VIDEO_FORMAT: 'PAL' })
  runProgram('genisoimage', [
    '-quiet',
    '-dvd-video',
    '-udf',
    '-V',
    'SKERRY_7',
    '-o',
    at('authored.iso'),
    at('authored'),
  ])
})

const read: ReadBytes = async (place, length) => {
  const handle = await open(at('authored.iso'), 'r')
  const { buffer, bytesRead } = await handle.read(Buffer.alloc(length), 0, length, place)
  await handle.close()
  return buffer.subarray(0, bytesRead)
}
const placeInImage = async (name: string) =>
  (await isoFiles(read, 'VIDEO_TS'))!.find(file => file.name === name)!.extents[0]!.at

describe('a disc that another program authored', () => {
  test.each([
    ['folder', 'authored', 'authored'],
    ['VIDEO_TS itself', 'authored/VIDEO_TS', 'authored'],
    ['image', 'authored.iso', 'SKERRY_7'],
  ])('as a %s: titles, lengths, chapters, languages and the main title', async (_, place, name) => {
    const disc = await (await OpenDisc.open(at(place))).describe()
    expect(disc.name).toBe(name)
    expect(disc.titles).toMatchObject([
      {
        number: 1,
        chapters: [0, secondChapter, 3],
        angles: 1,
        standard: 'PAL',
        aspect: '16:9',
        width: 720,
        height: 576,
        audio: [
          { codec: 'ac3', channels: 2, language: 'en', streamId: 0x80 },
          { codec: 'ac3', channels: 2, language: 'de', streamId: 0x81 },
        ],
        repeats: null,
        problem: null,
      },
      { number: 2, chapters: [0], aspect: '16:9', problem: null },
      {
        number: 3,
        chapters: [0],
        standard: 'NTSC',
        aspect: '4:3',
        height: 480,
        audio: [{ language: 'fr' }],
        problem: null,
      },
    ])
    expect(disc.titles.map(title => title.seconds)).toEqual([
      expect.closeTo(5, 1),
      expect.closeTo(2, 1),
      expect.closeTo((60 * 1001) / 30_000, 1),
    ])
    expect(disc.main).toEqual({ number: 1, why: expect.stringMatching(/^the longest, 0:05\.\d; the next is 0:02\.0$/) })
  })

  test('a title comes out whole, in order and with even times, and its facts carry the languages of the tables', async () => {
    const input = await (await OpenDisc.open(at('authored.iso'))).titleInput(1)
    const facts = await readFacts(input)
    expect(facts).toMatchObject({
      container: 'DVD title',
      durationSeconds: expect.closeTo(5, 1),
      disc: { name: 'SKERRY_7', title: 1, chapters: [0, secondChapter, 3] },
      video: {
        codec: 'mpeg2video',
        width: 720,
        height: 576,
        pixelAspect: { num: 64, den: 45 },
        frameRate: { num: 25, den: 1 },
        rateIs: 'constant',
        frameCount: 125,
      },
    })
    expect(facts.audio.map(track => [track.codec, track.language])).toEqual([
      ['ac3', 'en'],
      ['ac3', 'de'],
    ])
    const { luma, times, errors } = await greys(input)
    expect(luma).toEqual([...from(20, 75), ...from(120, 50)])
    // Where it joined two files, the authoring program itself left up to 3 ms, to fit the sound.
    const steps = times.slice(1).map((time, index) => time - times[index]!)
    expect(steps.filter(step => step !== 3600).every(step => Math.abs(step - 3600) <= 270)).toBe(true)
    expect(steps.filter(step => step === 3600).length).toBeGreaterThanOrEqual(123)
    expect(errors).toBe(0)
  })

  test('a title of 525 lines', async () => {
    const input = await (await OpenDisc.open(at('authored'))).titleInput(3)
    expect((await readFacts(input)).video).toMatchObject({
      height: 480,
      frameRate: { num: 30000, den: 1001 },
      frameCount: 60,
    })
    expect((await greys(input)).luma).toEqual(from(60, 60))
  })

  test('both file systems of the image name the same files at the same places', async () => {
    const plain = (files: Awaited<ReturnType<typeof isoFiles>>) =>
      files!.map(({ name, bytes, extents }) => [name, bytes, extents[0]!.at]).sort()
    const files = plain(await udfFiles(read, 'VIDEO_TS'))
    expect(files).toEqual(plain(await isoFiles(read, 'VIDEO_TS')))
    expect(files.map(([name]) => name)).toEqual([
      'VIDEO_TS.BUP',
      'VIDEO_TS.IFO',
      'VTS_01_0.BUP',
      'VTS_01_0.IFO',
      'VTS_01_1.VOB',
      'VTS_02_0.BUP',
      'VTS_02_0.IFO',
      'VTS_02_1.VOB',
    ])
    const ifo = files.find(([name]) => name === 'VTS_01_0.IFO')!
    expect(Buffer.from(await read(ifo[2] as number, ifo[1] as number))).toEqual(
      await readFile(at('authored', 'VIDEO_TS', 'VTS_01_0.IFO')),
    )
  })

  test('a listing shows discs as such', async () => {
    const { discs } = await listDirectory(scratch, '')
    expect(discs.map(({ name, isImage }) => [name, isImage])).toEqual(
      expect.arrayContaining([
        ['authored', false],
        ['authored.iso', true],
      ]),
    )
  })
})

describe('cells that lie in another order, across files', () => {
  const cell = (level: number, frames: number): CellClip => ({
    video: `nullsrc=s=720x576:r=25,format=yuv420p,geq=lum='${level}+N':cb=128:cr=128,trim=end_frame=${frames},setsar=16/15`,
    frames,
    audio: [
      `sine=frequency=440:sample_rate=48000:duration=${frames / 25},aformat=sample_fmts=fltp:channel_layouts=stereo`,
    ],
  })

  test('are read in playing order; a title that plays the same is named; sound follows the picture', async () => {
    await writeDiscFolder(at('shuffled'), [
      {
        standard: 'PAL',
        aspect: '4:3',
        interlaced: false,
        languages: ['en'],
        cells: [cell(140, 40), cell(20, 50), cell(80, 30)],
        titles: [[1, 2, 0], [1, 2, 0], [2]],
      },
    ])
    const disc = await OpenDisc.open(at('shuffled'))
    const { titles, main } = await disc.describe()
    expect(titles.map(title => [title.seconds, title.chapters, title.repeats])).toEqual([
      [4.8, [0, 2, 3.2], null],
      [4.8, [0, 2, 3.2], 1],
      [1.2, [0], null],
    ])
    expect(main!.number).toBe(1)
    const input = await disc.titleInput(1)
    expect(input.seconds).toBeCloseTo(4.8, 5)
    const { luma, times } = await greys(input)
    expect(luma).toEqual([...from(20, 50), ...from(80, 30), ...from(140, 40)])
    expect(new Set(times.slice(1).map((time, index) => time - times[index]!))).toEqual(new Set([3600]))
  })

  test('a place deep in the title is reached across its cells', async () => {
    const input = await (await OpenDisc.open(at('shuffled'))).titleInput(1)
    const { video } = await readFacts(input)
    const decoder = await openFrames(input, video!.streamIndex)
    const target = video!.startTicks + 4 * 90_000
    await decoder.seek(BigInt(target - 3 * 90_000))
    const frame = new Frame()
    frame.alloc()
    while ((await decoder.next(frame)) && Number(frame.pts) < target) frame.unref()
    // Four seconds in: frame 20 of the third cell.
    expect(frame.data![0]![0]).toBe(160)
    frame.free()
    await decoder.close()
  })

  test('an image of ours reads the same by ISO 9660', async () => {
    await writeDiscImage(at('shuffled.iso'), at('shuffled'), 'SHUFFLED')
    runProgram('isoinfo', ['-i', at('shuffled.iso'), '-l'])
    expect((await greys(await (await OpenDisc.open(at('shuffled.iso'))).titleInput(3))).luma).toEqual(from(80, 30))
  })
})

describe('angles that lie unit by unit between each other', () => {
  test('are each read by their own units', async () => {
    // Two discs of one cell are woven into one: a unit of the first, a unit of the second, and so on.
    const angle = (level: number): CellClip => ({
      video: `nullsrc=s=720x576:r=25,format=yuv420p,geq=lum='${level}+N':cb=128:cr=128,trim=end_frame=48,setsar=64/45`,
      frames: 48,
      audio: [],
    })
    const units: { data: Buffer; angle: number }[] = []
    for (const [number, level] of [20, 140].entries()) {
      const folder = at(`angle-${number + 1}`)
      await writeDiscFolder(folder, [
        { standard: 'PAL', aspect: '16:9', interlaced: false, languages: [], cells: [angle(level)], titles: [[0]] },
      ])
      const data = Buffer.concat([
        await readFile(path.join(folder, 'VIDEO_TS', 'VTS_01_1.VOB')),
        await readFile(path.join(folder, 'VIDEO_TS', 'VTS_01_2.VOB')),
      ])
      const starts = Array.from({ length: data.length / 2048 }, (_, sector) => sector).filter(
        sector => data.readUInt32BE(sector * 2048 + 0x26) === 0x1bf,
      )
      units.push(
        ...starts.map((start, index) => ({
          data: data.subarray(start * 2048, (starts[index + 1] ?? data.length / 2048) * 2048),
          angle: number + 1,
        })),
      )
    }
    const ofAngle = (number: number) => units.filter(unit => unit.angle === number)
    expect(ofAngle(1).length).toBeGreaterThan(3)
    expect(ofAngle(2)).toHaveLength(ofAngle(1).length)
    const woven = ofAngle(1).flatMap((unit, index) => [unit, ofAngle(2)[index]!])
    let sector = 0
    const placed = woven.map(unit => ({ ...unit, first: sector, last: (sector += unit.data.length / 2048) - 1 }))
    const cells = [1, 2].map((number): CellPlan => {
      const own = placed.filter(unit => unit.angle === number)
      return {
        vobId: number,
        cellId: 1,
        frames: 48,
        firstSector: own[0]!.first,
        lastUnitSector: own.at(-1)!.first,
        lastSector: own.at(-1)!.last,
        angle: { number, of: 2, isInterleaved: true },
      }
    })
    const plan: TitleSetPlan = {
      standard: 'PAL',
      aspect: '16:9',
      audio: [],
      subtitles: [],
      titles: [{ cells, chapters: [0], angles: 2 }],
      units: [],
      addresses: placed.map(unit => ({ vobId: unit.angle, cellId: 1, firstSector: unit.first, lastSector: unit.last })),
    }
    const inner = at('angles', 'VIDEO_TS')
    await mkdir(inner, { recursive: true })
    await writeFile(path.join(inner, 'VIDEO_TS.IFO'), managerTable([plan]))
    await writeFile(path.join(inner, 'VTS_01_0.IFO'), titleSetTable(plan))
    await writeFile(path.join(inner, 'VTS_01_1.VOB'), Buffer.concat(placed.map(unit => unit.data)))
    const disc = await OpenDisc.open(at('angles'))
    expect(await disc.describeTitle(1)).toMatchObject({ angles: 2, seconds: 1.92, problem: null })
    for (const [number, level] of [
      [1, 20],
      [2, 140],
    ] as const) {
      const { luma, times, errors } = await greys(await disc.titleInput(1, number))
      expect(luma).toEqual(from(level, 48))
      expect(new Set(times.slice(1).map((time, index) => time - times[index]!))).toEqual(new Set([3600]))
      expect(errors).toBe(0)
    }
  })
})

describe('bad discs', () => {
  test('tables that say another aspect than the picture: a remark', async () => {
    const cell: CellClip = {
      video: 'color=c=gray:s=720x576:r=25,trim=end_frame=25,format=yuv420p,setsar=16/15',
      frames: 25,
      audio: [],
    }
    await writeDiscFolder(at('aspect'), [
      { standard: 'PAL', aspect: '16:9', interlaced: false, languages: [], cells: [cell], titles: [[0]] },
    ])
    expect((await readFacts(await (await OpenDisc.open(at('aspect'))).titleInput(1))).remarks).toEqual([
      "The disc's tables say 16:9, the picture itself 4:3.",
    ])
    expect((await readFacts(await (await OpenDisc.open(at('authored'))).titleInput(3))).remarks).toEqual([])
  })

  test('an image cut short: its titles say what is missing, the others can be used', async () => {
    await copyFile(at('authored.iso'), at('short.iso'))
    // Within the last VOB file: behind it lie the copy of its table and padding.
    await truncate(at('short.iso'), (await placeInImage('VTS_02_1.VOB')) + 100_000)
    const { titles, main } = await (await OpenDisc.open(at('short.iso'))).describe()
    expect(titles.map(title => title.problem)).toEqual([
      null,
      null,
      expect.stringMatching(
        /^Title 3 is not all there: it needs .* of the files VTS_02_1\.VOB and following, which hold .*Read the disc again to its end\.$/,
      ),
    ])
    expect(main!.number).toBe(1)
    await expect((await OpenDisc.open(at('short.iso'))).titleInput(3)).rejects.toThrow('is not all there')
  })

  test('an image cut short before its files', async () => {
    await copyFile(at('authored.iso'), at('head.iso'))
    await truncate(at('head.iso'), await placeInImage('VTS_01_0.IFO'))
    const { titles, main } = await (await OpenDisc.open(at('head.iso'))).describe()
    expect(titles.map(title => title.problem)).toEqual(
      ['VTS_01_0.IFO', 'VTS_01_0.IFO', 'VTS_02_0.IFO'].map(
        name => `${name} is empty or cut short. Read the disc again.`,
      ),
    )
    expect(main).toBe(null)
    await truncate(at('head.iso'), (await placeInImage('VIDEO_TS.IFO')) + 1000)
    await expect(OpenDisc.open(at('head.iso'))).rejects.toThrow('VIDEO_TS.IFO is damaged or cut short')
    await truncate(at('head.iso'), 1000)
    await expect(OpenDisc.open(at('head.iso'))).rejects.toThrow('This is no image of a video disc')
  })

  test('a table that points outside its file; the other title set is still good', async () => {
    await cp(at('authored'), at('pointing'), { recursive: true })
    for (const ending of ['IFO', 'BUP']) {
      const file = at('pointing', 'VIDEO_TS', `VTS_01_0.${ending}`)
      const data = await readFile(file)
      data.writeUInt32BE(0x00ffffff, 0xcc)
      await writeFile(file, data)
    }
    const { titles, main } = await (await OpenDisc.open(at('pointing'))).describe()
    expect(titles[0]!.problem).toMatch(
      /^VTS_01_0\.IFO is damaged or cut short: a table in it points to byte 34359736320, but it holds \d+ bytes\. Read the disc again\.$/,
    )
    expect(titles[2]!.problem).toBe(null)
    expect(main!.number).toBe(3)
  })

  test('a damaged table is read from its copy', async () => {
    await cp(at('authored'), at('copied'), { recursive: true })
    await writeFile(at('copied', 'VIDEO_TS', 'VTS_01_0.IFO'), Buffer.alloc(4096))
    await rm(at('copied', 'VIDEO_TS', 'VIDEO_TS.IFO'))
    const { titles } = await (await OpenDisc.open(at('copied'))).describe()
    expect(titles.map(title => title.problem)).toEqual([null, null, null])
  })

  test('encrypted content is refused, not worked around', async () => {
    await cp(at('authored'), at('locked'), { recursive: true })
    const file = at('locked', 'VIDEO_TS', 'VTS_02_1.VOB')
    const data = await readFile(file)
    // The two scrambling bits of every packet with picture or sound, as on a protected disc.
    for (let sector = 0; sector < data.length; sector += 2048)
      if (data[sector + 17] === 0xe0 || data[sector + 17] === 0xbd) data[sector + 20]! |= 0x10
    await writeFile(file, data)
    const disc = await OpenDisc.open(at('locked'))
    expect((await disc.describe()).titles[2]!.problem).toBe(
      'The title is encrypted (its packs are scrambled). Hematine does not work around copy protection; ask for a disc or files without it.',
    )
    await expect(disc.titleInput(3)).rejects.toThrow('encrypted')
    expect((await disc.describe()).titles[0]!.problem).toBe(null)
  })

  test('what is no disc says so', async () => {
    await mkdir(at('empty', 'VIDEO_TS'), { recursive: true })
    await expect(OpenDisc.open(at('empty'))).rejects.toThrow(
      'This is no video disc: its VIDEO_TS holds no VIDEO_TS.IFO.',
    )
    await mkdir(at('plain'), { recursive: true })
    await expect(OpenDisc.open(at('plain'))).rejects.toThrow('This is no video disc: it holds no directory VIDEO_TS.')
    await writeFile(at('text.iso'), 'not a disc\n'.repeat(100_000))
    await expect(OpenDisc.open(at('text.iso'))).rejects.toThrow('This is no image of a video disc')
  })
})
