import { createHash } from 'node:crypto'
import { readFile, rm, stat, truncate, writeFile } from 'node:fs/promises'
import path from 'node:path'
import {
  deriveTreatment,
  judge,
  leadOf,
  newStep,
  pictureCodec,
  stepKinds,
  whyWhole,
  type PictureSpec,
  type Segment,
  type Step,
  type StepKind,
} from '@hematine/core'
import { AVMEDIA_TYPE_AUDIO } from 'node-av/constants'
import { Frame } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import {
  deliver,
  makeSegment,
  readFacts,
  silenceLibraries,
  SeamProblem,
  WorkingFileProblem,
  type MediaInput,
} from '../src/index.ts'
import { StreamDecoder } from '../src/reading/decoder.ts'
import { TreatedPicture } from '../src/treating/picture-treatment.ts'
import { makeAndCheck, openGate, specOf } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { filmPairs, pictureSpec } from '../../../tests/support/specs.ts'

/** A job that is made in segments is the job that is made in one go. */
const scratch = scratchDirectory()
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: path.join(scratch, name) })
const [clip, wide, full, woven] = [fileAt('clip.mkv'), fileAt('wide.mkv'), fileAt('full.mkv'), fileAt('woven.mkv')]
const clipFor = (key: string, profile: string | null = null) =>
  !pictureCodec(key).matrices
    ? clip
    : pictureCodec(key).sizeProblem({ width: 1280, height: 720 }, profile)
      ? full
      : wide

/** Moves, turns and flickers, has grain, and is cut twice. */
const lively = (size: string, seconds: number) =>
  `testsrc2=s=${size}:r=25:d=${seconds},noise=alls=6:allf=t:all_seed=5,eq=brightness='0.06*sin(n)':eval=frame,` +
  `hue=h='if(gt(n,${Math.round(seconds * 8)}),120,0)+if(gt(n,${Math.round(seconds * 17)}),90,0)',format=yuv420p,setsar=1`

beforeAll(async () => {
  silenceLibraries()
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
  const measured = await deliver({ ...plan, outputPath, segments }, openGate, () => undefined)
  return { check: judge(measured, spec, treatment, { facts, findings: [] }), measured, segments, plan }
}

const faultsOf = (check: ReturnType<typeof judge>) =>
  check.lines
    .filter(line => line.verdict === 'fail')
    .map(line => `${line.name}: wanted ${line.expected}, found ${line.found}. ${line.reason}`)

/** Sum over all samples of a result's sound. */
async function soundOf(file: string): Promise<string> {
  const decoder = await StreamDecoder.openBest({ kind: 'file', path: file }, AVMEDIA_TYPE_AUDIO)
  const [frame, hash] = [new Frame(), createHash('sha256')]
  frame.alloc()
  while (await decoder.next(frame)) {
    for (const plane of frame.data!) hash.update(plane)
    frame.unref()
  }
  frame.free()
  await decoder.close()
  return hash.digest('hex')
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
    expect(await soundOf(file('joined'))).toBe(await soundOf(file('whole')))
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
/** Kinds that look at one frame and need an asset, a network or another source; and those with tests of their own, or below. */
const tried = {
  'lookup-table': 1,
  'picture-mark': 1,
  'burn-subtitles': 1,
  learned: 1,
  'clean-up': 1,
  deinterlace: 1,
  'undo-pulldown': 1,
  'drop-repeats': 1,
  grain: 1,
  speed: 1,
  'more-frames': 1,
  'high-range': 1,
}
const stepsToTry: [name: string, Step, MediaInput][] = [
  ...(Object.keys(stepKinds) as StepKind[])
    .filter(kind => stepKinds[kind].group !== 'sound')
    .filter(kind => !(kind in tried))
    .map((kind): [string, Step, MediaInput] => [kind, { ...newStep(kind), ...chosen[kind] } as Step, clip]),
  ['deinterlace to frames', { ...newStep('deinterlace') } as Step, woven],
  ['deinterlace to fields', { ...newStep('deinterlace'), to: 'field rate' } as Step, woven],
  ['steady by two readings', { ...newStep('steady'), method: 'two readings', smooth: 'short' } as Step, clip],
  ['denoise carefully', { ...newStep('denoise'), method: 'careful' } as Step, clip],
  ['new frames by blending', { ...newStep('more-frames'), between: 'blend' } as Step, clip],
  ['slower by repeating', { ...newStep('speed'), between: 'repeat' } as Step, clip],
]

/** A lossless spec that leaves everything as the steps make it. */
const plainSpec: PictureSpec = {
  ...specOf('archive-master'),
  video: { ...specOf('archive-master').video, scan: 'progressive', pixelFormat: 'yuv420p' },
}

/** Treated frames from one on: luma of each with its number. */
async function treatedFrom(input: MediaInput, step: Step, firstFrame: number, most: number) {
  const facts = await readFacts(input)
  const treatment = deriveTreatment(facts, plainSpec, [step])
  const lead = leadOf(treatment, facts.video!.frameRate)
  if ('because' in lead) throw new Error(lead.because)
  const picture = await TreatedPicture.open(input, facts.video!, treatment, { firstFrame, lead: lead.seconds })
  const frame = new Frame()
  frame.alloc()
  const frames: { number: number; luma: Buffer }[] = []
  while (frames.length < most && (await picture.next(frame))) {
    const rows = Array.from({ length: frame.height }, (_, row) =>
      frame.data![0]!.subarray(row * frame.linesize[0]!, row * frame.linesize[0]! + frame.width),
    )
    frames.push({ number: Number(frame.pts), luma: Buffer.concat(rows) })
    frame.unref()
  }
  frame.free()
  await picture.close()
  return { frames }
}

/** Steps whose history fades may differ by a code. */
const fading: readonly StepKind[] = ['denoise', 'dust']

describe('a step begun in the middle', () => {
  test.each(stepsToTry)('makes the frames that it makes when it runs on to them: %s', async (_name, step, input) => {
    const whole = await treatedFrom(input, step, 0, Number.POSITIVE_INFINITY)
    expect(whole.frames.length).toBeGreaterThan(40)
    expect(whole.frames.map(({ number }) => number)).toEqual(whole.frames.map((_, index) => index))
    const begin = Math.round(whole.frames.length * 0.6)
    const { frames } = await treatedFrom(input, step, begin, 15)
    const wanted = whole.frames.slice(begin, begin + 15)
    expect(frames.map(({ number }) => number)).toEqual(wanted.map(({ number }) => number))
    const furthest = frames.map(({ luma }, index) =>
      luma.reduce((most, value, at) => Math.max(most, Math.abs(value - wanted[index]!.luma[at]!)), 0),
    )
    expect(Math.max(...furthest)).toBeLessThanOrEqual(fading.includes(step.kind) ? 1 : 0)
  })

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

describe('segments that do not fit', () => {
  /** Makes four segments of a lossless job, lets somebody at their working files, and joins them. */
  async function joined(
    name: string,
    spoil: (paths: string[], make: (index: number, segment: Segment) => Promise<void>) => Promise<void>,
  ) {
    const spec = specOf('archive-master')
    const facts = await readFacts(clip)
    const plan = { input: clip, facts, spec, treatment: deriveTreatment(facts, spec) }
    const segments = ranges(60, 4).map((segment, index) => ({
      ...segment,
      path: path.join(scratch, `${name}.${index}`),
    }))
    const make = async (index: number, segment: Segment) => {
      await rm(segments[index]!.path, { force: true })
      await makeSegment({ ...plan, segment, path: segments[index]!.path }, openGate, () => undefined)
    }
    for (const [index, segment] of segments.entries()) await make(index, segment)
    await spoil(
      segments.map(segment => segment.path),
      make,
    )
    const outputPath = path.join(scratch, `${name}.mkv`)
    const measured = await deliver({ ...plan, outputPath, segments }, openGate, () => undefined)
    return judge(measured, spec, plan.treatment, { facts, findings: [] })
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
  ])('are not joined where a working file is %s', async (what, spoil) => {
    await expect(joined(what.replaceAll(' ', '-'), paths => spoil(paths[2]!))).rejects.toThrow(WorkingFileProblem)
  })

  test('fail where a byte of a working file turned over', async () => {
    const check = await joined('flipped', async paths => {
      const bytes = await readFile(paths[1]!)
      bytes[bytes.length >> 1]! ^= 0xff
      await writeFile(paths[1]!, bytes)
    })
    expect(faultsOf(check)).toContainEqual(expect.stringMatching(/^on the disk: /))
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
  })
})
