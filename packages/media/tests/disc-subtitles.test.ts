import { mkdir, readdir, readFile, stat, writeFile } from 'node:fs/promises'
import path from 'node:path'
import sharp from 'sharp'
import { deriveTreatment, type PictureSpec, type PlannedSubtitleFile, type Step } from '@hematine/core'
import {
  AV_CODEC_ID_ASS,
  AV_CODEC_ID_DVD_SUBTITLE,
  AV_CODEC_ID_HDMV_PGS_SUBTITLE,
  AV_CODEC_ID_SUBRIP,
} from 'node-av/constants'
import { FormatContext, Frame } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { readFacts, setUpLibraries, transcode } from '../src/index.ts'
import { openSubtitleFile } from '../src/encoding/subtitle-files.ts'
import { OpenDisc } from '../src/discs/disc.ts'
import { readPlanes } from '../src/ground/frame-planes.ts'
import { openFrames } from '../src/reading/frame-reader.ts'
import { makeAndCheck } from '../../../tests/support/jobs.ts'
import { writeProgramStream } from '../../../tests/support/discs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { runProgram } from '../../../tests/support/programs.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'
import { addSubtitles, packetsOfSubtitles } from '../../../tests/support/subtitled.ts'

/** Subtitles of a disc that another program authored: two languages, on the disc as pictures, with chapters. */
const scratch = scratchDirectory()
const at = (name: string) => path.join(scratch, name)
const red = { r: 200, g: 40, b: 40 }

async function writeText(name: string, left: number): Promise<void> {
  const letter = await sharp({ create: { width: 80, height: 40, channels: 4, background: { ...red, alpha: 1 } } })
    .png()
    .toBuffer()
  await sharp({ create: { width: 720, height: 576, channels: 4, background: { r: 0, g: 0, b: 0, alpha: 0 } } })
    .composite([{ input: letter, left, top: 480 }])
    .png({ palette: true, colours: 4 })
    .toFile(at(name))
}

beforeAll(async () => {
  setUpLibraries()
  await writeProgramStream(at('bare.mpg'), 'testsrc2=s=720x576:r=25:d=8,format=yuv420p,setsar=64/45', [
    'sine=frequency=300:sample_rate=48000:duration=8',
  ])
  let file = at('bare.mpg')
  for (const [stream, times] of [
    [0, ['00:00:01.00', '00:00:04.00', '00:00:06.00']],
    [1, ['00:00:02.00', '00:00:05.00']],
  ] as const) {
    const spus = []
    for (const [index, start] of times.entries()) {
      await writeText(`text-${stream}-${index}.png`, 100 + 120 * index)
      const end = start.replace('.00', '.75')
      spus.push(`<spu start="${start}" end="${end}" image="${at(`text-${stream}-${index}.png`)}"/>`)
    }
    await writeFile(
      at(`spu-${stream}.xml`),
      `<subpictures format="PAL"><stream>${spus.join('')}</stream></subpictures>`,
    )
    const next = at(`with-${stream}.mpg`)
    await writeFile(
      next,
      runProgram(
        'spumux',
        ['-P', '-s', String(stream), at(`spu-${stream}.xml`)],
        { VIDEO_FORMAT: 'PAL' },
        await readFile(file),
      ),
    )
    file = next
  }
  await mkdir(at('authored'))
  await writeFile(
    at('author.xml'),
    `<dvdauthor dest="${at('authored')}"><vmgm/>
    <titleset><titles><video format="pal" aspect="16:9"/><audio lang="en"/><subpicture lang="nl"/><subpicture lang="de"/>
      <pgc><vob file="${file}" chapters="0,3.0,5.5"/></pgc><pgc><vob file="${file}"/><vob file="${file}"/></pgc></titles></titleset></dvdauthor>`,
  )
  runProgram('dvdauthor', ['-x', at('author.xml')], { VIDEO_FORMAT: 'PAL' })
  await writeClip({
    path: at('plain.mkv'),
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      filters: 'color=c=black:s=320x240:r=10:d=3,format=yuv420p,setsar=1',
    },
    audio: [],
  })
})

const title = async (number = 1) => (await OpenDisc.open(at('authored'))).titleInput(number)
const spec = {
  ...pictureSpec('mkv', 'h264', 'ac3', { kind: 'constant quality', value: 30 }),
  keepsChapters: true,
}

describe('subtitles and chapters of a disc', () => {
  test('are carried into MKV with languages, times, colours and chapters', async () => {
    const input = await title()
    const made = await makeAndCheck(input, { ...spec, subtitles: { shown: 'none' } }, at('kept.mkv'))
    expect(made.check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    const result = await readFacts({ kind: 'file', path: at('kept.mkv') })
    expect(result.subtitles.map(({ codec, language }) => [codec, language])).toEqual([
      ['dvd_subtitle', 'nl'],
      ['dvd_subtitle', 'de'],
    ])
    const tracks = await packetsOfSubtitles(at('kept.mkv'))
    expect(tracks.map(track => track.codec)).toEqual([AV_CODEC_ID_DVD_SUBTITLE, AV_CODEC_ID_DVD_SUBTITLE].map(Number))
    const near = (seconds: number) => expect.closeTo(seconds, 1) as number
    expect(tracks.map(track => track.packets.map(packet => packet.at))).toEqual([
      [near(1), near(4), near(6)],
      [near(2), near(5)],
    ])
    // A unit of subtitles begins with its own length in two bytes.
    for (const { data } of tracks.flatMap(track => track.packets)) expect(data.readUInt16BE(0)).toBe(data.length)
    // A chapter of a disc begins with the unit of pictures that the wished second lies in.
    expect(result.chapters!.map(({ from }) => from)).toEqual(
      [0, 3, 5.5].map(seconds => expect.closeTo(seconds, 0) as number),
    )

    const file = new FormatContext()
    await file.openInput(at('kept.mkv'), null, null)
    await file.findStreamInfo(null)
    const head = file.streams[2]!.codecpar.extradata!.toString()
    await file.closeInput()
    expect(head).toMatch(/^size: 720x576\npalette: ([0-9a-f]{6}, ){15}[0-9a-f]{6}\n$/)
    // The colour of the text, up to what the way to luma and colour differences of 8 bits takes.
    const colours = head
      .split('palette: ')[1]!
      .trim()
      .split(', ')
      .map(code => Number.parseInt(code, 16))
    const isRed = (code: number) =>
      [red.r, red.g, red.b].every((value, index) => Math.abs(((code >> (16 - 8 * index)) & 255) - value) <= 4)
    expect(colours.some(isRed)).toBe(true)
  })

  test('run on where the disc counts its times anew', async () => {
    const made = await makeAndCheck(await title(2), { ...spec, subtitles: { shown: 'none' } }, at('twice.mkv'))
    expect(made.check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    const [dutch] = await packetsOfSubtitles(at('twice.mkv'))
    // The same eight seconds, played twice.
    const times = [1, 4, 6].flatMap(seconds => [seconds, seconds + 8]).sort((a, b) => a - b)
    expect(dutch!.packets.map(packet => packet.at)).toEqual(times.map(seconds => expect.closeTo(seconds, 0) as number))
  })

  test('of one language alone stay, and none is kept in a container without room for pictures of text', async () => {
    const input = await title()
    const one = await makeAndCheck(input, { ...spec, subtitles: { languages: ['de'], shown: 'first' } }, at('one.mkv'))
    expect(one.check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    expect((await packetsOfSubtitles(at('one.mkv'))).map(track => track.packets.length)).toEqual([2])
    const mp4 = {
      ...pictureSpec('mp4', 'h264', 'aac', { kind: 'constant quality' as const, value: 30 }),
      subtitles: { shown: 'none' as const },
    }
    const none = await makeAndCheck(input, mp4, at('none.mp4'))
    expect((await packetsOfSubtitles(at('none.mp4'))).length).toBe(0)
    expect(none.treatment.notes).toContain('Subtitles 1 (Dutch, DVD bitmaps) stay out: MP4 holds no pictures of text.')
  })
})

describe('subtitles of a disc as files', () => {
  test('are an index and its pictures for each language, where the container cannot hold them', async () => {
    const input = await title()
    const mp4: PictureSpec = {
      ...pictureSpec('mp4', 'h264', 'aac', { kind: 'constant quality', value: 30 }),
      subtitles: { shown: 'none', files: 'what it cannot hold' },
    }
    const made = await makeAndCheck(input, mp4, at('beside.mp4'))
    expect(made.check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    expect((await readdir(at('beside.mp4.beside'))).sort()).toEqual(
      ['de.idx', 'de.sub', 'nl.idx', 'nl.sub'].map(name => `result.${name}`),
    )
    // The library reads an index with what lies beside it: the same pictures at the same times as it reads from MKV.
    await makeAndCheck(input, { ...spec, subtitles: { shown: 'none' } }, at('held.mkv'))
    const held = await packetsOfSubtitles(at('held.mkv'))
    for (const [index, language] of ['nl', 'de'].entries()) {
      const file = at(`beside.mp4.beside/result.${language}.idx`)
      const [track, ...others] = await packetsOfSubtitles(file)
      expect(others).toEqual([])
      expect(track!.packets.map(({ data }) => data)).toEqual(held[index]!.packets.map(({ data }) => data))
      expect(track!.packets.map(packet => packet.at)).toEqual(
        held[index]!.packets.map(packet => expect.closeTo(packet.at, 2) as number),
      )
      expect(await readFile(file, 'utf8')).toMatch(
        new RegExp(
          `\nsize: 720x576\npalette: ([0-9a-f]{6}, ){15}[0-9a-f]{6}\nlangidx: 0\n\nid: ${language}, index: 0\n`,
        ),
      )
    }
  })

  test('of every length fill packs of 2048 bytes, and are read as they were, at any hour', async () => {
    const file: PlannedSubtitleFile = {
      ...{ position: 0, from: 'dvd_subtitle', to: 'dvd_subtitle', language: null, title: null, roles: [] },
      ...{ added: '', endings: ['idx', 'sub'] },
    }
    const frame = { width: 720, height: 576 }
    const sink = await openSubtitleFile(at('packs.mkv'), file, { head: null, frame })
    // A pack of one piece has room for 2048 - 14 - 9 - 5 - 1 bytes, the next for five more.
    const lengths = [...Array.from({ length: 24 }, (_, more) => 2000 + more), 4041, 4042, 4043, 9000, 65_000]
    const hour = 3_600_000
    const units = lengths.map((length, index) => {
      const data = Buffer.alloc(length, index + 1)
      data.writeUInt16BE(length, 0)
      return { data, at: index * 1000 + (index > 10 ? 25 * hour : 0) }
    })
    for (const { data, at } of units) await sink.write(data, at, null)
    await sink.finish()
    const { size } = await stat(at('packs.mkv.beside/result.sub'))
    expect(size % 2048).toBe(0)
    const [track] = await packetsOfSubtitles(at('packs.mkv.beside/result.idx'))
    expect(track!.packets.map(packet => Math.round(packet.at * 1000))).toEqual(units.map(unit => unit.at))
    for (const [index, { data }] of track!.packets.entries())
      expect(Buffer.compare(data, units[index]!.data), `${lengths[index]} bytes`).toBe(0)
  })
})

describe('sound of a disc that meets the spec', () => {
  test('stays untouched, with subtitles and chapters beside it', async () => {
    const copying: PictureSpec = {
      ...spec,
      audio: { ...spec.audio!, copied: 'where it fits' },
      subtitles: { shown: 'none' },
    }
    const made = await makeAndCheck(await title(), copying, at('untouched.mkv'))
    expect(made.check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    expect(made.treatment.notes).toContain('All sound is copied untouched.')
    const { copy, codec } = made.check.measurement.audio[0]!
    expect(codec).toBe('ac3')
    // Eight seconds of packets of 1536 samples.
    expect(copy).toEqual({ packets: 250, sourcePackets: 250, different: 0 })
  })
})

describe('subtitles that are burnt in', () => {
  /** The planes of a frame, as the file gives it. */
  async function frameOf(file: string, frame: number) {
    const input = { kind: 'file' as const, path: file }
    const { video } = await readFacts(input)
    const reader = await openFrames(input, video!.streamIndex)
    const decoded = new Frame()
    decoded.alloc()
    for (let number = 0; number <= frame; number++) {
      decoded.unref()
      expect(await reader.next(decoded)).toBe(true)
    }
    const planes = readPlanes(decoded)
    decoded.free()
    await reader.close()
    return planes
  }

  /** Mean of the planes in a region of a frame, as the result shows it. */
  async function looksAt(file: string, frame: number, area: { x: number; y: number; width: number; height: number }) {
    const { planes } = await frameOf(file, frame)
    return planes.map(({ data, width }, plane) => {
      const part = plane === 0 ? 1 : 2
      let [sum, count] = [0, 0]
      for (let y = area.y / part; y < (area.y + area.height) / part; y++)
        for (let x = area.x / part; x < (area.x + area.width) / part; x++, count++)
          sum += data[Math.floor(y) * width + Math.floor(x)]!
      return sum / count
    })
  }
  // The red of the text in BT.601: luma 16 + 219 (0.299 R + 0.587 G + 0.114 B), and so on.
  const luma = 0.299 * red.r + 0.587 * red.g + 0.114 * red.b
  const coded = [
    16 + (219 * luma) / 255,
    128 + (112 * (red.b - luma)) / (0.886 * 255),
    128 + (112 * (red.r - luma)) / (0.701 * 255),
  ]
  const isRed = coded.map(code => expect.closeTo(code, -1) as number)
  const inside = (index: number) => ({ x: 100 + 120 * index + 8, y: 488, width: 64, height: 24 })
  const lossless = pictureSpec('mkv', 'ffv1', 'flac')

  test('of a disc stand where and when the disc shows them, in its colours', async () => {
    const input = await title()
    const step: Step = { kind: 'burn-subtitles', language: 'nl', which: 'all', size: 5 }
    const made = await makeAndCheck(input, lossless, at('burnt.mkv'), [step])
    expect(made.check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    // Shown from 1 to 1.75 s, from 4 to 4.75 s, from 6 to 6.75 s.
    expect(await looksAt(at('burnt.mkv'), 30, inside(0))).toEqual(isRed)
    expect(await looksAt(at('burnt.mkv'), 110, inside(1))).toEqual(isRed)
    expect(await looksAt(at('burnt.mkv'), 30, inside(1))).not.toEqual(isRed)
    expect(await looksAt(at('burnt.mkv'), 20, inside(0))).not.toEqual(isRed)
    expect(await looksAt(at('burnt.mkv'), 50, inside(0))).not.toEqual(isRed)
  })

  test('follow a trim, and a result that is begun in its middle has them too', async () => {
    const input = await title()
    const steps: Step[] = [
      { kind: 'trim', ranges: [{ from: 3, to: 7 }] },
      { kind: 'burn-subtitles', language: 'nl', which: 'all', size: 5 },
    ]
    await makeAndCheck(input, lossless, at('burnt-cut.mkv'), steps)
    expect(await looksAt(at('burnt-cut.mkv'), 35, inside(1))).toEqual(isRed)
    expect(await looksAt(at('burnt-cut.mkv'), 10, inside(1))).not.toEqual(isRed)
    const facts = await readFacts(input)
    const treatment = deriveTreatment(facts, lossless, steps)
    const stretch = { firstFrame: 30, frames: 20 }
    await transcode(
      { input, facts, treatment, spec: lossless, outputPath: at('stretch.mkv'), stretch },
      { turn: async () => undefined },
      () => undefined,
    )
    expect(await looksAt(at('stretch.mkv'), 5, inside(1))).toEqual(isRed)
    expect(await looksAt(at('stretch.mkv'), 19, inside(1))).not.toEqual(isRed)
  })

  // A display set of presentation graphics: a rectangle of 40x20 at 100, 180 of 320x240, in one colour.
  const two = (value: number) => [value >> 8, value & 255]
  const segment = (type: number, body: number[]) => [type, ...two(body.length), ...body]
  const line = [0, 0x80 | 40, 1, 0, 0]
  const drawing = Array.from({ length: 20 }, () => line).flat()
  const graphics = (isShown: boolean) =>
    Buffer.from([
      ...segment(0x16, [
        ...[...two(320), ...two(240), 0x10, 0, 1, 0x80, 0, 0, isShown ? 1 : 0],
        ...(isShown ? [...two(7), 0, 0, ...two(100), ...two(180)] : []),
      ]),
      ...(isShown ? segment(0x14, [0, 0, 1, 200, 100, 90, 255]) : []),
      ...(isShown
        ? segment(0x15, [...two(7), 0, 0xc0, 0, ...two(drawing.length + 4), ...two(40), ...two(20), ...drawing])
        : []),
      ...segment(0x80, []),
    ])

  test.each(['yuv420p', 'yuv422p10le', 'yuv444p12le', 'gbrp16le'])(
    'of presentation graphics change nothing of a picture in %s but where they are',
    async format => {
      const source = at(`ground-${format}.mkv`)
      await writeClip({
        path: at(`bare-${format}.mkv`),
        format: 'matroska',
        video: {
          encoder: losslessEncoder,
          filters: `testsrc2=s=320x240:r=10:d=2,noise=alls=12:all_seed=5,format=${format},setsar=1`,
        },
        audio: [],
      })
      await addSubtitles(at(`bare-${format}.mkv`), source, 'matroska', [
        {
          codec: AV_CODEC_ID_HDMV_PGS_SUBTITLE,
          packets: [
            { at: 0.5, seconds: 0, data: graphics(true) },
            { at: 1.5, seconds: 0, data: graphics(false) },
          ],
        },
      ])
      const step: Step = { kind: 'burn-subtitles', language: '', which: 'all', size: 5 }
      const made = await makeAndCheck({ kind: 'file', path: source }, lossless, at(`graphics-${format}.mkv`), [step])
      expect(made.check.lines.filter(line => line.verdict === 'fail')).toEqual([])
      const [before, after] = [await frameOf(source, 10), await frameOf(at(`graphics-${format}.mkv`), 10)]
      const bits = format.endsWith('le') ? Number(/(1[026])le$/.exec(format)![1]) : 8
      const [across, down] = /420/.test(format) ? [2, 2] : /422/.test(format) ? [2, 1] : [1, 1]
      let outside = 0
      for (const [index, plane] of after.planes.entries()) {
        const [u, v] = index === 0 ? [1, 1] : [across, down]
        for (const [place, value] of plane.data.entries()) {
          const [x, y] = [place % plane.width, Math.floor(place / plane.width)]
          const isInside = x >= 100 / u && x < 140 / u && y >= 180 / v && y < 200 / v
          if (!isInside && value !== before.planes[index]!.data[place]) outside++
        }
        // Y, Cb and Cr of the palette are 200, 90 and 100; of red, green and blue each has its own.
        if (!format.startsWith('g')) {
          const middle = plane.data[Math.floor(190 / v) * plane.width + Math.floor(120 / u)]!
          expect(Math.abs(middle / 2 ** (bits - 8) - [200, 90, 100][index]!)).toBeLessThanOrEqual(2)
        }
      }
      expect(outside).toBe(0)
      // Taken away again, it leaves nothing.
      const [source16, result16] = [await frameOf(source, 16), await frameOf(at(`graphics-${format}.mkv`), 16)]
      expect(
        result16.planes.every((plane, index) =>
          Buffer.from(plane.data.buffer).equals(Buffer.from(source16.planes[index]!.data.buffer)),
        ),
      ).toBe(true)
    },
  )

  test('of scripted text keep its own style and place', async () => {
    const head =
      '[Script Info]\nScriptType: v4.00+\nPlayResX: 320\nPlayResY: 240\n\n[V4+ Styles]\nFormat: Name, Fontname, Fontsize, PrimaryColour, SecondaryColour, OutlineColour, BackColour, Bold, Italic, Underline, StrikeOut, ScaleX, ScaleY, Spacing, Angle, BorderStyle, Outline, Shadow, Alignment, MarginL, MarginR, MarginV, Encoding\nStyle: Top,Sans,40,&H0000FF00,&H0000FF00,&H00000000,&H00000000,0,0,0,0,100,100,0,0,1,0,0,8,0,0,0,1\n\n[Events]\nFormat: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text\n'
    await addSubtitles(at('plain.mkv'), at('scripted.mkv'), 'matroska', [
      {
        codec: AV_CODEC_ID_ASS,
        head: Buffer.from(head),
        packets: [{ at: 1, seconds: 1, data: Buffer.from('0,0,Top,,0,0,0,,MMMM') }],
      },
    ])
    const step: Step = { kind: 'burn-subtitles', language: '', which: 'all', size: 5 }
    await makeAndCheck({ kind: 'file', path: at('scripted.mkv') }, lossless, at('styled.mkv'), [step])
    // Green, which lowers both colour differences, at the top; nothing at the foot.
    const top = await looksAt(at('styled.mkv'), 15, { x: 100, y: 0, width: 120, height: 40 })
    expect(top[0]).toBeGreaterThan(30)
    expect([top[1]! < 120, top[2]! < 120]).toEqual([true, true])
    expect((await looksAt(at('styled.mkv'), 15, { x: 40, y: 180, width: 240, height: 60 }))[0]).toBe(16)
  })

  test('of text are set at the foot of the picture while they are shown; a source without any is told', async () => {
    await addSubtitles(at('plain.mkv'), at('told.mkv'), 'matroska', [
      {
        codec: AV_CODEC_ID_SUBRIP,
        language: 'eng',
        packets: [{ at: 1, seconds: 1, data: Buffer.from('The {lamp} is <i>lit</i>') }],
      },
    ])
    const step: Step = { kind: 'burn-subtitles', language: '', which: 'all', size: 10 }
    const input = { kind: 'file' as const, path: at('told.mkv') }
    await makeAndCheck(input, lossless, at('set.mkv'), [step])
    const foot = { x: 60, y: 190, width: 200, height: 30 }
    const [shown, before] = [await looksAt(at('set.mkv'), 15, foot), await looksAt(at('set.mkv'), 5, foot)]
    expect(before).toEqual([16, 128, 128])
    expect(shown[0]).toBeGreaterThan(25)
    expect((await looksAt(at('set.mkv'), 15, { x: 60, y: 20, width: 200, height: 100 }))[0]).toBe(16)
    expect((await looksAt(at('set.mkv'), 25, foot))[0]).toBe(16)

    const none = await makeAndCheck({ kind: 'file', path: at('plain.mkv') }, lossless, at('unset.mkv'), [step])
    expect(none.treatment.notes).toContain('No subtitles are burnt in: this source has none.')
    expect(none.check.measurement.identical).toBe(true)
  })
})
