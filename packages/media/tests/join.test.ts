import path from 'node:path'
import { deriveTreatment, joinPartFacts, type PictureSpec, type Step } from '@hematine/core'
import { Frame } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { deliver, readFacts, setUpLibraries, type MediaInput, type PlainInput } from '../src/index.ts'
import { openFrames } from '../src/reading/frame-reader.ts'
import { readPacketTimes } from '../src/measuring/packet-times.ts'
import { TreatedPicture } from '../src/treating/picture-treatment.ts'
import { TreatedSound } from '../src/sound/sound-treatment.ts'
import { identityOf } from '../src/volumes/volume-files.ts'
import { extractAndCheck, openGate, soundSpecOf, specOf } from '../../../tests/support/jobs.ts'
import { writeClip, writeCountingClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { soundOf, toneOf } from '../../../tests/support/sound.ts'
import { writeSound } from '../../demo/src/write-clip.ts'

/** Sources played one after the other: frame n of a clip is a grey of 20 + 2 n, so each can be told. */
const scratch = scratchDirectory()
const lengths = [30, 20, 25]
const parts: PlainInput[] = lengths.map((_, index) => ({ kind: 'file', path: path.join(scratch, `part ${index}.mkv`) }))
let join: Extract<MediaInput, { kind: 'join' }>

async function joinOf(inputs: readonly PlainInput[]): Promise<typeof join> {
  const list = []
  for (const [index, input] of inputs.entries())
    list.push({ input, name: `part ${index}`, ...joinPartFacts(await readFacts(input)) })
  return { kind: 'join', parts: list }
}

beforeAll(async () => {
  setUpLibraries()
  for (const [index, frames] of lengths.entries())
    await writeCountingClip((parts[index] as { path: string }).path, frames, { size: '160x120', tone: true })
  join = await joinOf(parts)
})

const spec: PictureSpec = {
  ...specOf('archive-master'),
  video: { ...specOf('archive-master').video, scan: 'progressive', pixelFormat: 'yuv420p' },
}
const numberOf = (frame: Frame) => Math.round((frame.data![0]![0]! - 20) / 2)
/** Number of the part's own frame, for each frame of the join. */
const expected = lengths.flatMap(frames => Array.from({ length: frames }, (_, index) => index))

async function numbersOf(steps: Step[], firstFrame = 0): Promise<number[]> {
  const facts = await readFacts(join)
  const picture = await TreatedPicture.open(join, facts.video!, deriveTreatment(facts, spec, steps), { firstFrame })
  const frame = new Frame()
  frame.alloc()
  const numbers: number[] = []
  while (await picture.next(frame)) {
    numbers.push(numberOf(frame))
    frame.unref()
  }
  frame.free()
  await picture.close()
  return numbers
}

describe('a join', () => {
  test('has every frame of every part once, in order, at even times', async () => {
    const facts = await readFacts(join)
    expect(facts.video!.frameCount).toBe(75)
    expect(facts.durationSeconds).toBeCloseTo(3)
    const reader = await openFrames(join, facts.video!.streamIndex)
    const frame = new Frame()
    frame.alloc()
    const [numbers, times]: [number[], number[]] = [[], []]
    while (await reader.next(frame)) {
      numbers.push(numberOf(frame))
      times.push((Number(frame.pts) * reader.timeBase.num) / reader.timeBase.den)
      frame.unref()
    }
    frame.free()
    await reader.close()
    expect(numbers).toEqual(expected)
    expect(times).toEqual(expected.map((_, index) => expect.closeTo(index / 25, 2)))
  })

  test.each([12, 30, 41, 50, 70])('is begun at frame %i as if it were one file', async firstFrame => {
    expect(await numbersOf([], firstFrame)).toEqual(expected.slice(firstFrame))
  })

  test('is trimmed across its seams', async () => {
    expect(
      await numbersOf([
        {
          kind: 'trim',
          ranges: [
            { from: 1, to: 1.4 },
            { from: 1.92, to: 2.2 },
          ],
        },
      ]),
    ).toEqual([...expected.slice(25, 35), ...expected.slice(48, 55)])
  })

  test('is delivered with its sound, and passes the check', async () => {
    const facts = await readFacts(join)
    const treatment = deriveTreatment(facts, spec)
    const outputPath = path.join(scratch, 'whole.mkv')
    const measured = await deliver({ input: join, facts, treatment, spec, outputPath }, openGate, () => undefined)
    expect(measured.video.framesDecoded).toBe(75)
    expect(measured.identical).toBe(true)
    expect(measured.audio[0]!.durationSeconds).toBeCloseTo(3, 1)
    expect(measured.sourceAudioSeconds[0]).toBeCloseTo(3, 1)
  })

  test('has sound without a gap or a doubled piece at its seams', async () => {
    const facts = await readFacts(join)
    const sound = await TreatedSound.open(
      join,
      facts.audio[0]!,
      { sampleFormat: 's16', sampleRate: 48_000, layout: 'stereo', frameSize: 0 },
      0,
    )
    const frame = new Frame()
    frame.alloc()
    const values: number[] = []
    while (await sound.next(frame)) {
      const samples = new Int16Array(Uint8Array.from(frame.data![0]!.subarray(0, frame.nbSamples * 4)).buffer)
      for (let at = 0; at < samples.length; at += 2) values.push(samples[at]!)
      frame.unref()
    }
    frame.free()
    await sound.close()
    expect(Math.abs(values.length - 3 * 48_000)).toBeLessThan(480)
    // Each part begins its tone anew; nowhere is it silent for longer than a wave of 440 Hz takes.
    let [quiet, longest] = [0, 0]
    for (const value of values) {
      quiet = Math.abs(value) < 200 ? quiet + 1 : 0
      longest = Math.max(longest, quiet)
    }
    expect(longest).toBeLessThan(48_000 / 440)
  })

  test('of sound files alone is as long as they are', async () => {
    const made: PlainInput[] = []
    for (const index of [0, 1]) {
      const file = path.join(scratch, `sound ${index}.wav`)
      await writeSound(
        file,
        `sine=frequency=440:sample_rate=48000:duration=${1 + index},aformat=sample_fmts=s16:channel_layouts=mono`,
      )
      made.push({ kind: 'file', path: file })
    }
    const both = await joinOf(made)
    const facts = await readFacts(both)
    expect(facts).toMatchObject({ video: null, durationSeconds: 3 })
    const reader = await openFrames(both, facts.audio[0]!.streamIndex)
    const frame = new Frame()
    frame.alloc()
    let end = 0
    await reader.seek(BigInt(Math.round((1.5 * reader.timeBase.den) / reader.timeBase.num)))
    let first: number | null = null
    while (await reader.next(frame)) {
      const at = (Number(frame.pts) * reader.timeBase.num) / reader.timeBase.den
      first ??= at
      end = at + frame.nbSamples / frame.sampleRate
      frame.unref()
    }
    frame.free()
    await reader.close()
    expect(first).toBeGreaterThan(1)
    expect(first).toBeLessThanOrEqual(1.5)
    expect(end).toBeCloseTo(3, 1)
  })

  test('has the packet times of all its parts', async () => {
    const { pictureSeconds, endSeconds } = await readPacketTimes(join, await readFacts(join), 1000)
    expect(pictureSeconds).toEqual(expected.map((_, index) => expect.closeTo(index / 25, 2)))
    expect(endSeconds.get(0)).toBeCloseTo(3, 1)
  })

  test('of files whose times begin anywhere is as even', async () => {
    // Program streams begin at half a second or so, and their sound before or after their picture.
    const made: PlainInput[] = []
    for (const index of [0, 1]) {
      const file = path.join(scratch, `stream ${index}.mpg`)
      await writeClip({
        path: file,
        format: 'dvd',
        video: {
          encoder: 'mpeg2video',
          bitRate: 4_000_000,
          keyframeDistance: 12,
          filters: `nullsrc=s=720x576:r=25,format=yuv420p,geq=lum='40+20*${index}+2*N':cb=128:cr=128,trim=end_frame=40,setsar=1`,
        },
        audio: [
          {
            encoder: 'mp2',
            bitRate: 192_000,
            filters: 'sine=frequency=440:sample_rate=48000:duration=1.6,aformat=sample_fmts=s16:channel_layouts=stereo',
          },
        ],
      })
      made.push({ kind: 'file', path: file })
    }
    const both = await joinOf(made)
    const facts = await readFacts(both)
    const picture = await TreatedPicture.open(both, facts.video!, deriveTreatment(facts, spec))
    const frame = new Frame()
    frame.alloc()
    const levels: number[] = []
    while (await picture.next(frame)) {
      levels.push(frame.data![0]![400]!)
      frame.unref()
    }
    frame.free()
    await picture.close()
    expect(levels).toHaveLength(80)
    expect(
      levels.every((level, index) => Math.abs(level - (index < 40 ? 40 + 2 * index : 60 + 2 * (index - 40))) <= 2),
    ).toBe(true)
  })

  test('says when a part is another than it was', async () => {
    const other = { ...join, parts: [join.parts[0]!, { ...join.parts[1]!, seconds: 9 }] }
    await expect(readFacts(other)).rejects.toThrow('part 1 is another than when it was joined.')
    expect(await identityOf(join)).not.toBe(await identityOf({ ...join, parts: [...join.parts].reverse() }))
  })
})

test('sound alone of a join runs on from part to part', async () => {
  const ends = [
    ['first.wav', 500, 1.5],
    ['second.wav', 2000, 1],
  ] as const
  const inputs = ends.map(([name]): PlainInput => ({ kind: 'file', path: path.join(scratch, name) }))
  for (const [name, hertz, seconds] of ends)
    await writeSound(
      path.join(scratch, name),
      `sine=frequency=${hertz}:sample_rate=48000:duration=${seconds},aformat=sample_fmts=s16:channel_layouts=stereo`,
    )
  const both = await joinOf(inputs)
  const { check } = await extractAndCheck(both, soundSpecOf('sound-flac'), path.join(scratch, 'joined.flac'))
  expect(check.verdict).toBe('pass')
  const { rate, values } = await soundOf({ kind: 'file', path: path.join(scratch, 'joined.flac') })
  expect(values.length).toBe(2.5 * rate)
  expect(toneOf(values.subarray(0, 1.4 * rate), rate)).toBeCloseTo(500, 0)
  expect(toneOf(values.subarray(1.6 * rate), rate)).toBeCloseTo(2000, 0)
})
