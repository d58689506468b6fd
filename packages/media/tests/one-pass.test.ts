import { readFile, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { deriveTreatment, judge, type CheckLine, type PictureSpec } from '@hematine/core'
import { FormatContext, type Frame, type Packet } from 'node-av/lib'
import { afterEach, beforeAll, describe, expect, test, vi } from 'vitest'
import { Encoder } from '../src/encoding/encoder.ts'
import { measureResult, readFacts, setUpLibraries, transcode, type MediaInput } from '../src/index.ts'
import { PictureProof } from '../src/proof/picture-proof.ts'
import { openGate, specOf } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
const source: MediaInput = { kind: 'file', path: path.join(scratch, 'source.mkv') }
const frames = 50

beforeAll(async () => {
  setUpLibraries()
  await writeClip({
    path: source.path,
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      filters: `testsrc2=s=320x240:r=25:d=${frames / 25},noise=alls=4:allf=t:all_seed=5,format=yuv420p,setsar=1`,
    },
    audio: [
      {
        encoder: 'pcm_s16le',
        filters: `anoisesrc=r=48000:d=${frames / 25}:c=pink:seed=3,aformat=sample_fmts=s16:channel_layouts=stereo`,
      },
    ],
  })
})
afterEach(() => {
  vi.restoreAllMocks()
})

/** Makes a result as a job does, lets somebody at its file before it is checked, and returns the lines that are no pass. */
async function made(spec: PictureSpec, spoil: (file: string) => Promise<void> = async () => undefined, input = source) {
  const facts = await readFacts(input)
  const outputPath = path.join(scratch, `${expect.getState().currentTestName!.replace(/\W+/g, '-')}.${spec.container}`)
  const plan = { input, facts, treatment: deriveTreatment(facts, spec), spec, outputPath }
  const { proved } = await transcode(plan, openGate, () => undefined)
  await spoil(outputPath)
  const check = judge(await measureResult({ ...plan, proved }, openGate, () => undefined), spec, plan.treatment)
  const line = (name: string): CheckLine | undefined => check.lines.find(entry => entry.name === name)
  return { check, line, faults: check.lines.filter(entry => entry.verdict === 'fail').map(entry => entry.name) }
}

/** Turns over one byte in the middle of the `number`th packet that a file holds of a stream. */
async function flipByte(file: string, packets: Packet[], number: number): Promise<void> {
  const bytes = await readFile(file)
  const { data } = packets[number]!
  const at = bytes.indexOf(data!.subarray(data!.length >> 1))
  expect(at).toBeGreaterThan(0)
  bytes[at]! ^= 0xff
  await writeFile(file, bytes)
}

/** Copies of the packets that are handed to the writer of a file. */
function watchWriter(stream: number): Packet[] {
  const packets: Packet[] = []
  const write = FormatContext.prototype.interleavedWriteFrame
  vi.spyOn(FormatContext.prototype, 'interleavedWriteFrame').mockImplementation(async function (
    this: FormatContext,
    packet,
  ) {
    if (packet?.streamIndex === stream) packets.push(packet.clone()!)
    return write.call(this, packet)
  })
  return packets
}

const specs = ['playback-box', 'small-mkv', 'open-web-webm', 'archive-master', 'editing-master'] as const

describe('a result that is what was made', () => {
  test.each(specs)('passes on all that was compared on its way (%s)', async key => {
    const { check, line, faults } = await made(specOf(key))
    expect(faults).toEqual([])
    expect(line('on the disk')).toMatchObject({ expected: `${frames} packets as compared`, verdict: 'pass' })
    expect(line('sound on the disk')!.verdict).toBe('pass')
    expect(line('order')!.verdict).toBe('pass')
    expect(line('sound likeness')!.verdict).toBe('pass')
    expect(check.measurement).toMatchObject({ treatedFrames: frames, framesCompared: frames })
  })

  test('is as like its source as decoding the file beside its source treated again finds it', async () => {
    const spec = specOf('playback-box')
    const facts = await readFacts(source)
    const plan = {
      input: source,
      facts,
      treatment: deriveTreatment(facts, spec),
      spec,
      outputPath: path.join(scratch, 'twice.mp4'),
    }
    const { proved } = await transcode(plan, openGate, () => undefined)
    const once = await measureResult({ ...plan, proved }, openGate, () => undefined)
    const twice = await measureResult(plan, openGate, () => undefined)
    expect(once.ssim).toEqual(twice.ssim)
    expect(once.xpsnr).toEqual(twice.xpsnr)
    expect(once.video).toEqual(twice.video)
    expect(once.account).toEqual(twice.account)
    expect(once.glances).toEqual(twice.glances)
    expect(once.sha256).toBe(twice.sha256)
  })

  test('says so where the memory held too few frames to compare all', async () => {
    const begin = PictureProof.begin.bind(PictureProof)
    vi.spyOn(PictureProof, 'begin').mockImplementation((encoder, treatment, gate, isWhole) => {
      const { width, height } = treatment.result.frame
      // Six frames in 4:2:0, of which an encoder that looks ahead holds back many more.
      return begin(encoder, treatment, gate, isWhole, 6 * width * height * 1.5)
    })
    const { check, line, faults } = await made(specOf('web-mp4'))
    expect(faults).toEqual([])
    const { framesCompared } = check.measurement
    expect(framesCompared).toBeGreaterThan(2)
    expect(framesCompared).toBeLessThan(frames / 2)
    expect(line('SSIM')!.found).toMatch(new RegExp(`, ${framesCompared} frames compared$`))
    expect(check.measurement.video.framesDecoded).toBe(frames)
  })
})

describe('a result that is not what was made fails', () => {
  test.each([
    ['archive-master', 17],
    ['web-mp4', 30],
  ] as const)('where a byte of its picture turned over on the disk (%s)', async (key, number) => {
    const packets = watchWriter(0)
    const { line, faults } = await made(specOf(key), file => flipByte(file, packets, number))
    expect(faults).toEqual(['on the disk'])
    expect(line('on the disk')!.reason).toMatch(
      /^The picture on the disk is not what was encoded and compared: 50 of 50 packets are there, 1 differ, the first at 0:0\d\.\d+\. Make it again, and look at the disk\.$/,
    )
  })

  test('where a byte of its sound turned over on the disk', async () => {
    const packets = watchWriter(1)
    const { faults } = await made(specOf('archive-master'), file => flipByte(file, packets, 5))
    expect(faults).toContain('sound on the disk')
  })

  test('where a packet did not reach the file', async () => {
    const write = FormatContext.prototype.interleavedWriteFrame
    let pictures = 0
    vi.spyOn(FormatContext.prototype, 'interleavedWriteFrame').mockImplementation(async function (
      this: FormatContext,
      packet,
    ) {
      return packet?.streamIndex === 0 && ++pictures === 21 ? 0 : write.call(this, packet)
    })
    const { line, faults } = await made(specOf('archive-master'))
    expect(faults).toContain('on the disk')
    expect(line('on the disk')!.reason).toMatch(/49 of 50 packets are there, 30 differ, the first at 0:00\.8/)
  })

  test('where two frames changed places before the encoder', async () => {
    const encode = Encoder.prototype.encode
    let [number, kept] = [0, null as Frame | null]
    vi.spyOn(Encoder.prototype, 'encode').mockImplementation(async function (this: Encoder, frame, take) {
      if (!frame?.isVideo()) return encode.call(this, frame, take)
      const at = number++
      if (at === 24) {
        kept = frame.clone()
        return
      }
      if (at !== 25 || !kept) return encode.call(this, frame, take)
      const { pts } = frame
      frame.pts = kept.pts
      await encode.call(this, frame, take)
      kept.pts = pts
      await encode.call(this, kept, take)
      kept.free()
    })
    const { line, faults } = await made(specOf('web-mp4'))
    expect(faults).toEqual(['order'])
    expect(line('order')!.reason).toBe(
      "Frames of the result stand in one another's place, the first at 0:01.0. Make it again.",
    )
  })

  test.each(['web-mp4', 'archive-master'])('where its sound was moved by 40 ms (%s)', async key => {
    const encode = Encoder.prototype.encode
    vi.spyOn(Encoder.prototype, 'encode').mockImplementation(async function (this: Encoder, frame, take) {
      if (frame && !frame.isVideo()) frame.pts += 1920n
      return encode.call(this, frame, take)
    })
    const { line, faults } = await made(specOf(key))
    expect(faults).toContain('sound likeness')
    expect(line('sound likeness')!.reason).toBe('The sound came out of its encoder 40 ms late. Make it again.')
  })

  test('where a piece of its sound was lost before the encoder', async () => {
    const encode = Encoder.prototype.encode
    let pieces = 0
    vi.spyOn(Encoder.prototype, 'encode').mockImplementation(async function (this: Encoder, frame, take) {
      if (frame && !frame.isVideo() && ++pieces === 20) return
      return encode.call(this, frame, take)
    })
    const { line, faults } = await made(specOf('web-mp4'))
    expect(faults).toEqual(['sound likeness'])
    expect(line('sound likeness')!.reason).toBe('0.021 s of the sound never came out of its encoder.')
  })

  test('where the eleventh of its sixteen channels was silenced', async () => {
    const many: MediaInput = { kind: 'file', path: path.join(scratch, 'sixteen.mov') }
    const channels = Array.from({ length: 16 }, (_, index) => `c${index}=${(index + 1) / 16}*c0`)
    await writeClip({
      path: many.path,
      format: 'mov',
      video: { encoder: 'prores_ks', filters: 'testsrc2=s=320x240:r=25:d=1,format=yuv422p10le,setsar=1' },
      audio: [
        {
          encoder: 'pcm_s16le',
          filters: `anoisesrc=r=48000:d=1:c=pink:seed=3,pan=16c|${channels.join('|')},aformat=sample_fmts=s16`,
        },
      ],
    })
    const whole = await made(specOf('editing-master'), undefined, many)
    expect(whole.check.measurement.audio[0]).toMatchObject({ channels: 16, likeness: { identical: true } })
    const encode = Encoder.prototype.encode
    vi.spyOn(Encoder.prototype, 'encode').mockImplementation(async function (this: Encoder, frame, take) {
      if (frame && !frame.isVideo()) {
        frame.makeWritable()
        const [plane] = frame.data!
        const samples = new Int32Array(plane!.buffer, plane!.byteOffset, frame.nbSamples * 16)
        for (let at = 10; at < samples.length; at += 16) samples[at] = 0
      }
      return encode.call(this, frame, take)
    })
    const spoilt = await made({ ...specOf('editing-master'), container: 'mkv' }, undefined, many)
    expect(spoilt.line('sound likeness')).toMatchObject({ verdict: 'fail', found: 'differs' })
  })

  test('where the parameters in a transport stream turned over on the disk, of which its slices know nothing', async () => {
    const spec: PictureSpec = { ...specOf('web-mp4'), container: 'ts', tags: undefined }
    const { faults } = await made(spec, async file => {
      const bytes = await readFile(file)
      // ITU-T H.264 7.3.2.1: the last set of parameters of a sequence, a bit in the middle of what it says of use.
      const at = bytes.lastIndexOf(Buffer.from([0, 0, 1, 0x67]))
      expect(at).toBeGreaterThan(0)
      bytes[at + 20]! ^= 1
      await writeFile(file, bytes)
    })
    expect(faults).toContain('on the disk')
  })

  test('where the container alone calls its colours by another matrix', async () => {
    const { line, faults } = await made(specOf('editing-master'), async file => {
      const bytes = await readFile(file)
      // ISO/IEC 14496-12, 12.1.5: primaries, transfer and matrix behind the type of the description. ProRes states its own in each frame.
      const at = bytes.indexOf('colrncl')
      expect(at).toBeGreaterThan(0)
      bytes.writeUInt16BE(9, at + 8 + 4)
      await writeFile(file, bytes)
    })
    expect(faults).toEqual(['container colours'])
    expect(line('container colours')!.reason).toMatch(/^Players that go by the container would show other colours/)
  })

  test('where the file calls its colours by another matrix', async () => {
    const { faults } = await made(specOf('archive-master'), async file => {
      const bytes = await readFile(file)
      // MatrixCoefficients of one byte (RFC 9559, 5.1.4.1.28.17); FFV1 itself states no matrix.
      const at = bytes.indexOf(Buffer.from([0x55, 0xb1, 0x81]))
      expect(at).toBeGreaterThan(0)
      bytes[at + 3] = 9
      await writeFile(file, bytes)
    })
    expect(faults).toEqual(['colour tags', 'container colours'])
  })

  test('where its encoder was told another matrix', async () => {
    const video = Encoder.video.bind(Encoder)
    vi.spyOn(Encoder, 'video').mockImplementation((spec, treatment, rate) => {
      const { result } = treatment
      const colour = { ...result.colour, matrix: 'bt2020nc' } as const
      return video(spec, { ...treatment, result: { ...result, colour } }, rate)
    })
    const { faults } = await made(specOf('web-mp4'))
    expect(faults).toEqual(['colour tags', 'container colours'])
  })
})
