import { createHash } from 'node:crypto'
import { copyFile, mkdir, readFile, rm, stat, truncate, writeFile } from 'node:fs/promises'
import path from 'node:path'
import {
  deriveTreatment,
  hasSoundUnit,
  joinPartFacts,
  judge,
  leadOf,
  newStep,
  pictureCodec,
  stepKinds,
  whyWhole,
  type PictureSpec,
  type Segment,
  type SourceFacts,
  type Step,
  type StepKind,
} from '@hematine/core'
import { AV_CODEC_ID_SUBRIP, AVMEDIA_TYPE_AUDIO, AVMEDIA_TYPE_VIDEO } from 'node-av/constants'
import { Frame } from 'node-av/lib'
import sharp from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import {
  deliver,
  makeSegment,
  makeSound,
  readFacts,
  setUpLibraries,
  SeamProblem,
  WorkingFileProblem,
  type MadeSegment,
  type MediaInput,
  type SegmentPlan,
} from '../src/index.ts'
import { StreamDecoder } from '../src/reading/decoder.ts'
import { TreatedPicture } from '../src/treating/picture-treatment.ts'
import { makeAndCheck, openGate, specOf } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { oddSources, writeOddSource } from '../../../tests/support/odd-sources.ts'
import { rewrap } from '../../../tests/support/rewrap.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { addSubtitles } from '../../../tests/support/subtitled.ts'
import { filmPairs, pictureSpec } from '../../../tests/support/specs.ts'

/** A job that is made in segments is the job that is made in one go. */
const scratch = scratchDirectory()
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: path.join(scratch, name) })
const [clip, wide, full] = [fileAt('clip.mkv'), fileAt('wide.mkv'), fileAt('full.mkv')]
const [woven, small, titled] = [fileAt('woven.mkv'), fileAt('small.mkv'), fileAt('titled.mkv')]
const clipFor = (key: string, profile: string | null = null) =>
  !pictureCodec(key).matrices
    ? key === 'jpeg2000'
      ? small
      : clip
    : pictureCodec(key).sizeProblem({ width: 1280, height: 720 }, profile)
      ? full
      : wide

/** Moves, turns and flickers, has grain, and is cut twice. */
const lively = (size: string, seconds: number) =>
  `testsrc2=s=${size}:r=25:d=${seconds},noise=alls=6:allf=t:all_seed=5,eq=brightness='0.06*sin(n)':eval=frame,` +
  `hue=h='if(gt(n,${Math.round(seconds * 8)}),120,0)+if(gt(n,${Math.round(seconds * 17)}),90,0)',format=yuv420p,setsar=1`

beforeAll(async () => {
  setUpLibraries()
  const audio = [
    {
      encoder: 'pcm_s16le',
      filters: 'anoisesrc=r=48000:d=2.4:c=pink:seed=3,aformat=sample_fmts=s16:channel_layouts=stereo',
      language: 'eng',
    },
  ]
  const draw = (path: string, filters: string, options: Record<string, string> = {}) =>
    writeClip({ path, format: 'matroska', audio, video: { encoder: losslessEncoder, filters, options } })
  await draw(clip.path, lively('352x288', 2.4))
  await draw(small.path, lively('96x64', 1.2))
  const line = { at: 0.4, seconds: 1.8, data: Buffer.from('The lamp is lit') }
  await addSubtitles(clip.path, titled.path, 'matroska', [
    { codec: AV_CODEC_ID_SUBRIP, language: 'eng', packets: [line] },
  ])
  await draw(wide.path, lively('1280x720', 0.6))
  await draw(full.path, lively('1920x1080', 0.6))
  await writeClip({
    path: woven.path,
    format: 'matroska',
    audio,
    video: {
      encoder: 'ffv1',
      options: { level: '3' },
      filters: `${lively('352x288', 2.4).replace('r=25', 'r=50')},tinterlace=interleave_top,setparams=field_mode=tff,format=yuv420p`,
    },
  })
})

/** Ranges of about equal length; the last has all that is left. */
function ranges(frames: number, count: number): Segment[] {
  const begins = Array.from({ length: count }, (_, index) => Math.round((index * frames) / count))
  return begins.map((firstFrame, index) => ({
    firstFrame,
    frames: index + 1 < count ? begins[index + 1]! - firstFrame : null,
  }))
}

/** Does a job in five segments, each made by itself, the last one first. */
async function inSegments(
  input: MediaInput,
  spec: PictureSpec,
  outputPath: string,
  steps: readonly Step[] = [],
  count = 5,
) {
  const facts = await readFacts(input)
  const treatment = deriveTreatment(facts, spec, steps)
  expect(whyWhole({ spec, treatment }, facts)).toBeNull()
  const plan = { input, facts, treatment, spec }
  const segments = ranges(treatment.result.frameCount, count).map((segment, index) => ({
    ...segment,
    path: `${outputPath}.${index}`,
  }))
  for (const segment of segments.toReversed())
    await makeSegment({ ...plan, segment, path: segment.path }, openGate, () => undefined)
  const sound = hasSoundUnit(plan, facts) ? `${outputPath}.sound` : null
  if (sound) await makeSound({ ...plan, path: sound }, openGate, () => undefined)
  const measured = await deliver({ ...plan, outputPath, made: { segments, sound } }, openGate, () => undefined)
  return { check: judge(measured, spec, treatment, { facts, findings: [] }), measured, segments, plan }
}

const faultsOf = (check: ReturnType<typeof judge>) =>
  check.lines
    .filter(line => line.verdict === 'fail')
    .map(line => `${line.name}: wanted ${line.expected}, found ${line.found}. ${line.reason}`)

/** A sum over the samples of each frame of a result's picture, or sound. */
async function sumsOf(file: string, kind: typeof AVMEDIA_TYPE_VIDEO | typeof AVMEDIA_TYPE_AUDIO): Promise<string[]> {
  const decoder = await StreamDecoder.openBest({ kind: 'file', path: file }, kind)
  const [frame, sums] = [new Frame(), [] as string[]]
  frame.alloc()
  while (await decoder.next(frame)) {
    sums.push(createHash('sha256').update(frame.toBuffer()).digest('hex'))
    frame.unref()
  }
  frame.free()
  await decoder.close()
  return sums
}

/** A pair for each codec, and for each container. */
const pairs = filmPairs.filter(
  ([container, codec], index) =>
    filmPairs.findIndex(pair => pair[1] === codec) === index ||
    filmPairs.findIndex(pair => pair[0] === container) === index,
)

describe('a job in five segments', () => {
  test.each(pairs)('in %s: %s with %s sound is the job made in one go', async (...pair) => {
    const [container, codec] = pair
    const spec = pictureSpec(container, codec, pair[2])
    const file = (name: string) => path.join(scratch, `${name}-${codec}.${container}`)
    const whole = await makeAndCheck(clipFor(codec), spec, file('whole'))
    const { check, measured } = await inSegments(clipFor(codec), spec, file('joined'))
    expect(faultsOf(check)).toEqual(faultsOf(whole.check))
    const one = whole.check.measurement
    expect(measured).toMatchObject({
      treatedFrames: one.treatedFrames,
      framesCompared: one.framesCompared,
      identical: one.identical,
      video: one.video,
      audio: one.audio,
      account: { picture: { ...one.account!.picture!, likeness: expect.closeTo(one.account!.picture!.likeness!, 3) } },
    })
    if (one.xpsnr) expect(measured.xpsnr!.mean).toBeGreaterThan(one.xpsnr.mean - 0.1)
    expect(await sumsOf(file('joined'), AVMEDIA_TYPE_AUDIO)).toEqual(await sumsOf(file('whole'), AVMEDIA_TYPE_AUDIO))
  })
})

describe('a source begun in the middle', () => {
  /** A lossless job in one go and in segments: every frame of one is that of the other. */
  async function expectSameFrames(name: string, input: MediaInput, count = 3): Promise<void> {
    const spec = specOf('archive-master')
    const file = (kind: string) => path.join(scratch, `${name.replaceAll(/\W+/g, '-')}-${kind}.mkv`)
    const whole = await makeAndCheck(input, spec, file('whole'))
    const { frameCount } = whole.treatment.result
    const { check } = await inSegments(input, spec, file('joined'), [], Math.min(count, frameCount))
    expect(faultsOf(check)).toEqual(faultsOf(whole.check))
    const sums = await sumsOf(file('whole'), AVMEDIA_TYPE_VIDEO)
    expect(await sumsOf(file('joined'), AVMEDIA_TYPE_VIDEO)).toEqual(sums)
    expect(sums.length).toBeGreaterThan(0)
  }

  const pictured = Object.keys(oddSources).filter(kind => kind !== 'no picture' && kind !== 'one frame')
  test.each(pictured)('gives the frames that it gives from its start: %s', async kind =>
    expectSameFrames(kind, { kind: 'file', path: await writeOddSource(scratch, kind) }),
  )

  test('gives them turned as its flag says', async () => {
    const turned = fileAt('turned.mp4')
    const plain = path.join(scratch, 'unturned.mp4')
    await writeClip({
      path: plain,
      format: 'mp4',
      audio: [],
      video: { encoder: 'libx264', filters: lively('128x96', 2) },
    })
    await rewrap(plain, turned.path, 'mp4', { matrix: [0, 1, -1, 0] })
    await expectSameFrames('turned', turned)
  })

  test.each(['mpegts', 'vob'])('gives them from streams without an index: %s', async format => {
    const stream = fileAt(`stream.${format}`)
    const video = { encoder: 'mpeg2video', bitRate: 2_000_000, filters: lively('352x288', 4) }
    await writeClip({ path: stream.path, format, audio: [], video })
    await expectSameFrames(format, stream)
  })

  test('gives them from a sequence with a gap, and from sources that are joined', async () => {
    const directory = path.join(scratch, 'sequence')
    await mkdir(directory)
    for (let number = 1; number <= 30; number++)
      if (number !== 14)
        await sharp({ create: { width: 64, height: 48, channels: 3, background: { r: number * 8, g: 99, b: 30 } } })
          .png()
          .toFile(path.join(directory, `frame_${String(number).padStart(4, '0')}.png`))
    await expectSameFrames('sequence', {
      kind: 'sequence',
      directory,
      sequence: { prefix: 'frame_', suffix: '.png', padding: 4, first: 1, last: 30, missing: [{ from: 14, to: 14 }] },
      frameRate: { num: 24, den: 1 },
    })
    const parts = []
    for (const input of [small, small] as const)
      parts.push({ input, name: 'part', ...joinPartFacts(await readFacts(input)) })
    await expectSameFrames('joined', { kind: 'join', parts }, 5)
  })
})

/** Kinds of step of the picture that can be begun in the middle, with settings that make the most of what went before. */
const chosen: Partial<Record<StepKind, Partial<Step>>> = {
  trim: {
    ranges: [
      { from: 0.2, to: 1.1 },
      { from: 1.3, to: 2.4 },
    ],
  },
  crop: { left: 16, top: 8, right: 16, bottom: 8 },
  rate: { to: { num: 30, den: 1 }, between: 'repeat' },
  denoise: { method: 'fast', strength: 'strong' },
  flicker: { frames: 9 },
  steady: { edge: 24, method: 'quick' },
  scale: { to: { by: 'factor', factor: 1.5 } },
  pad: { to: { width: 480, height: 320 } },
  'soften-mark': { x: 20, y: 20, width: 40, height: 20 },
  'text-mark': { text: 'Skerry' },
  dust: { strength: 'strong' },
}
/** Kinds that are tried with settings of their own, cannot be begun in the middle, or lay a table or a picture over each frame by itself. */
const otherwise: readonly StepKind[] = [
  ...(['lookup-table', 'picture-mark', 'burn-subtitles', 'learned', 'clean-up', 'deinterlace', 'high-range'] as const),
  ...(['undo-pulldown', 'drop-repeats', 'grain', 'speed', 'more-frames'] as const),
]
const stepsToTry: [name: string, Step, MediaInput][] = [
  ...(Object.keys(stepKinds) as StepKind[])
    .filter(kind => stepKinds[kind].group !== 'sound')
    .filter(kind => !otherwise.includes(kind))
    .map((kind): [string, Step, MediaInput] => [kind, { ...newStep(kind), ...chosen[kind] } as Step, clip]),
  ['deinterlace to frames', { ...newStep('deinterlace') } as Step, woven],
  ['deinterlace to fields', { ...newStep('deinterlace'), to: 'field rate' } as Step, woven],
  ['steady by two readings', { ...newStep('steady'), method: 'two readings', smooth: 'short' } as Step, clip],
  ['denoise carefully', { ...newStep('denoise'), method: 'careful' } as Step, clip],
  ['new frames by blending', { ...newStep('more-frames'), between: 'blend' } as Step, clip],
  ['clean-up', newStep('clean-up'), clip],
  ['learned', { ...newStep('learned'), size: 'fast', times: 2 } as Step, small],
  ['high-range', newStep('high-range'), clip],
  ['burn-subtitles', { ...newStep('burn-subtitles'), size: 10 } as Step, titled],
  ['slower by repeating', { ...newStep('speed'), between: 'repeat' } as Step, clip],
]

/** A lossless spec that leaves everything as the steps make it. */
const plainSpec: PictureSpec = {
  ...specOf('archive-master'),
  video: { ...specOf('archive-master').video, scan: 'progressive', pixelFormat: 'yuv420p' },
}

/** Treated frames from one on, each with its number. @param change of what is known of the source */
async function treatedFrom(
  input: MediaInput,
  step: Step,
  firstFrame: number,
  most: number,
  change: (facts: SourceFacts) => SourceFacts = facts => facts,
) {
  const facts = change(await readFacts(input))
  const spec: PictureSpec =
    step.kind === 'high-range' ? { ...plainSpec, video: { ...plainSpec.video, pixelFormat: 'yuv420p10le' } } : plainSpec
  const treatment = deriveTreatment(facts, spec, [step])
  const lead = leadOf(treatment, facts.video!.frameRate)
  if ('because' in lead) throw new Error(lead.because)
  const picture = await TreatedPicture.open(input, facts.video!, treatment, { firstFrame, lead: lead.seconds })
  const frame = new Frame()
  frame.alloc()
  const frames: { number: number; samples: Buffer }[] = []
  while (frames.length < most && (await picture.next(frame))) {
    frames.push({ number: Number(frame.pts), samples: frame.toBuffer() })
    frame.unref()
  }
  frame.free()
  await picture.close()
  return frames
}

/** Steps whose history fades may differ by a code. */
const fading: readonly StepKind[] = ['denoise', 'dust']

/** Frames begun in the middle are those that come when the step runs on to them. */
async function expectSame(
  step: Step,
  input: MediaInput,
  mostCodes: number,
  change?: (facts: SourceFacts) => SourceFacts,
): Promise<void> {
  const whole = await treatedFrom(input, step, 0, Number.POSITIVE_INFINITY, change)
  expect(whole.map(({ number }) => number)).toEqual(whole.map((_, index) => index))
  const begin = Math.round(whole.length * 0.6)
  const frames = await treatedFrom(input, step, begin, 15, change)
  const wanted = whole.slice(begin, begin + 15)
  expect(frames.map(({ number }) => number)).toEqual(wanted.map(({ number }) => number))
  const furthest = frames.map(({ samples }, index) =>
    samples.reduce((most, value, at) => Math.max(most, Math.abs(value - wanted[index]!.samples[at]!)), 0),
  )
  expect(Math.max(...furthest)).toBeLessThanOrEqual(mostCodes)
}

describe('a step begun in the middle', () => {
  test.each(stepsToTry)('makes the frames that it makes when it runs on to them: %s', async (_name, step, input) =>
    expectSame(step, input, fading.includes(step.kind) ? 1 : 0),
  )

  test('makes them also where only combed frames are deinterlaced', () =>
    expectSame(newStep('deinterlace'), woven, 0, facts => ({
      ...facts,
      video: { ...facts.video!, scan: { ...facts.video!.scan, kind: 'mixed' } },
    })))

  test.each([
    ['undo-pulldown', {}],
    ['drop-repeats', {}],
    ['grain', {}],
    ['speed', { between: 'motion' }],
    ['more-frames', { between: 'motion' }],
    ['rate', { between: 'motion' }],
    ['rate', { to: { num: 30, den: 1 }, between: 'blend' }],
  ] as const)('cannot be begun there, and says why: %s %j', async (kind, settings) => {
    const facts = await readFacts(clip)
    const steps = [{ ...newStep(kind), ...settings } as Step]
    const treatment = deriveTreatment(facts, plainSpec, steps)
    expect(whyWhole({ spec: plainSpec, treatment }, facts)).toMatch(/ the first frame/)
  })
})

/** Makes a working file one that a later version of Hematine left. */
async function asOfAnotherVersion(file: string): Promise<void> {
  const bytes = await readFile(file)
  const at = bytes.lastIndexOf('{"form":') + '{"form":'.length
  bytes[at] = '9'.charCodeAt(0)
  await writeFile(file, bytes)
}

describe('segments that do not fit', () => {
  const wholeSound = path.join(scratch, 'whole.sound')
  /** Four segments and the sound of a lossless job. */
  let made: Promise<{ plan: Omit<SegmentPlan, 'segment' | 'path'>; whole: MadeSegment[] }>
  beforeAll(() => {
    made = (async () => {
      const spec = specOf('archive-master')
      const facts = await readFacts(clip)
      const plan = { input: clip, facts, spec, treatment: deriveTreatment(facts, spec) }
      const whole = ranges(60, 4).map((segment, index) => ({ ...segment, path: path.join(scratch, `whole.${index}`) }))
      for (const segment of whole)
        await makeSegment({ ...plan, segment, path: segment.path }, openGate, () => undefined)
      await makeSound({ ...plan, path: wholeSound }, openGate, () => undefined)
      return { plan, whole }
    })()
  })

  /** Lets somebody at copies of their working files, and joins them. */
  async function joined(
    name: string,
    spoil: (paths: string[], make: (index: number, segment: Segment) => Promise<void>) => Promise<void>,
  ) {
    const { plan, whole } = await made
    const own = (index: number) => path.join(scratch, `${name}.${index}`)
    const sound = path.join(scratch, `${name}.sound`)
    const segments = await Promise.all(
      whole.map(async (segment, index) => {
        await copyFile(segment.path, own(index))
        return { ...segment, path: own(index) }
      }),
    )
    await copyFile(`${wholeSound}.0`, `${sound}.0`)
    const make = async (index: number, segment: Segment) => {
      await rm(own(index))
      await makeSegment({ ...plan, segment, path: own(index) }, openGate, () => undefined)
    }
    await spoil([...segments.map(segment => segment.path), `${sound}.0`], make)
    const outputPath = path.join(scratch, `${name}.mkv`)
    const measured = await deliver({ ...plan, outputPath, made: { segments, sound } }, openGate, () => undefined)
    return judge(measured, plan.spec, plan.treatment, { facts: plan.facts, findings: [] })
  }

  test('are not joined where one has a frame too few', async () => {
    await expect(joined('few', (_paths, make) => make(1, { firstFrame: 15, frames: 14 }))).rejects.toThrow(
      new SeamProblem(
        'A part of the picture came out with 14 frames and not with 15: its source cannot be begun in the middle.',
      ),
    )
  })

  test('are not joined where one begins at another picture', async () => {
    await expect(joined('other', (_paths, make) => make(2, { firstFrame: 33, frames: 15 }))).rejects.toThrow(
      /The picture comes out different at frame \d+ when it is begun there/,
    )
  })

  test.each([
    ['cut short', async (file: string) => truncate(file, (await stat(file)).size - 100)],
    [
      'false in its lengths',
      async (file: string) => {
        const bytes = await readFile(file)
        bytes.fill(0xff, 4, 8)
        await writeFile(file, bytes)
      },
    ],
    [
      'false in a head',
      async (file: string) => {
        const bytes = await readFile(file)
        bytes[8]! ^= 0xff
        await writeFile(file, bytes)
      },
    ],
    ['of another version', asOfAnotherVersion],
  ])('are not joined where a working file is %s', async (what, spoil) => {
    await expect(joined(what.replaceAll(' ', '-'), paths => spoil(paths[2]!))).rejects.toThrow(WorkingFileProblem)
    await expect(joined(what.replaceAll(' ', '-'), paths => spoil(paths[4]!))).rejects.toThrow(WorkingFileProblem)
  })

  test.each([
    ['picture', 1, /^on the disk: /],
    ['sound', 4, /^sound on the disk: /],
  ])('fail where a byte of a working file turned over: %s', async (what, index, line) => {
    const check = await joined(`flipped-${what}`, async paths => {
      const bytes = await readFile(paths[index]!)
      bytes[bytes.length >> 1]! ^= 0xff
      await writeFile(paths[index]!, bytes)
    })
    expect(faultsOf(check)).toContainEqual(expect.stringMatching(line))
  })

  test('are not joined where the sound is gone', async () => {
    await expect(joined('no-sound', paths => rm(paths[4]!))).rejects.toThrow(WorkingFileProblem)
  })

  test('are left as they are where they are there already, and made again where they are not whole', async () => {
    const facts = await readFacts(clip)
    const spec = specOf('archive-master')
    const file = path.join(scratch, 'kept')
    const plan = { input: clip, facts, spec, treatment: deriveTreatment(facts, spec), path: file }
    const segment = { firstFrame: 10, frames: 5 }
    let frames = 0
    const make = () => makeSegment({ ...plan, segment }, openGate, () => void frames++)
    const first = await make()
    expect(frames).toBe(5)
    expect(await make()).toEqual(first)
    expect(frames).toBe(5)
    await truncate(file, (await stat(file)).size - 1)
    expect({ ...(await make()), seconds: 0 }).toEqual({ ...first, seconds: 0 })
    expect(frames).toBe(10)
    await asOfAnotherVersion(file)
    await make()
    expect(frames).toBe(15)
  })
})
