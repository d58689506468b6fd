import { copyFile, mkdir, readFile, rename, truncate, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { findSequences, rational, type NumberedSequence } from '@hematine/core'
import { readdir } from 'node:fs/promises'
import { beforeAll, describe, expect, test } from 'vitest'
import { posterFrame, readFacts, setUpLibraries, type MediaInput } from '../src/index.ts'
import { demoSource, writeClip, writeCountingClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
const file = (name: string): MediaInput => ({ kind: 'file', path: name })
beforeAll(() => setUpLibraries())

describe('facts of material whose making is known', () => {
  test('a wide 576i program stream with two sound tracks', async () => {
    const facts = await readFacts(file(await demoSource('disc')))
    expect(facts.container).toBe('MPEG program stream')
    expect(facts.video).toMatchObject({
      codec: 'mpeg2video',
      width: 720,
      height: 576,
      pixelAspect: { num: 64, den: 45 },
      frameRate: { num: 25, den: 1 },
      rateIs: 'constant',
      frameCount: 350,
      scan: { kind: 'interlaced', firstField: 'top' },
      bitDepth: 8,
      chroma: '4:2:0',
      colour: { primaries: 'bt470bg', transfer: 'smpte170m', matrix: 'bt470bg' },
    })
    expect(facts.durationSeconds).toBeCloseTo(14, 1)
    expect(facts.audio.map(track => [track.codec, track.channels, track.sampleRate, track.bitsPerSecond])).toEqual([
      ['ac3', 2, 48_000, 192_000],
      ['ac3', 2, 48_000, 192_000],
    ])
  })

  test('a small old AVI at 15 fps', async () => {
    const facts = await readFacts(file(await demoSource('interview')))
    expect(facts.container).toBe('AVI')
    expect(facts.video).toMatchObject({
      codec: 'mpeg4',
      width: 320,
      height: 240,
      frameRate: { num: 15, den: 1 },
      frameCount: 300,
      scan: { kind: 'progressive', firstField: null },
    })
    expect(facts.audio).toMatchObject([{ codec: 'mp3', channels: 1, sampleRate: 44_100 }])
  })

  test('a 525-line DV capture, bottom field first, in 4:1:1', async () => {
    const facts = await readFacts(file(await demoSource('tape')))
    expect(facts.container).toBe('DV')
    expect(facts.video).toMatchObject({
      codec: 'dvvideo',
      width: 720,
      height: 480,
      pixelAspect: { num: 8, den: 9 },
      frameRate: { num: 30000, den: 1001 },
      scan: { kind: 'interlaced', firstField: 'bottom' },
      chroma: '4:1:1',
    })
    // Seven seconds at 30000/1001 are 209.8 frames.
    expect([209, 210]).toContain(facts.video!.frameCount)
  })

  test('a numbered sequence has the rate it is given and the bytes of all its files', async () => {
    const directory = await demoSource('sequence')
    const sequence = findSequences(await readdir(directory)).sequences[0]!
    const facts = await readFacts({ kind: 'sequence', directory, sequence, frameRate: rational(24) })
    expect(facts).toMatchObject({
      container: 'pictures',
      durationSeconds: 2,
      video: {
        codec: 'png',
        width: 1920,
        height: 1080,
        frameRate: { num: 24, den: 1 },
        frameCount: 48,
        frameCountFrom: 'files',
        isRgb: true,
      },
    })
    const sizes = await Promise.all(
      (await readdir(directory)).map(async name => (await readFile(path.join(directory, name))).length),
    )
    expect(facts.bytes).toBe(sizes.reduce((sum, size) => sum + size, 0))
  })

  test('language tags are read where the container has them', async () => {
    const facts = await readFacts(file(await demoSource('cutShort')))
    // Its index promises ten seconds; what of them can be read is counted.
    expect(facts).toMatchObject({
      promised: { frames: 250 },
      video: { codec: 'h264', width: 640, height: 360, frameCountFrom: 'packets' },
    })
    expect(facts.video!.frameCount).toBeLessThan(160)
  })
})

describe('odd names', () => {
  test.each(['it\'s "quoted".mkv', 'Åse – 灯台.mkv', 'two\nlines.mkv', '100 %d of it.mkv', 'file:with:colons.mkv'])(
    '%j is opened like any other',
    async name => {
      const target = path.join(scratch, name)
      await writeCountingClip(target, 5)
      expect((await readFacts(file(target))).video!.frameCount).toBe(5)
    },
  )

  test('a sequence in a directory with a percent sign', async () => {
    const directory = path.join(scratch, '50% grey')
    await mkdir(directory)
    const source = await demoSource('sequence')
    for (const number of [1, 2, 3])
      await copyFile(path.join(source, `approach-000${number}.png`), path.join(directory, `take 5%02d ${number}.png`))
    const sequence = findSequences(await readdir(directory)).sequences[0]!
    expect(
      (await readFacts({ kind: 'sequence', directory, sequence, frameRate: rational(25) })).video!.frameCount,
    ).toBe(3)
  })
})

describe('what cannot be used says why', () => {
  test.each([
    ["text with a film's ending", 'notes.mov', 'Fog from the west.\n'.repeat(500), 'The file cannot be opened'],
    ['an empty file', 'empty.mp4', '', 'The file is empty.'],
    [
      'noise',
      'noise.mpg',
      Buffer.from(Array.from({ length: 60_000 }, (_, index) => (index * 7919 + (index >> 3) * 31) % 251)),
      '',
    ],
    [
      'a playlist that points elsewhere',
      'list.mov',
      '#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:10,\n/etc/passwd\n',
      '',
    ],
    ['a list of files', 'list.mkv', 'ffconcat version 1.0\nfile /etc/hostname\n', ''],
  ])('%s', async (_, name, content, sentence) => {
    const target = path.join(scratch, name)
    await writeFile(target, content)
    const problem = await readFacts(file(target)).then(
      () => null,
      (error: Error) => error,
    )
    expect(problem?.name).toBe('MediaError')
    expect(problem!.message).toMatch(/^[A-Z].*\.$/)
    expect(problem!.message).toContain(sentence)
  })

  test('a file that is not there', async () => {
    await expect(readFacts(file(path.join(scratch, 'nowhere.mp4')))).rejects.toThrow(/not there|no such file/)
  })

  test('a film of which only a scrap is left is read as far as it goes, and the damage is remarked', async () => {
    const target = path.join(scratch, 'scrap.mpg')
    await copyFile(await demoSource('disc'), target)
    await truncate(target, 2048)
    expect((await readFacts(file(target))).remarks).toEqual(['The decoder reported 1 error in the first frame.'])
  })

  test('a sequence with a gap names the missing frames; the frame before stands in for them', async () => {
    const directory = path.join(scratch, 'gap')
    await mkdir(directory)
    const source = await demoSource('sequence')
    for (const number of [1, 2, 5])
      await copyFile(path.join(source, `approach-000${number}.png`), path.join(directory, `g-${number}.png`))
    const sequence: NumberedSequence = findSequences(await readdir(directory)).sequences[0]!
    const facts = await readFacts({ kind: 'sequence', directory, sequence, frameRate: rational(25) })
    expect(facts).toMatchObject({
      durationSeconds: 0.2,
      video: { frameCount: 5 },
      missingFrames: [{ from: 2, to: 3 }],
      remarks: ['Frames 3-4 are missing; the frame before stands in for them.'],
    })
    expect(facts.arriving).toBeUndefined()
  })

  test('frames of another size are named as ranges', async () => {
    const directory = path.join(scratch, 'sizes')
    await mkdir(directory)
    const part = (name: string, size: string, count: number, first: number) =>
      writeClip({
        path: path.join(directory, name),
        format: 'image2',
        formatOptions: { start_number: String(first) },
        video: { encoder: 'png', filters: `color=c=gray:s=${size}:r=25,trim=end_frame=${count},format=rgb24` },
        audio: [],
      })
    await part('s-%03d.png', '64x48', 8, 1)
    await part('s-%03d.png', '32x24', 2, 9)
    await part('s-%03d.png', '64x48', 1, 11)
    await part('s-%03d.png', '80x60', 1, 12)
    const sequence = findSequences(await readdir(directory)).sequences[0]!
    await expect(readFacts({ kind: 'sequence', directory, sequence, frameRate: rational(25) })).rejects.toThrow(
      'The frames are not of one size: most are 64x48; frames 9-10 are 32x24; frame 12 is 80x60. Render those again, or move them into a folder of their own.',
    )
  })

  test.each([
    ['TIFF of 8 bit', 'tiff', 'tif', 'rgb24', 8],
    ['TIFF of 16 bit', 'tiff', 'tif', 'rgb48le', 16],
    ['JPEG', 'mjpeg', 'jpg', 'yuvj420p', 8],
    ['OpenEXR of half floats', 'exr', 'exr', 'gbrpf32le', 32],
    ['DPX of 10 bit', 'dpx', 'dpx', 'gbrp10be', 10],
  ])('a sequence of %s, numbered in tens', async (name, encoder, ending, pixelFormat, depth) => {
    const directory = path.join(scratch, name)
    await mkdir(directory)
    await writeClip({
      path: path.join(directory, `t-%02d.${ending}`),
      format: 'image2',
      formatOptions: { start_number: '1' },
      video: {
        encoder,
        ...(encoder === 'exr' ? { options: { format: 'half' } } : {}),
        filters: `testsrc=s=64x48:r=25,trim=end_frame=4,format=${pixelFormat}`,
      },
      audio: [],
    })
    for (const number of [4, 3, 2, 1])
      await rename(path.join(directory, `t-0${number}.${ending}`), path.join(directory, `t-${number}0.${ending}`))
    const sequence = findSequences(await readdir(directory)).sequences[0]!
    expect(sequence).toMatchObject({ first: 10, last: 40, step: 10, missing: [] })
    const input: MediaInput = { kind: 'sequence', directory, sequence, frameRate: rational(24) }
    expect(await readFacts(input)).toMatchObject({
      durationSeconds: 4 / 24,
      video: { width: 64, height: 48, frameCount: 4, bitDepth: encoder === 'exr' ? expect.any(Number) : depth },
    })
    expect(await posterFrame(input, (await readFacts(input)).video!, 4 / 24)).toBeInstanceOf(Buffer)
  })

  test('a wrong ending does not matter: content decides', async () => {
    const made = path.join(scratch, 'really.mkv')
    await writeCountingClip(made, 4)
    const named = path.join(scratch, 'really.avi')
    await rename(made, named)
    expect(await readFacts(file(named))).toMatchObject({ container: 'MKV', video: { codec: 'ffvhuff' } })
  })
})

test('a poster shows the picture in its right shape', async () => {
  const disc = file(await demoSource('disc'))
  const facts = await readFacts(disc)
  const poster = await posterFrame(disc, facts.video!, facts.durationSeconds)
  const { default: sharp } = await import('sharp')
  const picture = await sharp(poster).metadata()
  expect(picture).toMatchObject({ format: 'webp', width: 480, height: 270 })
})

describe('huge heads', () => {
  const box = (size: number, name: string, ...parts: Buffer[]) =>
    Buffer.concat([
      Buffer.from([size >>> 24, (size >>> 16) & 255, (size >>> 8) & 255, size & 255]),
      Buffer.from(name, 'latin1'),
      ...parts,
    ])
  const number = (value: number, little = false) => {
    const bytes = Buffer.alloc(4)
    if (little) bytes.writeUInt32LE(value)
    else bytes.writeUInt32BE(value)
    return bytes
  }
  const chunk = (name: string, data: Buffer) =>
    Buffer.concat([Buffer.from(name, 'latin1'), number(data.length, true), data])

  test.each([
    [
      'an MP4 whose index claims two gigabytes and as many samples',
      'claims.mp4',
      Buffer.concat([
        box(16, 'ftyp', Buffer.from('isom'), number(512)),
        box(
          0x7fffffff,
          'moov',
          box(0x7ffffff0, 'trak', box(0x7fffff00, 'stsz', number(0), number(0), number(0x7fffffff))),
        ),
      ]),
    ],
    [
      'a PNG of a hundred thousand pixels each way',
      'claims.png',
      Buffer.concat([
        Buffer.from([0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10]),
        number(13),
        Buffer.from('IHDR'),
        number(100_000),
        number(100_000),
        Buffer.from([8, 2, 0, 0, 0, 0, 0, 0, 0]),
      ]),
    ],
    [
      'an AVI whose list claims four gigabytes',
      'claims.avi',
      Buffer.concat([
        Buffer.from('RIFF'),
        number(0xfffffff0, true),
        Buffer.from('AVI LIST'),
        number(0xffffffe0, true),
        Buffer.from('hdrlavih'),
        number(0xffffffd0, true),
      ]),
    ],
    [
      'a Matroska whose element claims all that can be claimed',
      'claims.mkv',
      Buffer.from([
        0x1a,
        0x45,
        0xdf,
        0xa3,
        0x01,
        0x7f,
        0xff,
        0xff,
        0xff,
        0xff,
        0xff,
        0xff,
        0x42,
        0x82,
        0x88,
        ...Buffer.from('matroska'),
      ]),
    ],
  ])('%s is refused with a sentence, quickly and without the memory', async (_, name, data) => {
    const target = path.join(scratch, name)
    await writeFile(target, data)
    const [before, begun] = [process.memoryUsage().rss, performance.now()]
    await expect(readFacts(file(target))).rejects.toThrow(/^(The file|The streams|The picture).*\.$/)
    expect(performance.now() - begun).toBeLessThan(5000)
    expect(process.memoryUsage().rss - before).toBeLessThan(300e6)
  })

  test('a WAV with sixty megabytes of remarks before its sound is read like any other', async () => {
    const target = path.join(scratch, 'remarks.wav')
    const format = Buffer.from([1, 0, 1, 0, 0x80, 0xbb, 0, 0, 0, 0x77, 1, 0, 2, 0, 16, 0])
    const body = Buffer.concat([
      Buffer.from('WAVE'),
      chunk('fmt ', format),
      chunk('LIST', Buffer.concat([Buffer.from('INFO'), chunk('ICMT', Buffer.alloc(60_000_000, 'a'))])),
      chunk('data', Buffer.alloc(96_000 * 2)),
    ])
    await writeFile(target, Buffer.concat([Buffer.from('RIFF'), number(body.length, true), body]))
    expect(await readFacts(file(target))).toMatchObject({
      container: 'WAV',
      durationSeconds: 2,
      audio: [{ codec: 'pcm_s16le', channels: 1, sampleRate: 48_000 }],
    })
  })
})
