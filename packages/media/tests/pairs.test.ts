import { stat, truncate } from 'node:fs/promises'
import path from 'node:path'
import {
  containers,
  deriveTreatment,
  pictureCodec,
  pictureCodecs,
  specProblems,
  type Container,
  type SoundSpec,
} from '@hematine/core'
import { FormatContext, Packet } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { readFacts, setUpLibraries, transcode, type MediaInput } from '../src/index.ts'
import { extractAndCheck, makeAndCheck, openGate } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { filmPairs, pictureSpec, soundIn } from '../../../tests/support/specs.ts'

/** Whatever pair of codec and container is offered is made, checked and opened again. */
const scratch = scratchDirectory()
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: path.join(scratch, name) })
const clip = fileAt('clip.mkv')
/** High definition, for codecs that can state the colours of nothing else, or hold no other frame. */
const wide = fileAt('wide.mkv')
const full = fileAt('full.mkv')
const clipFor = (key: string, profile: string | null = null) =>
  !pictureCodec(key).matrices
    ? clip
    : pictureCodec(key).sizeProblem({ width: 1280, height: 720 }, profile)
      ? full
      : wide

beforeAll(async () => {
  setUpLibraries()
  for (const [file, size, seconds] of [
    [clip, '352x288', 1.2],
    [wide, '1280x720', 0.6],
    [full, '1920x1080', 0.6],
  ] as const)
    await writeClip({
      path: file.path,
      format: 'matroska',
      video: {
        encoder: losslessEncoder,
        filters: `testsrc2=s=${size}:r=25:d=${seconds},format=yuv420p,setsar=1`,
      },
      audio: [
        {
          encoder: 'pcm_s16le',
          // Unlike a tone, it fits itself at one place only.
          filters: `aevalsrc='0.4*sin(2*PI*(200+300*t)*t)|0.3*sin(2*PI*(900-250*t)*t)':s=48000:d=${seconds},aformat=sample_fmts=s16:channel_layouts=stereo`,
          language: 'eng',
        },
      ],
    })
})

const all = Object.keys(containers) as Container[]
/** Pictures in files of their own have tests of their own. */
const films = all.filter(container => containers[container].makes === 'moving picture')
const filmCodecs = pictureCodecs.filter(codec =>
  films.some(container => (containers[container].picture as readonly string[]).includes(codec.key)),
)
describe('a picture', () => {
  test.each(filmPairs)(
    'in %s: %s with %s sound is delivered, passes its check and says what it is',
    async (...pair) => {
      const [container, codec, sound] = pair
      const spec = pictureSpec(container, codec, sound)
      expect(specProblems(spec)).toEqual([])
      const result = path.join(scratch, `${codec}-${sound}.${container}`)
      const { check } = await makeAndCheck(clipFor(codec), spec, result)
      expect(
        check.lines
          .filter(line => line.verdict === 'fail')
          .map(line => `${line.name}: wanted ${line.expected}, found ${line.found}. ${line.reason}`),
      ).toEqual([])
      const made = await readFacts({ kind: 'file', path: result })
      expect([made.video?.codec, made.video?.width, made.video?.height, made.video?.frameCount]).toEqual([
        codec,
        ...(clipFor(codec) === wide ? [1280, 720, 15] : [352, 288, 30]),
      ])
      expect(made.audio.map(track => track.codec)).toEqual([sound])
    },
  )

  test('that a codec cannot state the colours of, or hold the size of, is refused in a sentence', async () => {
    const spec = pictureSpec('mov', 'dnxhd', 'pcm_s24le')
    await expect(makeAndCheck(clip, spec, path.join(scratch, 'refused.mov'))).rejects.toThrow(
      'DNxHD/HR can state BT.709 and BT.2020 alone, and this picture is BT.601',
    )
  })

  test.each(['h264', 'hevc', 'av1', 'vp9', 'mpeg2video', 'mpeg4'])(
    'of two slow frames in %s keeps its profile, though keyframes may be no further apart than they are',
    async key => {
      const slow = fileAt(`slow-${key}.mkv`)
      // MPEG-2 knows no rate below 23.976.
      const rate = key === 'mpeg2video' ? 25 : 1
      await writeClip({
        path: slow.path,
        format: 'matroska',
        video: {
          encoder: losslessEncoder,
          filters: `testsrc2=s=320x240:r=${rate},trim=end_frame=2,format=yuv420p,setsar=1`,
        },
        audio: [],
      })
      const container = films.find(entry => (containers[entry].picture as readonly string[]).includes(key))!
      const spec = pictureSpec(container, key, containers[container].sound[0]!)
      spec.video.keyframeSeconds = 1 / rate
      const { check } = await makeAndCheck(slow, spec, path.join(scratch, `slow-${key}.${container}`))
      expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    },
  )

  test.each([
    ['mp4', 'av1', 'opus', '2.1', '2.0'],
    ['webm', 'vp9', 'opus', '2', '2 by its frames'],
  ] as const)('in %s: %s under a level states one that is no higher', async (container, codec, sound, level, found) => {
    const spec = pictureSpec(container, codec, sound)
    spec.video.level = level
    const { check } = await makeAndCheck(clip, spec, path.join(scratch, `level-${codec}.${container}`))
    expect(check.lines.find(line => line.name === 'level')).toMatchObject({ found, verdict: 'pass' })
  })

  test('every codec is in some container, and every codec of a container exists', () => {
    expect(new Set(all.flatMap(container => containers[container].picture as readonly string[]))).toEqual(
      new Set(pictureCodecs.map(codec => codec.key)),
    )
  })

  const profiles = filmCodecs.flatMap(codec =>
    codec.profiles.slice(1).map(profile => [codec.key, profile.key] as const),
  )
  test.each(profiles)('of %s in its profile %s is delivered as such', async (key, profile) => {
    const container = films.find(entry => (containers[entry].picture as readonly string[]).includes(key))!
    const spec = pictureSpec(container, key, containers[container].sound[0]!)
    const chosen = pictureCodec(key).profiles.find(entry => entry.key === profile)!
    spec.video = { ...spec.video, profile, pixelFormat: chosen.pixelFormats[0]! }
    expect(specProblems(spec)).toEqual([])
    const { check } = await makeAndCheck(
      clipFor(key, profile),
      spec,
      path.join(scratch, `${key}-${profile.replace(/\W/g, '')}.${container}`),
    )
    expect(
      check.lines
        .filter(line => line.verdict === 'fail')
        .map(line => `${line.name}: wanted ${line.expected}, found ${line.found}. ${line.reason}`),
    ).toEqual([])
    expect(check.lines.find(line => line.name === 'samples')?.verdict ?? 'pass').toBe('pass')
  })
})

describe('a container that states no colours', () => {
  const exact = pictureSpec('avi', 'ffv1', null)
  exact.video = { ...exact.video, pixelFormat: null }

  test('gets high definition as players take it to be, without loss', async () => {
    const { check } = await makeAndCheck(wide, exact, path.join(scratch, 'untagged.avi'))
    expect(check.lines.find(line => line.name === 'likeness')).toMatchObject({ verdict: 'pass' })
    expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
  })

  test('refuses colours that players would take for others, where they stay as they are', async () => {
    const facts = await readFacts(clip)
    const wrong = { ...facts, video: { ...facts.video!, colour: { ...facts.video!.colour, matrix: 'bt709' } } }
    expect(() => deriveTreatment(wrong, exact)).toThrow(
      /AVI states no colours, and players take a picture of 352x288 for BT.601: this one \(BT.709\)/,
    )
  })
})

describe('a container whose sound stands beside every frame', () => {
  test.each([
    ['ends before the picture', 0.7],
    ['ends after it', 1.9],
  ] as const)("has it filled with silence, or cut, where the source's %s: no frame is lost", async (name, seconds) => {
    const source = fileAt(`uneven-${seconds}.mkv`)
    await writeClip({
      path: source.path,
      format: 'matroska',
      video: {
        encoder: losslessEncoder,
        filters: 'testsrc2=s=352x288:r=25:d=1.2,format=yuv420p,setsar=1',
      },
      audio: [
        {
          encoder: 'pcm_s16le',
          filters: `aevalsrc='0.4*sin(2*PI*(200+300*t)*t)|0.3*sin(2*PI*(900-250*t)*t)':s=48000:d=${seconds},aformat=sample_fmts=s16:channel_layouts=stereo`,
        },
      ],
    })
    const spec = pictureSpec('mxf', 'mpeg2video', 'pcm_s16le')
    const { check, treatment } = await makeAndCheck(source, spec, path.join(scratch, `uneven-${seconds}.mxf`))
    expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    expect(treatment.notes?.join(' ')).toMatch(
      seconds < 1.2 ? /track 1 is filled with 0\.50 s of silence/ : /track 1 loses its last 0\.70 s/,
    )
    const made = await readFacts(fileAt(`uneven-${seconds}.mxf`))
    expect(made.video!.frameCount).toBe(30)
    expect(made.audio[0]!.endSeconds).toBeCloseTo(1.2, 2)
  })
})

test.each([
  // SMPTE ST 2019-1: every frame of a fixed profile has the same size.
  ['1280x720', 'hd standard', 303_104],
  ['1280x720', 'hd high', 458_752],
  ['1280x720', 'hd high 10 bit', 458_752],
  ['1920x1080', 'hd low', 188_416],
  ['1920x1080', 'hd standard', 606_208],
] as const)('DNxHD of %s in its profile %s has frames of %i bytes', async (size, profile, bytes) => {
  const spec = pictureSpec('mov', 'dnxhd', 'pcm_s16le')
  const chosen = pictureCodec('dnxhd').profiles.find(entry => entry.key === profile)!
  spec.video = { ...spec.video, profile, pixelFormat: chosen.pixelFormats[0]! }
  const file = path.join(scratch, `frames-${profile.replaceAll(' ', '-')}-${size}.mov`)
  const input = size === '1280x720' ? wide : full
  const facts = await readFacts(input)
  const plan = { input, facts, treatment: deriveTreatment(facts, spec), spec, outputPath: file }
  await transcode(plan, openGate, () => undefined)
  const container = new FormatContext()
  await container.openInput(file, null, null)
  const packet = new Packet()
  packet.alloc()
  const sizes = new Set<number>()
  while ((await container.readFrame(packet)) >= 0) {
    if (packet.streamIndex === 0) sizes.add(packet.size)
    packet.unref()
  }
  packet.free()
  await container.closeInput()
  expect([...sizes]).toEqual([bytes])
})

test('MXF of a source that was cut short ends where its pictures do, and is to be looked at', async () => {
  const short = fileAt('whole.mkv')
  await writeClip({
    path: short.path,
    format: 'matroska',
    video: {
      encoder: 'libx264',
      options: { preset: 'ultrafast', qp: '20' },
      filters: 'testsrc2=s=352x288:r=25:d=4,format=yuv420p,setsar=1',
    },
    audio: [{ encoder: 'pcm_s16le', filters: 'sine=f=300:r=48000:d=4,aformat=sample_fmts=s16:channel_layouts=stereo' }],
  })
  await truncate(short.path, Math.round((await stat(short.path)).size * 0.6))
  const spec = pictureSpec('mxf', 'mpeg2video', 'pcm_s16le')
  const { check } = await makeAndCheck(short, spec, path.join(scratch, 'cut-short.mxf'))
  expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
  const made = await readFacts(fileAt('cut-short.mxf'))
  expect(made.video!.frameCount).toBeLessThan(80)
  expect(made.audio[0]!.endSeconds).toBeCloseTo(made.video!.frameCount / 25, 2)
})

describe('a rate on average', () => {
  const busy = fileAt('busy.mkv')
  beforeAll(() =>
    writeClip({
      path: busy.path,
      format: 'matroska',
      video: {
        encoder: losslessEncoder,
        // Enough that no codec needs less than it is given.
        filters: 'testsrc2=s=640x360:r=25:d=6,noise=alls=30:allf=t:all_seed=7,format=yuv420p,setsar=1',
      },
      audio: [],
    }),
  )
  const averaging = pictureCodecs.filter(codec => codec.rates.includes('average rate')).map(codec => codec.key)
  test.each(averaging)('of %s is what is in the file, within a quarter of it over six seconds', async key => {
    const container = films.find(entry => (containers[entry].picture as readonly string[]).includes(key))!
    const spec = pictureSpec(container, key, containers[container].sound[0]!)
    const wanted = 1_500_000
    spec.video.rateControl = {
      kind: 'average rate',
      bitsPerSecond: wanted,
      peakBitsPerSecond: 3_000_000,
      bufferBits: 3_000_000,
    }
    expect(specProblems(spec)).toEqual([])
    const result = path.join(scratch, `average-${key}.${container}`)
    const { check } = await makeAndCheck(busy, spec, result)
    expect(check.verdict).not.toBe('fail')
    const rate = ((await stat(result)).size * 8) / 6
    expect(rate / wanted).toBeGreaterThan(0.75)
    expect(rate / wanted).toBeLessThan(1.25)
  })
})

describe('sound alone', () => {
  const soundPairs = all
    .filter(container => containers[container].makes === 'sound')
    .flatMap(container => containers[container].sound.map(codec => [container, codec] as const))
  test.each(soundPairs)('in %s: %s is delivered and passes its check', async (container, codec) => {
    const spec: SoundSpec = {
      key: 'pair',
      name: 'Pair',
      purpose: 'A test.',
      container,
      nameSuffix: '-pair',
      video: null,
      audio: soundIn(codec),
    }
    expect(specProblems(spec)).toEqual([])
    const result = path.join(scratch, `${codec}.${container}`)
    const { check } = await extractAndCheck(clip, spec, result)
    expect(
      check.lines
        .filter(line => line.verdict === 'fail')
        .map(line => `${line.name}: wanted ${line.expected}, found ${line.found}. ${line.reason}`),
    ).toEqual([])
    expect((await readFacts({ kind: 'file', path: result })).audio.map(track => track.codec)).toEqual([codec])
  })
})
