import path from 'node:path'
import {
  CannotTreat,
  deriveTreatment,
  describePixelFormat,
  findingsOf,
  hasPicture,
  judge,
  newStep,
  orientationOf,
  pictureSpecs,
  planOf,
  stepKinds,
  type PictureSpec,
  type SourceFacts,
  type StepKind,
} from '@hematine/core'
import { Frame } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { openFrames } from '../src/reading/frame-reader.ts'
import {
  deliver,
  measureSource,
  posterFrame,
  readFacts,
  setUpLibraries,
  stripFrames,
  transcode,
  type MediaInput,
} from '../src/index.ts'
import { knownOf } from '../src/volumes/source-input.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { oddSources, writeOddSource } from '../../../tests/support/odd-sources.ts'
import { rewrap } from '../../../tests/support/rewrap.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const directory = scratchDirectory()
const gate = { turn: async () => undefined }
const named = (name: string) => path.join(directory, name)
const spec = (key: string) => pictureSpecs.find(entry => entry.key === key)!
beforeAll(setUpLibraries)

async function known(file: string): Promise<{ facts: SourceFacts; input: MediaInput }> {
  const facts = await readFacts({ kind: 'file', path: file })
  return { facts, input: { kind: 'file', path: file, ...knownOf(facts) } }
}

async function made(file: string, wanted: PictureSpec = spec('archive-master')) {
  const { facts, input } = await known(file)
  const treatment = deriveTreatment(facts, wanted)
  const plan = {
    input,
    facts,
    treatment,
    spec: wanted,
    outputPath: named(`out-${path.basename(file)}.${wanted.container}`),
  }
  const measured = await deliver(plan, gate, () => undefined)
  return { facts, treatment, measured, check: judge(measured, wanted, treatment), outputPath: plan.outputPath }
}

/** Luma at the middle of each quarter of the first frame: top left, top right, bottom left, bottom right. */
async function corners(file: string): Promise<number[]> {
  const { facts, input } = await known(file)
  const reader = await openFrames(input, facts.video!.streamIndex)
  const frame = new Frame()
  frame.alloc()
  await reader.next(frame)
  const at = (x: number, y: number) =>
    frame.data![0]![Math.floor(frame.height * y) * frame.linesize[0]! + Math.floor(frame.width * x)]!
  const found = [at(0.25, 0.25), at(0.75, 0.25), at(0.25, 0.75), at(0.75, 0.75)]
  frame.free()
  await reader.close()
  return found
}

describe('rotation and mirroring flags', () => {
  // Quarters of luma 40, 90, 140 and 190, stored from left to right and from top to bottom.
  const stored = [40, 90, 140, 190]
  const [tl, tr, bl, br] = stored as [number, number, number, number]
  const ways: [words: string, matrix: [number, number, number, number], shown: number[], size: [number, number]][] = [
    ['as stored', [1, 0, 0, 1], [tl, tr, bl, br], [160, 96]],
    ['a quarter turn to the right', [0, 1, -1, 0], [bl, tl, br, tr], [96, 160]],
    ['half a turn', [-1, 0, 0, -1], [br, bl, tr, tl], [160, 96]],
    ['a quarter turn to the left', [0, -1, 1, 0], [tr, br, tl, bl], [96, 160]],
    ['mirrored', [-1, 0, 0, 1], [tr, tl, br, bl], [160, 96]],
    ['upside down', [1, 0, 0, -1], [bl, br, tl, tr], [160, 96]],
    ['along the falling diagonal', [0, 1, 1, 0], [tl, bl, tr, br], [96, 160]],
    ['along the rising diagonal', [0, -1, -1, 0], [br, tr, bl, tl], [96, 160]],
  ]

  test.each(ways)('%s: shown and delivered so', async (words, matrix, shown, [width, height]) => {
    const [plain, flagged] = [named('quarters.mp4'), named(`quarters-${words.replaceAll(' ', '-')}.mp4`)]
    await writeClip({
      path: plain,
      format: 'mp4',
      video: {
        encoder: 'libx264',
        options: { qp: '0', preset: 'ultrafast' },
        filters: `nullsrc=s=160x96:r=25,format=yuv420p,geq=lum='if(lt(Y,H/2),if(lt(X,W/2),${tl},${tr}),if(lt(X,W/2),${bl},${br}))':cb=128:cr=128,trim=end_frame=10,setsar=1`,
      },
      audio: [],
    })
    await rewrap(plain, flagged, 'mp4', { matrix })
    const { facts, check, outputPath } = await made(flagged)
    expect([facts.video!.width, facts.video!.height]).toEqual([width, height])
    expect(facts.video!.turned === undefined).toBe(words === 'as stored')
    const near = (found: number[]) => found.every((value, index) => Math.abs(value - shown[index]!) <= 3)
    expect(near(await corners(flagged))).toBe(true)
    expect(near(await corners(outputPath))).toBe(true)
    expect(check.lines.find(line => line.name === 'way up, likeness')).toMatchObject({ verdict: 'pass' })
    expect(check.verdict).toBe('pass')
  })

  test('are told from their factors in any scale, and angles that are none of the eight are let be', () => {
    expect(orientationOf([65_536, 0, 0, 65_536])).toBeNull()
    expect(orientationOf([0, 65_536, -65_536, 0])!.words).toBe('turned by 90 degrees')
    expect(orientationOf([46_341, 46_341, -46_341, 46_341])).toBeNull()
  })
})

test('a clean aperture is cut out', async () => {
  const [plain, flagged] = [named('aperture-plain.mkv'), named('aperture.mkv')]
  await writeClip({
    path: plain,
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      filters: `nullsrc=s=160x96:r=25,format=yuv420p,geq=lum='if(lt(X,16),30,200)':cb=128:cr=128,trim=end_frame=5,setsar=1`,
    },
    audio: [],
  })
  await rewrap(plain, flagged, 'matroska', { cutOff: { left: 16, top: 4, right: 0, bottom: 2 } })
  const { facts, check } = await made(flagged)
  expect(facts.video).toMatchObject({ width: 144, height: 90, cutOff: { left: 16, top: 4, right: 0, bottom: 2 } })
  expect(await corners(flagged)).toEqual([200, 200, 200, 200])
  expect(check.verdict).not.toBe('fail')
})

describe('odd sizes', () => {
  test.each([
    ['640x465', 640, 465],
    ['129x95', 129, 95],
  ])('%s in 4:2:0 is shown, measured, kept exactly and delivered', async (size, width, height) => {
    const file = named(`odd-${size}.avi`)
    await writeClip({
      path: file,
      format: 'avi',
      video: {
        encoder: 'mpeg4',
        bitRate: 2_000_000,
        filters: `testsrc2=s=${width + 1}x${height + 1}:r=25,trim=end_frame=15,scale=${width}:${height},format=yuv420p,setsar=1`,
      },
      audio: [],
    })
    const { facts, input } = await known(file)
    expect(facts.video).toMatchObject({ width, height, chroma: '4:2:0' })
    expect((await posterFrame(input, facts.video!, facts.durationSeconds)).length).toBeGreaterThan(500)
    expect(await stripFrames(input, facts.video!, facts.durationSeconds, gate)).not.toHaveLength(0)
    const { measurement } = await measureSource(input, facts, 'sampled', gate)
    expect(measurement.picture!.windows[0]!.mean[0]).toBeGreaterThan(20)
    const kept = await made(file)
    expect(kept.measured).toMatchObject({ identical: true, video: { width, height } })
    const small = await made(file, spec('small-mp4'))
    expect((small.measured.video.width % 2) + (small.measured.video.height % 2)).toBe(0)
    expect(small.check.verdict).not.toBe('fail')
  })
})

test("frames that change size in mid-stream are brought to the first one's, and named", async () => {
  const file = await writeOddSource(directory, 'size changes')
  const { facts, measured, check } = await made(file)
  expect(facts.video).toMatchObject({ width: 128, height: 96, frameCount: 24 })
  // The decoder itself drops the picture that it holds back when the size changes.
  expect(measured.account!.picture!.pictures).toBeGreaterThanOrEqual(23)
  expect(measured.account!.picture!.found).toBe(measured.account!.picture!.pictures)
  expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
  const { measurement } = await measureSource({ kind: 'file', path: file }, facts, 'sampled', gate)
  expect(findingsOf(facts, measurement).find(entry => entry.key === 'size-change')!.says).toBe(
    'Frames change their size in the middle: 128x96, 160x96. All are brought to 128x96, keeping their shape.',
  )
})

test('full-range pictures that say so are not out of range', async () => {
  const file = named('full.mkv')
  await writeClip({
    path: file,
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      filters: `testsrc2=s=320x240:r=25,trim=end_frame=30,noise=alls=8:allf=t,scale=out_range=full,setparams=range=full,format=yuv420p,setsar=1`,
    },
    audio: [],
  })
  const { facts, input } = await known(file)
  expect(facts.video!.colour.range).toBe('full')
  const { measurement } = await measureSource(input, facts, 'sampled', gate)
  expect(findingsOf(facts, measurement).some(entry => entry.key === 'illegal-levels')).toBe(false)
  expect((await made(file, spec('small-mp4'))).measured.video.colour.range).toBe('limited')
})

test.each([
  ['rgb555le', 5, 'RGB', false],
  ['rgb565le', 5, 'RGB', false],
  ['rgb444le', 4, 'RGB', false],
  ['monob', 1, 'grey', false],
  ['pal8', 8, 'RGB', true],
  ['yuva444p10le', 10, '4:4:4', true],
  ['gbrap12le', 12, 'RGB', true],
  ['p010le', 10, '4:2:0', false],
  ['yuvj422p', 8, '4:2:2', false],
  ['nv12', 8, '4:2:0', false],
  ['gray10le', 10, 'grey', false],
  ['rgb48be', 16, 'RGB', false],
  ['x2rgb10le', 10, 'RGB', false],
  ['gbrpf32le', 32, 'RGB', false],
  ['yuv420p12le', 12, '4:2:0', false],
  ['uyvy422', 8, '4:2:2', false],
] as const)('%s holds %d bits of %s', (name, bitDepth, chroma, hasAlpha) => {
  expect(describePixelFormat(name)).toMatchObject({ bitDepth, chroma, hasAlpha })
})

test('an identity matrix on luma and chroma is an error of the file and not believed', async () => {
  const file = named('identity.mkv')
  await writeClip({
    path: file,
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      filters: 'testsrc2=s=160x96:r=25,trim=end_frame=5,format=yuv444p,setparams=colorspace=gbr,setsar=1',
    },
    audio: [],
  })
  const { facts, input } = await known(file)
  expect((await posterFrame(input, facts.video!, facts.durationSeconds)).length).toBeGreaterThan(300)
  expect((await made(file, spec('small-mp4'))).check.verdict).not.toBe('fail')
})

test('a lossless frame of 4096x4096', async () => {
  const file = named('large.mkv')
  await writeClip({
    path: file,
    format: 'matroska',
    video: {
      encoder: 'mjpeg',
      options: { qmin: '2', qmax: '4' },
      filters: 'color=c=0x406080:s=4096x4096:r=2,trim=end_frame=2,format=yuvj420p,setsar=1',
    },
    audio: [],
  })
  const { measured } = await made(file)
  expect(measured).toMatchObject({ identical: true, video: { width: 4096, height: 4096, framesDecoded: 2 } })
})

describe('every step on every kind of source', () => {
  // Of each kind of source some of the steps; `TEST_ALL_STEPS=1` does all of them.
  const kinds = Object.keys(oddSources)
  const steps = (Object.keys(stepKinds) as StepKind[]).filter(kind => !['lookup-table', 'picture-mark'].includes(kind))
  const all = process.env.TEST_ALL_STEPS === '1'

  test.each(kinds.map((kind, index) => [kind, index] as const))(
    '%s: done, or refused with a sentence before it begins',
    async (kind, index) => {
      const file = await writeOddSource(directory, kind)
      const { facts, input } = await known(file)
      const problems: string[] = []
      for (const [at, step] of steps.entries()) {
        if (!all && (at + index) % 6 !== 0) continue
        const chosen =
          step === 'trim'
            ? { kind: 'trim' as const, ranges: [{ from: 0.1, to: 0.5 }] }
            : step === 'soften-mark'
              ? { kind: step, x: 10, y: 10, width: 20, height: 20 }
              : step === 'steady'
                ? ({ ...newStep('steady'), edge: 8 } as ReturnType<typeof newStep>)
                : newStep(step)
        try {
          const treatment = deriveTreatment(facts, spec('small-mkv'), [chosen])
          const plan = planOf({ spec: spec('small-mkv'), treatment })
          if (hasPicture(plan))
            await transcode({ input, facts, ...plan, outputPath: named('step.mkv') }, gate, () => undefined)
        } catch (error) {
          if (!(error instanceof CannotTreat)) problems.push(`${step}: ${(error as Error).message}`)
          else expect(error.message).toMatch(/^[A-Z].*\.$/)
        }
      }
      expect(problems).toEqual([])
    },
  )
})
