import { readFile, writeFile } from 'node:fs/promises'
import path from 'node:path'
import {
  copiesSound,
  deliveredFacts,
  deriveTreatment,
  extentOf,
  forecastJob,
  specProblems,
  withContainer,
  type Container,
  type PictureSpec,
  type Step,
} from '@hematine/core'
import { FormatContext, Packet } from 'node-av/lib'
import { AVMEDIA_TYPE_AUDIO } from 'node-av/constants'
import { beforeAll, describe, expect, test } from 'vitest'
import { measureSample, readFacts, setUpLibraries, type MediaInput } from '../src/index.ts'
import { makeAndCheck, openGate } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** Sound that meets a spec as it is stays the source's own: packets are held against packets here, read by the library alone. */
const scratch = scratchDirectory()
const at = (name: string) => path.join(scratch, name)
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: at(name) })
// Neither a tone nor noise: what is moved or lost is found.
const sound = "aevalsrc='0.4*sin(2*PI*(200+300*t)*t)|0.3*sin(2*PI*(900-250*t)*t)':s=48000:d=4"

beforeAll(async () => {
  setUpLibraries()
  await writeClip({
    path: at('two.mkv'),
    format: 'matroska',
    video: { encoder: losslessEncoder, filters: 'testsrc2=s=160x120:r=25:d=4,format=yuv420p,setsar=1' },
    audio: [
      {
        encoder: 'ac3',
        bitRate: 192_000,
        filters: `${sound},aformat=sample_fmts=fltp:channel_layouts=stereo`,
        language: 'eng',
      },
      {
        encoder: 'aac',
        bitRate: 128_000,
        filters: `${sound},aformat=sample_fmts=fltp:channel_layouts=stereo`,
        language: 'deu',
      },
    ],
  })
  await writeClip({
    path: at('stream.ts'),
    format: 'mpegts',
    video: {
      encoder: 'mpeg2video',
      bitRate: 2_000_000,
      filters: 'testsrc2=s=160x128:r=25:d=4,format=yuv420p,setsar=1',
    },
    audio: [{ encoder: 'aac', bitRate: 128_000, filters: `${sound},aformat=sample_fmts=fltp:channel_layouts=stereo` }],
  })
})

async function packetsOf(file: string, track: number): Promise<Buffer[]> {
  const input = new FormatContext()
  await input.openInput(file, null, null)
  await input.findStreamInfo(null)
  const { index } = input.streams.filter(stream => stream.codecpar.codecType === AVMEDIA_TYPE_AUDIO)[track]!
  const packet = new Packet()
  packet.alloc()
  const packets: Buffer[] = []
  while ((await input.readFrame(packet)) >= 0) {
    if (packet.streamIndex === index) packets.push(Buffer.from(packet.data!))
    packet.unref()
  }
  packet.free()
  await input.closeInput()
  return packets
}

const copying = (container: Container, codec: string): PictureSpec => {
  const spec = pictureSpec(container, 'h264', codec, { kind: 'constant quality', value: 30 })
  return { ...spec, audio: { ...spec.audio!, copied: 'where it fits' } }
}
const failing = ({ check }: Awaited<ReturnType<typeof makeAndCheck>>) =>
  check.lines.filter(line => line.verdict === 'fail')

describe('sound that meets the spec as it is', () => {
  test('is the source’s own, packet by packet, in whatever codec the container holds', async () => {
    const spec = copying('mkv', 'opus')
    expect(specProblems(spec)).toEqual([])
    const made = await makeAndCheck(fileAt('two.mkv'), spec, at('kept.mkv'))
    expect(failing(made)).toEqual([])
    expect(made.treatment.notes).toContain('All sound is copied untouched.')
    for (const track of [0, 1])
      expect(await packetsOf(at('kept.mkv'), track)).toEqual(await packetsOf(at('two.mkv'), track))
    const { audio } = await readFacts(fileAt('kept.mkv'))
    expect(audio.map(({ codec, language, roles }) => [codec, language, roles])).toEqual([
      ['ac3', 'eng', ['default']],
      ['aac', 'deu', undefined],
    ])
    expect(made.check.lines.filter(line => line.name.includes('untouched')).map(line => line.verdict)).toEqual([
      'pass',
      'pass',
    ])
  })

  test.each([
    ['dca', 'dts', 1_536_000],
    ['mp2', 'mp2', 192_000],
  ])('stays in MKV although it is never encoded here: %s', async (encoder, key, bitRate) => {
    await writeClip({
      path: at(`${key}.mkv`),
      format: 'matroska',
      video: {
        encoder: losslessEncoder,
        filters: 'testsrc2=s=160x120:r=25:d=4,format=yuv420p,setsar=1',
      },
      audio: [
        {
          encoder,
          options: { strict: '-2' },
          bitRate,
          filters: `${sound},aformat=sample_fmts=${encoder === 'mp2' ? 's16' : 's32'}:channel_layouts=stereo`,
        },
      ],
    })
    const made = await makeAndCheck(fileAt(`${key}.mkv`), copying('mkv', 'opus'), at(`kept-${key}.mkv`))
    expect(failing(made)).toEqual([])
    expect(made.check.measurement.audio[0]!.codec).toBe(key)
    expect(await packetsOf(at(`kept-${key}.mkv`), 0)).toEqual(await packetsOf(at(`${key}.mkv`), 0))
  })

  test('loses the heads that only a stream needs, and nothing else', async () => {
    const made = await makeAndCheck(fileAt('stream.ts'), copying('mp4', 'aac'), at('headless.mp4'))
    expect(failing(made)).toEqual([])
    const [source, result] = [await packetsOf(at('stream.ts'), 0), await packetsOf(at('headless.mp4'), 0)]
    // A head of ADTS has seven bytes.
    expect(result.map(data => data.toString('hex'))).toEqual(
      source.slice(source.length - result.length).map(data => data.subarray(7).toString('hex')),
    )
    expect(source.length - result.length).toBeLessThanOrEqual(3)
  })

  test('is forecast as large as it is', async () => {
    const [input, spec] = [fileAt('two.mkv'), copying('mkv', 'opus')]
    const facts = await readFacts(input)
    const treatment = deriveTreatment(facts, spec)
    const plan = { input, facts: deliveredFacts(facts, treatment), treatment, spec }
    const sample = await measureSample(
      { ...plan, scratchDirectory: scratch, machine: 'test' },
      openGate,
      () => undefined,
    )
    // 192 and about 128 kbit/s.
    expect(sample.soundBytesPerSecond).toBeGreaterThan(0.95 * 24_000 + 0.7 * 16_000)
    expect(sample.soundBytesPerSecond).toBeLessThan(1.05 * 24_000 + 1.2 * 16_000)
    expect(forecastJob(sample, extentOf({ spec, treatment })).bytes.expected).toBeGreaterThan(4 * 24_000)
  })

  test('that is another than the source’s is found', async () => {
    const spec = copying('mkv', 'opus')
    const made = await makeAndCheck(fileAt('two.mkv'), spec, at('whole.mkv'))
    // One bit of one packet in the file, changed by hand.
    const [packet] = (await packetsOf(at('whole.mkv'), 0)).slice(40)
    const bytes = await readFile(at('whole.mkv'))
    const place = bytes.indexOf(packet!) + 100
    bytes[place] = bytes[place]! ^ 1
    await writeFile(at('changed.mkv'), bytes)
    const { comparePackets } = await import('../src/checking/check-copy.ts')
    const facts = await readFacts(fileAt('two.mkv'))
    const sums = []
    for (const index of [0, 1])
      sums.push(
        await comparePackets(
          { input: fileAt('two.mkv'), facts },
          facts.audio[index]!.streamIndex,
          { input: fileAt('changed.mkv'), streamIndex: made.facts.audio[index]!.streamIndex },
          openGate,
        ),
      )
    expect(sums.reduce((sum, { different }) => sum + different, 0)).toBe(1)
  })
})

describe('sound that does not', () => {
  const wanted = copying('mkv', 'flac')
  const facts = () => readFacts(fileAt('two.mkv'))
  const copies = async (spec: PictureSpec, steps: readonly Step[] = []) => {
    const known = await facts()
    const treatment = deriveTreatment(known, spec, steps)
    return known.audio.map(track => copiesSound(track, known, spec, treatment))
  }

  test('is encoded: another rate, more channels, steps, a trim, a container without its codec, no wish for it', async () => {
    expect(await copies(wanted)).toEqual([true, true])
    expect(await copies({ ...wanted, audio: { ...wanted.audio!, sampleRate: 44_100 } })).toEqual([false, false])
    expect(await copies({ ...wanted, audio: { ...wanted.audio!, maxChannels: 1 } })).toEqual([false, false])
    expect(await copies(wanted, [{ kind: 'sound-denoise', strength: 'light' }])).toEqual([false, false])
    expect(await copies(wanted, [{ kind: 'trim', ranges: [{ from: 1, to: 3 }] }])).toEqual([false, false])
    expect(await copies(copying('mov', 'pcm_s24le'))).toEqual([true, true])
    expect(await copies({ ...copying('webm', 'opus'), video: wanted.video })).toEqual([false, false])
    const { copied: _, ...encoded } = wanted.audio!
    expect(await copies({ ...wanted, audio: encoded })).toEqual([false, false])
  })

  test('is wished for only beside a moving picture', () => {
    expect(withContainer(wanted, 'mka').audio?.copied).toBeUndefined()
    expect(withContainer(wanted, 'images').audio?.copied).toBeUndefined()
    expect(withContainer(wanted, 'mp4').audio?.copied).toBe('where it fits')
  })

  test('is encoded while its sister is copied', async () => {
    const mixed = copying('mp4', 'aac')
    const only = { ...mixed, audio: { ...mixed.audio!, maxChannels: 1 } }
    const made = await makeAndCheck(fileAt('two.mkv'), only, at('mixed.mp4'))
    expect(failing(made)).toEqual([])
    expect(made.treatment.notes).toContain('No sound track meets the spec as it is; all are encoded.')
  })
})

describe('sound of more than two channels', () => {
  const six = Array.from(
    { length: 6 },
    (_, channel) => `0.1*sin(2*PI*(${150 + 90 * channel}+${40 * (channel + 1)}*t)*t)`,
  ).join('|')
  const surround = (language: string) => ({
    encoder: 'ac3',
    bitRate: 384_000,
    filters: `aevalsrc='${six}':s=48000:d=3:c=5.1,aformat=sample_fmts=fltp`,
    language,
  })
  const stereo = (language: string) => ({
    encoder: 'ac3',
    bitRate: 192_000,
    filters: `${sound},atrim=duration=3,aformat=sample_fmts=fltp:channel_layouts=stereo`,
    language,
  })
  const beside: PictureSpec = { ...copying('mkv', 'aac') }
  const wanted: PictureSpec = { ...beside, audio: { ...beside.audio!, maxChannels: 6, stereoBeside: true } }

  beforeAll(() =>
    writeClip({
      path: at('six.mkv'),
      format: 'matroska',
      video: {
        encoder: losslessEncoder,
        filters: 'testsrc2=s=160x120:r=25:d=3,format=yuv420p,setsar=1',
      },
      audio: [surround('eng'), surround('deu'), stereo('deu')],
    }),
  )

  test('is followed by one in stereo, unless its language has one; itself it stays untouched', async () => {
    expect(specProblems(wanted)).toEqual([])
    const made = await makeAndCheck(fileAt('six.mkv'), wanted, at('beside.mkv'))
    expect(failing(made)).toEqual([])
    const { audio } = await readFacts(fileAt('beside.mkv'))
    expect(audio.map(({ codec, channels, language, title }) => [codec, channels, language, title])).toEqual([
      ['ac3', 6, 'eng', null],
      ['aac', 2, 'eng', 'Stereo'],
      ['ac3', 6, 'deu', null],
      ['ac3', 2, 'deu', null],
    ])
    expect(await packetsOf(at('beside.mkv'), 0)).toEqual(await packetsOf(at('six.mkv'), 0))
    expect(made.check.measurement.audio.map(track => track.channels)).toEqual([6, 2, 6, 2])
  })

  test('is only stereo where the spec has no more channels, and nothing is beside it', async () => {
    const two: PictureSpec = { ...wanted, audio: { ...wanted.audio!, maxChannels: 2 } }
    const made = await makeAndCheck(fileAt('six.mkv'), two, at('two-only.mkv'))
    expect(failing(made)).toEqual([])
    expect((await readFacts(fileAt('two-only.mkv'))).audio.map(track => track.channels)).toEqual([2, 2, 2])
  })
})
