import { createHash } from 'node:crypto'
import { readFile, rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import {
  deliveredFacts,
  deriveTreatment,
  extentOf,
  forecastJob,
  judge,
  type Container,
  type PictureSpec,
} from '@hematine/core'
import { AVMEDIA_TYPE_VIDEO } from 'node-av/constants'
import { FormatContext, Frame, type Packet } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { measureResult, measureSample, readFacts, setUpLibraries, transcode, type MediaInput } from '../src/index.ts'
import { OpenDisc } from '../src/discs/disc.ts'
import { slicesOf } from '../src/proof/packet-content.ts'
import { StreamDecoder } from '../src/reading/decoder.ts'
import { writeAuthoredDisc } from '../../../tests/support/discs.ts'
import { makeAndCheck, openGate } from '../../../tests/support/jobs.ts'
import { writeClip } from '../../../tests/support/material.ts'
import { rewrap } from '../../../tests/support/rewrap.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** Pictures that stay as they are, packet by packet: results are decoded here by the library alone and held against their sources, frame by frame. */
const scratch = scratchDirectory()
const at = (name: string) => path.join(scratch, name)
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: at(name) })
const moving = 'testsrc2=s=320x180:r=25:d=4,noise=alls=8:allf=t:all_seed=3,setsar=1'
const sound =
  "aevalsrc='0.4*sin(2*PI*(200+300*t)*t)|0.3*sin(2*PI*(900-250*t)*t)':s=48000:d=4,aformat=sample_fmts=fltp:channel_layouts=stereo"

/** A clip without sound, of another shape. */
const writeOdd = (name: string, format: string, filters: string) =>
  writeClip({
    path: at(name),
    format,
    video: {
      encoder: 'libx264',
      bitRate: 900_000,
      keyframeDistance: 20,
      options: { preset: 'veryfast', bf: '3' },
      filters,
    },
    audio: [],
  })

/** A clip whose pictures are decoded in another order than they are shown in. */
const write = (
  name: string,
  format: string,
  encoder: string,
  pixelFormat: string,
  options: Record<string, string> = {},
) =>
  writeClip({
    path: at(name),
    format,
    video: { encoder, bitRate: 900_000, keyframeDistance: 20, options, filters: `${moving},format=${pixelFormat}` },
    audio: [{ encoder: 'aac', bitRate: 128_000, filters: sound, language: 'eng' }],
  })

beforeAll(async () => {
  setUpLibraries()
  await write('h264.mp4', 'mp4', 'libx264', 'yuv420p', { preset: 'veryfast', bf: '3' })
  await write('hevc.mkv', 'matroska', 'libx265', 'yuv420p10le', {
    preset: 'ultrafast',
    'x265-params': 'bframes=3:log-level=none',
  })
  await write('mpeg2.ts', 'mpegts', 'mpeg2video', 'yuv420p', { bf: '2' })
  await write('h264.ts', 'mpegts', 'libx264', 'yuv420p', { preset: 'veryfast', bf: '3' })
  await writeOdd('odd.mkv', 'matroska', 'testsrc2=s=321x181:r=25:d=2,format=yuv444p,setsar=1')
  await writeOdd('two.mkv', 'matroska', 'testsrc2=s=320x180:r=25:d=0.08,format=yuv420p,setsar=1')
  await write('ffv1.mkv', 'matroska', 'ffv1', 'yuv422p10le', { level: '3' })
})

/** A sum of each frame as it is shown, with its time from the first, in seconds. */
async function framesOf(input: MediaInput & { kind: 'file' | 'title' }): Promise<{ sum: string; at: number }[]> {
  const decoder = await StreamDecoder.openBest(input, AVMEDIA_TYPE_VIDEO)
  const frame = new Frame()
  frame.alloc()
  const frames: { sum: string; ticks: number }[] = []
  while (await decoder.next(frame)) {
    frames.push({ sum: createHash('md5').update(frame.toBuffer()).digest('hex'), ticks: Number(frame.pts) })
    frame.unref()
  }
  frame.free()
  const { num, den } = decoder.timeBase
  await decoder.close()
  return frames.map(({ sum, ticks }) => ({ sum, at: ((ticks - frames[0]!.ticks) * num) / den }))
}

/** Changes the bytes of a packet; setting them anew forgets its times. */
function replaceData(packet: Packet, change: (data: Buffer) => void): void {
  const { pts, dts, duration, flags, streamIndex } = packet
  const data = Buffer.from(packet.data!)
  change(data)
  packet.data = data
  Object.assign(packet, { pts, dts, duration, flags, streamIndex })
}

function copying(container: Container, codec = 'h264', video: Partial<PictureSpec['video']> = {}): PictureSpec {
  const plain = pictureSpec(container, codec, 'aac')
  return {
    ...plain,
    audio: { ...plain.audio!, copied: 'where it fits' },
    video: { ...plain.video, scan: 'as source', copied: 'in any codec', ...video },
  }
}

describe('a picture that nothing has to be done to', () => {
  test.each<[string, Container, string]>([
    ['h264.mp4', 'mkv', 'h264'],
    ['h264.mp4', 'ts', 'h264'],
    ['h264.ts', 'mp4', 'h264'],
    ['h264.ts', 'mkv', 'h264'],
    ['hevc.mkv', 'mov', 'hevc'],
    ['hevc.mkv', 'ts', 'hevc'],
    ['mpeg2.ts', 'mkv', 'mpeg2video'],
    ['mpeg2.ts', 'mp4', 'mpeg2video'],
    ['ffv1.mkv', 'mkv', 'ffv1'],
  ])('goes from %s into %s with every frame at its time', async (name, container, codec) => {
    const to = `${name}.${container}`
    const { check, treatment } = await makeAndCheck(fileAt(name), copying(container), at(to))
    expect(treatment.copied).toBe(true)
    expect(check.lines.filter(line => line.verdict !== 'pass')).toEqual([])
    const [source, result] = [await framesOf(fileAt(name)), await framesOf(fileAt(to))]
    expect(result.map(({ sum }) => sum)).toEqual(source.map(({ sum }) => sum))
    for (const [index, { at: seconds }] of result.entries()) expect(seconds).toBeCloseTo(source[index]!.at, 2)
    const { video, audio } = await readFacts(fileAt(to))
    expect([video!.codec, audio.length, audio[0]!.codec]).toEqual([codec, 1, 'aac'])
    const size = (await readFile(at(to))).length
    // What was encoded anew would not come so near; transport streams have heads on each 184 bytes.
    expect(size / (await readFile(at(name))).length).toBeLessThan(container === 'ts' ? 1.6 : 1.05)
  })

  test('of a disc becomes MKV with its shape and sound', async () => {
    const folder = at('disc')
    await writeAuthoredDisc(folder, 'testsrc2=s=720x576:r=25:d=3,format=yuv420p,setsar=64/45', [
      'sine=frequency=300:sample_rate=48000:duration=3',
    ])
    const input = await (await OpenDisc.open(folder)).titleInput(1)
    const { check, treatment } = await makeAndCheck(input, { ...copying('mkv'), keepsChapters: true }, at('disc.mkv'))
    expect(treatment.copied).toBe(true)
    expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    expect((await framesOf(fileAt('disc.mkv'))).map(({ sum }) => sum)).toEqual(
      (await framesOf(input)).map(({ sum }) => sum),
    )
    const { video, audio } = await readFacts(fileAt('disc.mkv'))
    expect([video!.codec, video!.pixelAspect, audio[0]!.codec]).toEqual(['mpeg2video', { num: 64, den: 45 }, 'ac3'])
  })

  test('of a file that was cut short is copied as far as it goes', async () => {
    const whole = await readFile(at('ffv1.mkv'))
    await writeFile(at('cut.mkv'), whole.subarray(0, Math.round(whole.length * 0.6)))
    const { check, treatment, facts } = await makeAndCheck(fileAt('cut.mkv'), copying('mkv'), at('cut.out.mkv'))
    expect(treatment.copied).toBe(true)
    expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    expect(facts.video!.frameCount).toBeLessThan(70)
    const frames = await framesOf(fileAt('cut.out.mkv'))
    expect(frames.map(({ sum }) => sum)).toEqual((await framesOf(fileAt('cut.mkv'))).map(({ sum }) => sum))
  })

  test('in another codec than the spec wants is encoded where only what fits is copied', async () => {
    const wanted = copying('mp4', 'h264', { copied: 'where it fits' })
    const { check, treatment } = await makeAndCheck(fileAt('hevc.mkv'), wanted, at('encoded.mp4'))
    expect(treatment.copied).toBeUndefined()
    expect(treatment.notes![0]).toBe('The picture is in HEVC, and Pair wants H.264: it is encoded.')
    expect(check.verdict).not.toBe('fail')
    expect((await readFacts(fileAt('encoded.mp4'))).video!.codec).toBe('h264')
  })

  test('of odd sides is copied, though no encoder for discs and the web takes it', async () => {
    for (const container of ['mkv', 'mp4'] as const) {
      const { check, treatment } = await makeAndCheck(fileAt('odd.mkv'), copying(container), at(`odd.out.${container}`))
      expect(treatment.copied).toBe(true)
      expect(check.lines.filter(line => line.verdict !== 'pass')).toEqual([])
      const { video } = await readFacts(fileAt(`odd.out.${container}`))
      expect([video!.width, video!.height, video!.chroma]).toEqual([321, 181, '4:4:4'])
    }
  })

  test('of few frames a second stays in step in a transport stream, whose times begin late', async () => {
    await writeClip({
      path: at('slow.mp4'),
      format: 'mp4',
      video: {
        encoder: 'libx264',
        bitRate: 300_000,
        options: { preset: 'veryfast', bf: '3' },
        filters: 'testsrc2=s=160x120:r=8:d=4,format=yuv420p,setsar=1',
      },
      audio: [{ encoder: 'aac', bitRate: 128_000, filters: sound }],
    })
    const { check } = await makeAndCheck(fileAt('slow.mp4'), copying('ts'), at('slow.ts'))
    expect((await readFacts(fileAt('slow.ts'))).video!.startTicks / 90_000).toBeGreaterThan(0.2)
    expect(check.lines.filter(line => line.verdict !== 'pass')).toEqual([])
  })

  test('that leaves its colours open keeps them open; its container states what they are taken for', async () => {
    const facts = await readFacts(fileAt('h264.mp4'))
    expect(facts.video!.colour).toMatchObject({ primaries: null, transfer: null, matrix: null })
    await makeAndCheck(fileAt('h264.mp4'), copying('mkv'), at('open.mkv'))
    const headOf = async (name: string) => {
      const container = new FormatContext()
      await container.openInput(at(name), null, null)
      const { extradata, colorPrimaries, colorTrc, colorSpace } = container.streams[0]!.codecpar
      const head = { bytes: extradata!.toString('hex'), tags: [colorPrimaries, colorTrc, colorSpace].map(Number) }
      await container.closeInput()
      return head
    }
    const [source, result] = [await headOf('h264.mp4'), await headOf('open.mkv')]
    expect(result.bytes).toBe(source.bytes)
    // ITU-T H.273: unspecified is 2; of standard definition BT.601 is 6 (SMPTE 170M), of 25 frames a second its primaries are 5 (BT.470 B, G).
    expect(source.tags).toEqual([2, 2, 2])
    expect([5, 6]).toContain(result.tags[0])
    expect(result.tags.slice(1)).toEqual([6, 6])
  })

  test.each([
    [
      'picture',
      true,
      [
        ['decodes', 'look'],
        ['source decodes', 'look'],
      ],
    ],
    ['sound', false, [['sound decodes', 'look']]],
  ] as const)(
    'of a source whose %s is damaged has the damage, and is to be looked at',
    async (what, isPicture, lines) => {
      await rewrap(at('h264.mp4'), at(`damaged-${what}.mkv`), 'matroska', {
        change: (packet, number, ofPicture) => {
          if (ofPicture !== isPicture || number < 30 || number > 33) return
          replaceData(packet, data => {
            for (let byte = 12; byte < data.length; byte++) data[byte] = (data[byte]! * 7 + 13) & 255
          })
        },
      })
      const to = `damaged-${what}.out.mkv`
      const { check } = await makeAndCheck(fileAt(`damaged-${what}.mkv`), copying('mkv'), at(to))
      expect(check.lines.filter(line => line.verdict !== 'pass').map(({ name, verdict }) => [name, verdict])).toEqual(
        lines,
      )
      expect((await framesOf(fileAt(to))).map(({ sum }) => sum)).toEqual(
        (await framesOf(fileAt(`damaged-${what}.mkv`))).map(({ sum }) => sum),
      )
    },
  )

  test.each<[string, Container]>([
    ['h264.mp4', 'mkv'],
    ['hevc.mkv', 'ts'],
    ['mpeg2.ts', 'mp4'],
    ['two.mkv', 'mp4'],
  ])('is forecast from its own packets: %s in %s', async (name, container) => {
    const spec = copying(container)
    const facts = await readFacts(fileAt(name))
    const treatment = deriveTreatment(facts, spec)
    const plan = { input: fileAt(name), facts: deliveredFacts(facts, treatment), treatment, spec }
    const sample = await measureSample(
      { ...plan, scratchDirectory: scratch, machine: 'this one' },
      openGate,
      () => undefined,
    )
    const forecast = forecastJob(sample, extentOf(plan))
    const result = `forecast.${container}`
    await rm(at(result), { force: true })
    await transcode({ ...plan, outputPath: at(result) }, openGate, () => undefined)
    const { length } = await readFile(at(result))
    expect(length).toBeGreaterThan(forecast.bytes.low)
    expect(length).toBeLessThan(forecast.bytes.high)
    // Of something copied so little is unknown.
    expect(forecast.bytes.high / forecast.bytes.low).toBeLessThan(1.09)
    expect(forecast.quality).toEqual({ xpsnr: null, worstXpsnr: null, ssim: 1 })
  })
})

describe('a copy that is not the same', () => {
  const spec = copying('mkv')
  async function linesOf(result: string): Promise<[string, string][]> {
    const facts = await readFacts(fileAt('h264.mp4'))
    const treatment = deriveTreatment(facts, spec)
    const plan = { input: fileAt('h264.mp4'), facts: deliveredFacts(facts, treatment), treatment, spec }
    await writeFile(at('result.mkv'), await readFile(at(result)))
    const measured = await measureResult({ ...plan, outputPath: at('result.mkv') }, openGate, () => undefined)
    return judge(measured, spec, treatment, { facts, findings: [] })
      .lines.filter(line => line.verdict === 'fail')
      .map(line => [line.name, line.found])
  }
  const changed = async (name: string, change: Parameters<typeof rewrap>[3]) => {
    await makeAndCheck(fileAt('h264.mp4'), spec, at(`${name}.whole.mkv`))
    await rewrap(at(`${name}.whole.mkv`), at(name), 'matroska', change)
    return linesOf(name)
  }

  test('for a byte of a picture', async () => {
    const lines = await changed('byte.mkv', {
      change: (packet, number, isPicture) => {
        if (!isPicture || number !== 30) return
        replaceData(packet, data => (data[data.length - 8]! ^= 0xff))
      },
    })
    expect(lines).toContainEqual(['picture untouched', '100, 1 of them others'])
  })

  test('for a picture that is missing', async () => {
    const lines = await changed('missing.mkv', { change: (_, number, isPicture) => !(isPicture && number === 50) })
    expect(lines).toContainEqual(['picture untouched', expect.stringContaining('99')])
  })

  test('for pictures that are shown later', async () => {
    const lines = await changed('late.mkv', {
      timeBase: { num: 1, den: 1000 },
      change: (packet, number, isPicture) => {
        if (isPicture && number >= 60) {
          packet.pts += 80n
          packet.dts += 80n
        }
      },
    })
    expect(lines.map(([name]) => name)).toContain('picture untouched')
  })
})

describe('slices of a packet', () => {
  const [sps, idr, next] = [Buffer.from([0x67, 1, 2]), Buffer.from([0x65, 0, 0, 3, 9]), Buffer.from([0x41, 7])]

  test('are the same by start codes and by lengths, whatever lies between them (ITU-T H.264 annex B; ISO/IEC 14496-15)', () => {
    const code = (length: number) => Buffer.from([...Array<number>(length - 1).fill(0), 1])
    const byCodes = Buffer.concat([code(4), Buffer.from([9, 0x10]), code(4), sps, code(3), idr, code(3), next])
    const byLengths = (bytes: number) =>
      Buffer.concat(
        [idr, next].flatMap(unit => [Buffer.from([...Array<number>(bytes - 1).fill(0), unit.length]), unit]),
      )
    expect(slicesOf('h264', null)(byCodes)).toEqual([idr, next])
    for (const bytes of [1, 2, 4])
      expect(slicesOf('h264', Buffer.from([1, 100, 0, 31, 0xfc | (bytes - 1), 0xe1]))(byLengths(bytes))).toEqual([
        idr,
        next,
      ])
  })

  test('of other codecs are the packet', () => {
    expect(slicesOf('ffv1', null)(sps)).toEqual([sps])
  })
})
