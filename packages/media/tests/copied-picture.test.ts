import { createHash } from 'node:crypto'
import { readFile, writeFile } from 'node:fs/promises'
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
import { Frame } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { measureResult, measureSample, readFacts, silenceLibraries, transcode, type MediaInput } from '../src/index.ts'
import { OpenDisc } from '../src/discs/disc.ts'
import { slicesOf } from '../src/checking/slices.ts'
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
  silenceLibraries()
  await write('h264.mp4', 'mp4', 'libx264', 'yuv420p', { preset: 'veryfast', bf: '3' })
  await write('hevc.mkv', 'matroska', 'libx265', 'yuv420p10le', {
    preset: 'ultrafast',
    'x265-params': 'bframes=3:log-level=none',
  })
  await write('mpeg2.ts', 'mpegts', 'mpeg2video', 'yuv420p', { bf: '2' })
  await write('h264.ts', 'mpegts', 'libx264', 'yuv420p', { preset: 'veryfast', bf: '3' })
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

  test('is forecast to within what its container adds, from its own packets', async () => {
    const spec = copying('mkv')
    const facts = await readFacts(fileAt('h264.mp4'))
    const treatment = deriveTreatment(facts, spec)
    const plan = { input: fileAt('h264.mp4'), facts: deliveredFacts(facts, treatment), treatment, spec }
    const sample = await measureSample(
      { ...plan, scratchDirectory: scratch, machine: 'this one' },
      openGate,
      () => undefined,
    )
    const forecast = forecastJob(sample, extentOf(plan))
    await transcode({ ...plan, outputPath: at('forecast.mkv') }, openGate, () => undefined)
    const { length } = await readFile(at('forecast.mkv'))
    // The sound is a guess from its middle; of half a megabyte it is a fifth.
    expect(Math.abs(forecast.bytes.expected / length - 1)).toBeLessThan(0.015)
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
        const data = Buffer.from(packet.data!)
        data[data.length - 8]! ^= 0xff
        const { pts, dts, duration, flags, streamIndex } = packet
        packet.data = data
        Object.assign(packet, { pts, dts, duration, flags, streamIndex })
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
