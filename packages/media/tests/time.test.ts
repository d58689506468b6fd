import { createHash } from 'node:crypto'
import { appendFile, readFile } from 'node:fs/promises'
import path from 'node:path'
import {
  deriveTreatment,
  findingsOf,
  judge,
  pictureSpecs,
  soundSpecs,
  type PictureSpec,
  type SourceFacts,
  type Step,
} from '@hematine/core'
import { Frame } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { openFrames } from '../src/reading/frame-reader.ts'
import {
  extractSound,
  deliver,
  measureSoundResult,
  measureSource,
  readFacts,
  setUpLibraries,
  type MediaInput,
} from '../src/index.ts'
import { TreatedPicture } from '../src/treating/picture-treatment.ts'
import { knownOf } from '../src/volumes/source-input.ts'
import { writeClip, writeCountingClip } from '../../../tests/support/material.ts'
import { rewrap } from '../../../tests/support/rewrap.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

/** What a source is in time, on material whose times were put out of order on purpose. Expected values are those that the clips were made with. */

const directory = scratchDirectory()
const gate = { turn: async () => undefined }
const named = (name: string) => path.join(directory, name)
const archive = pictureSpecs.find(spec => spec.key === 'archive-master')!
beforeAll(setUpLibraries)

async function known(file: string): Promise<{ facts: SourceFacts; input: MediaInput }> {
  const facts = await readFacts({ kind: 'file', path: file })
  return { facts, input: { kind: 'file', path: file, ...knownOf(facts) } }
}

/** Does a job and checks it. */
async function made(file: string, spec: PictureSpec = archive) {
  const { facts, input } = await known(file)
  const treatment = deriveTreatment(facts, spec)
  const plan = { input, facts, treatment, spec, outputPath: named(`out-${path.basename(file)}.${spec.container}`) }
  const measured = await deliver(plan, gate, () => undefined)
  return { facts, treatment, measured, check: judge(measured, spec, treatment) }
}

/** Mean luma of every frame that reading a source gives, and its time in frames. */
async function lumas(file: string): Promise<{ luma: number; at: number }[]> {
  const { facts, input } = await known(file)
  const video = facts.video!
  const reader = await openFrames(input, video.streamIndex)
  const frame = new Frame()
  frame.alloc()
  const found: { luma: number; at: number }[] = []
  while (await reader.next(frame)) {
    const seconds = ((Number(frame.pts) - video.startTicks) * video.timeBase.num) / video.timeBase.den
    found.push({
      luma: frame.data![0]![frame.linesize[0]! * 4 + 8]!,
      at: Math.round((seconds * video.frameRate.num) / video.frameRate.den),
    })
    frame.unref()
  }
  frame.free()
  await reader.close()
  return found
}

describe('times that jump', () => {
  /** A program stream in which a recorder began anew: 60 frames, then 50 whose times begin at 0 again. */
  async function restarted(): Promise<string> {
    const [file, second] = [named('restarted.mpg'), named('second.mpg')]
    for (const [name, frames, tone] of [
      [file, 60, 300],
      [second, 50, 500],
    ] as const) {
      await writeClip({
        path: name,
        format: 'vob',
        video: {
          encoder: 'mpeg2video',
          bitRate: 3_000_000,
          keyframeDistance: 12,
          filters: `testsrc2=s=320x240:r=25,trim=end_frame=${frames},format=yuv420p,setsar=1`,
        },
        audio: [
          {
            encoder: 'ac3',
            bitRate: 192_000,
            filters: `sine=frequency=${tone}:sample_rate=48000:duration=${frames / 25},aformat=sample_fmts=fltp:channel_layouts=stereo`,
          },
        ],
      })
    }
    await appendFile(file, await readFile(second))
    return file
  }

  test('back go on where the material before them ends, and nothing of picture or sound is lost', async () => {
    const { facts, measured, check } = await made(await restarted())
    expect(facts.video).toMatchObject({
      frameCount: 110,
      frameCountFrom: 'packets',
      slots: 110,
      rateIs: 'constant',
      frameRate: { num: 25, den: 1 },
    })
    expect(facts.jumps).toHaveLength(1)
    expect(facts.jumps![0]!.by).toBeLessThan(-2)
    expect(facts.jumps![0]).toMatchObject({ of: 'picture and sound' })
    expect(facts.jumps![0]!.seconds).toBeGreaterThan(2.2)
    expect(facts.jumps![0]!.seconds).toBeLessThan(2.6)
    expect(measured.account!.picture).toMatchObject({
      pictures: 110,
      expected: 110,
      found: 110,
      dropped: [],
      repeated: [],
    })
    expect(measured.video.framesDecoded).toBe(110)
    // AC-3 comes in packets of 32 ms, of which each part has whole ones.
    expect(measured.audio[0]!.durationSeconds).toBeGreaterThan(4.35)
    expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
  })

  test('back are crossed by what begins before them: no picture is lost, and each has its time', async () => {
    const { facts, input } = await known(await restarted())
    const { startTicks, timeBase, streamIndex } = facts.video!
    for (const seconds of [1, 1.5, 2, 2.3]) {
      const reader = await openFrames(input, streamIndex)
      await reader.seek(BigInt(startTicks) + BigInt(Math.round((seconds * timeBase.den) / timeBase.num)))
      const frame = new Frame()
      frame.alloc()
      const numbers: number[] = []
      while (await reader.next(frame)) {
        numbers.push(Math.round(((Number(frame.pts) - startTicks) * timeBase.num * 25) / timeBase.den))
        frame.unref()
      }
      frame.free()
      await reader.close()
      const [first] = numbers as [number]
      expect(first).toBeLessThanOrEqual(seconds * 25)
      expect(numbers).toEqual(Array.from({ length: 110 - first }, (_, index) => first + index))
    }
  })

  test('are a finding with its place, and a place behind the jump is found again', async () => {
    const file = await restarted()
    const { facts, input } = await known(file)
    const { measurement } = await measureSource(input, facts, 'sampled', gate)
    const found = findingsOf(facts, measurement).find(entry => entry.key === 'jumps')!
    expect(found.says).toMatch(
      /^The times of the picture and sound jump 2\.\d\d s back at 0:02\.\d; the material goes on without a gap\.$/,
    )
    const video = facts.video!
    const reader = await openFrames(input, video.streamIndex)
    const frame = new Frame()
    frame.alloc()
    const wanted = BigInt(video.startTicks) + BigInt(Math.round((3.6 * video.timeBase.den) / video.timeBase.num))
    await reader.seek(wanted)
    expect(await reader.next(frame)).toBe(true)
    expect(frame.pts).toBeLessThanOrEqual(wanted)
    // Not from the beginning: the second part's own keyframes serve.
    expect((Number(wanted - frame.pts) * video.timeBase.num) / video.timeBase.den).toBeLessThan(1.6)
    frame.free()
    await reader.close()
  })

  test('ahead in the picture alone are a gap: the sound says that time went by', async () => {
    const [plain, gapped] = [named('plain-gap.mkv'), named('leap.mkv')]
    await writeCountingClip(plain, 50, { tone: true })
    await rewrap(plain, gapped, 'matroska', {
      change: (packet, number, isPicture) => {
        if (isPicture && number >= 20) {
          packet.pts += 3000n
          packet.dts += 3000n
        }
      },
    })
    const { facts } = await known(gapped)
    expect(facts.jumps).toBeUndefined()
    expect(facts.video).toMatchObject({ frameCount: 50, slots: 125, gaps: { count: 1 } })
  })
})

describe('a gap in a constant clip', () => {
  test('of 185 ms leaves its rate what it is, and every frame is kept', async () => {
    const [plain, gapped] = [named('thirty.mkv'), named('thirty-gap.mkv')]
    await writeCountingClip(plain, 80, { rate: '30' })
    await rewrap(plain, gapped, 'matroska', {
      change: (packet, number) => {
        if (number >= 1) {
          packet.pts += 152n
          packet.dts += 152n
        }
      },
    })
    const { facts, measured, check } = await made(gapped)
    expect(facts.video).toMatchObject({
      frameRate: { num: 30, den: 1 },
      rateIs: 'constant',
      frameCount: 80,
      gaps: { count: 1 },
    })
    expect(facts.video!.gaps!.seconds).toBeCloseTo(0.152, 2)
    expect(facts.video!.slots).toBe(85)
    expect(measured.account!.picture).toMatchObject({
      pictures: 80,
      dropped: [],
      expected: measured.account!.picture!.found,
    })
    expect(check.verdict).not.toBe('fail')
  })
})

describe('elementary streams', () => {
  test('have the rate of their head, a length and a count, and come out evenly', async () => {
    const file = named('stream.m1v')
    await writeClip({
      path: file,
      format: 'mpeg1video',
      video: {
        encoder: 'mpeg1video',
        bitRate: 800_000,
        keyframeDistance: 15,
        options: { bf: '2' },
        filters: 'testsrc2=s=320x240:r=30,trim=end_frame=162,format=yuv420p,setsar=1',
      },
      audio: [],
    })
    const { facts, measured } = await made(file)
    expect(facts).toMatchObject({
      durationSeconds: 5.4,
      video: { frameRate: { num: 30, den: 1 }, rateIs: 'constant', frameCount: 162, slots: 162 },
    })
    expect(measured.account!.picture).toMatchObject({
      pictures: 162,
      expected: 162,
      found: 162,
      dropped: [],
      repeated: [],
    })
    expect(measured.identical).toBe(true)
    expect((await lumas(file)).map(({ at }) => at)).toEqual(Array.from({ length: 162 }, (_, index) => index))
    const { measurement } = await measureSource({ kind: 'file', path: file }, facts, 'sampled', gate)
    expect(measurement.picture!.windows.length).toBeGreaterThan(4)
  })
})

describe('empty packets', () => {
  test('repeat the picture before and are no frames', async () => {
    const [plain, empty] = [named('full.avi'), named('empty.avi')]
    await writeClip({
      path: plain,
      format: 'avi',
      video: {
        encoder: 'mpeg4',
        bitRate: 500_000,
        keyframeDistance: 10,
        options: { bf: '0' },
        filters: 'testsrc2=s=160x120:r=25,trim=end_frame=60,format=yuv420p,setsar=1',
      },
      audio: [],
    })
    // The writer of AVI fills what is left out with empty chunks.
    await rewrap(plain, empty, 'avi', { change: (_, number) => number < 10 || number >= 20 || number % 2 === 0 })
    const { facts, measured } = await made(empty)
    expect(facts.video).toMatchObject({ frameCount: 55, repeats: 5, slots: 60, rateIs: 'constant' })
    expect(measured.account!.picture).toMatchObject({
      pictures: 55,
      repeated: [{ by: 'repeats of the source', count: 5 }],
      expected: 60,
      found: 60,
    })
    expect(measured.video.decodeErrors + measured.sourceDecodeErrors).toBe(0)
  })
})

describe('sound before the picture', () => {
  test('is kept in a result of sound alone, and its being cut is said where there is a picture', async () => {
    const [plain, early] = [named('with-sound.mkv'), named('early.mkv')]
    await writeCountingClip(plain, 50, { tone: true })
    await rewrap(plain, early, 'matroska', {
      change: (packet, _, isPicture) => {
        if (isPicture) {
          packet.pts += 600n
          packet.dts += 600n
        }
      },
    })
    const { facts, input } = await known(early)
    expect(facts.audio[0]!.startSeconds).toBeCloseTo(-0.6, 2)
    const small = deriveTreatment(facts, archive)
    expect(small.notes).toContain(
      'The sound begins 0.60 s before the picture; what is heard before its first frame is cut off. A spec for sound alone keeps it.',
    )
    const spec = soundSpecs.find(entry => entry.key === 'sound-wav')!
    const treatment = deriveTreatment(facts, spec)
    const plan = { input, facts, treatment, spec, outputPath: named('early.wav') }
    const { seconds } = await extractSound(plan, gate, () => undefined)
    expect(seconds).toBeCloseTo(2, 2)
    const measured = await measureSoundResult(plan, gate, () => undefined)
    expect(measured.account!.sound[0]).toMatchObject({ cutBefore: 0, late: 0 })
    expect(judge(measured, spec, treatment).lines.filter(line => line.verdict !== 'pass')).toEqual([])
  })
})

test('a rate a little above a limit becomes the limit', async () => {
  const box = pictureSpecs.find(spec => spec.key === 'playback-box')!
  const { facts } = await known(named('thirty.mkv'))
  const treatment = deriveTreatment(
    { ...facts, video: { ...facts.video!, frameRate: { num: 45_000, den: 1499 } } },
    box,
  )
  expect(treatment.result.rate).toEqual({ num: 30, den: 1 })
  expect(treatment.steps.find(step => step.kind === 'rate')!.why).toContain('One frame in 1500 is dropped.')
})

describe('a picture that stands still, stored once', () => {
  const slow = named('slow.mkv')
  /** Twelve seconds at 25 fps of which nothing is stored between the second and the tenth: frame 50 is shown for eight seconds. */
  const standing = named('standing.mkv')
  beforeAll(async () => {
    for (const [path, filters] of [
      [standing, `testsrc2=s=160x120:r=25:d=12,format=yuv420p,setsar=1,select='not(between(n,51,249))'`],
      [slow, 'testsrc2=s=160x120:r=2:d=12,format=yuv420p,setsar=1'],
    ] as const)
      await writeClip({ path, format: 'matroska', video: { encoder: 'ffvhuff', filters }, audio: [] })
  })

  /** Numbers and content of the frames of a treatment, from one on. */
  async function framesFrom(firstFrame: number, file = standing, spec = archive) {
    const { facts, input } = await known(file)
    const treatment = deriveTreatment(facts, spec)
    const picture = await TreatedPicture.open(input, facts.video!, treatment, { firstFrame })
    const frame = new Frame()
    frame.alloc()
    const found: string[] = []
    while (await picture.next(frame)) {
      // Line by line: what pads the lines may be anything.
      const [sum, stride] = [createHash('sha256'), frame.linesize[0]!]
      for (let y = 0; y < frame.height; y++) sum.update(frame.data![0]!.subarray(y * stride, y * stride + frame.width))
      found.push(`${frame.pts} ${sum.digest('hex')}`)
      frame.unref()
    }
    frame.free()
    await picture.close()
    return found
  }

  test('is there wherever treating begins: before it, in it, at its end and behind it', async () => {
    const whole = await framesFrom(0)
    expect(whole).toHaveLength(300)
    expect(new Set(whole.slice(50, 250).map(entry => entry.split(' ')[1])).size).toBe(1)
    for (const first of [40, 50, 58, 60, 125, 200, 240, 249, 250, 251, 262, 299])
      expect(await framesFrom(first)).toEqual(whole.slice(first))
  })

  test('for as long as a slow source does at a quick rate', async () => {
    const quick = {
      ...archive,
      video: { ...archive.video, maxFrameRate: { num: 60, den: 1 }, holdsFrameRate: true as const },
    }
    const whole = await framesFrom(0, slow, quick)
    expect(whole).toHaveLength(720)
    for (const first of [25, 166, 385, 719]) expect(await framesFrom(first, slow, quick)).toEqual(whole.slice(first))
  })
})

describe('another speed', () => {
  test.each(['avi', 'matroska', 'mov'])(
    'puts what lies between two frames where it belongs, also by a clock that only counts frames (%s)',
    async format => {
      const file = named(`slopes.${format}`)
      // Frame n is of one grey, 16 + 4n.
      const filters = "color=c=black:s=64x48:r=25:d=2,format=yuv420p,setsar=1,geq=lum='16+4*N':cb=128:cr=128"
      await writeClip({ path: file, format, video: { encoder: 'ffvhuff', filters }, audio: [] })
      const { facts, input } = await known(file)
      const slower: Step = { kind: 'speed', factor: 0.8, between: 'blend', cutThreshold: 100 }
      const treatment = deriveTreatment(facts, archive, [slower])
      const picture = await TreatedPicture.open(input, facts.video!, treatment)
      const frame = new Frame()
      frame.alloc()
      const greys: number[] = []
      while (await picture.next(frame)) {
        greys.push(frame.data![0]![0]!)
        frame.unref()
      }
      frame.free()
      await picture.close()
      // Frame k of the result shows what is at 0.8 k of the source, up to rounding in the mixing.
      for (const [k, grey] of greys.slice(0, 60).entries())
        expect(Math.abs(grey - (16 + 4 * 0.8 * k))).toBeLessThan(0.7)
    },
  )
})
