import path from 'node:path'
import { stretchLookedAt, type PlainLook } from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { readFacts, setUpLibraries, type MediaInput } from '../src/index.ts'
import { lookPlainly, zeroOf } from '../src/proof/plain-look.ts'
import { writeClip, type Clip } from '../../../tests/support/material.ts'
import { openGate } from '../../../tests/support/jobs.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

/** A plain look at a stretch of a source sees in it what a look at all of it does. */
const scratch = scratchDirectory()
const clips: [name: string, format: string, video: Omit<Clip['video'] & object, 'filters'>][] = [
  ['short-groups.mpg', 'vob', { encoder: 'mpeg2video', options: { g: '12', bf: '2', b: '2000000' } }],
  ['short-groups.ts', 'mpegts', { encoder: 'mpeg2video', options: { g: '12', bf: '2', b: '2000000' } }],
  ['one-group.mp4', 'mp4', { encoder: 'libx264', options: { g: '1000', bf: '3', preset: 'ultrafast' } }],
  ['long-groups.mpg', 'vob', { encoder: 'mpeg2video', options: { g: '120', bf: '2', b: '2000000' } }],
  ['long-groups.ts', 'mpegts', { encoder: 'libx264', options: { g: '250', bf: '3', preset: 'ultrafast' } }],
  ['groups.mkv', 'matroska', { encoder: 'libx264', options: { g: '50', bf: '3', preset: 'ultrafast' } }],
  ['frames.avi', 'avi', { encoder: 'ffvhuff' }],
]
const seconds = 12

beforeAll(async () => {
  setUpLibraries()
  for (const [name, format, video] of clips)
    await writeClip({
      path: path.join(scratch, name),
      format,
      video: { ...video, filters: `testsrc2=s=160x128:r=25:d=${seconds},format=yuv420p,setsar=1` },
      audio: [],
    })
})

/** What was seen of the pictures that are shown in a stretch, from its second picture on: the first has none before it to differ from. */
function within(look: PlainLook, zero: number, { from, to }: { from: number; to: number }) {
  return look.seconds.flatMap((at, index) =>
    at !== null && at - zero > from && at - zero < to ? [[at, look.mean[index], look.change[index]]] : [],
  )
}

describe('a plain look at a stretch', () => {
  test.each(clips)('of %s sees what a look at all of it sees, and little else', async (name, _, { options }) => {
    const input: MediaInput = { kind: 'file', path: path.join(scratch, name) }
    const facts = await readFacts(input)
    const zero = zeroOf(facts)
    const whole = await lookPlainly(
      input,
      () => facts.video!.streamIndex,
      openGate,
      () => undefined,
    )
    expect(whole.pictures).toBe(seconds * 25)
    for (const stretch of [
      { from: 5, to: 7 },
      { from: 0, to: 1 },
      { from: 11, to: 20 },
    ]) {
      const some = await lookPlainly(
        ...([input, () => facts.video!.streamIndex, openGate, () => undefined, undefined, null, null] as const),
        { ...stretch, kept: stretch, zero, rate: 25 },
      )
      const seen = within(some, zero, stretch)
      expect(seen.length).toBeGreaterThan(20)
      expect(seen).toEqual(within(whole, zero, stretch))
      expect(some.errors).toBe(0)
      // As many as the stretch has, and those since the keyframe before it.
      const most = (Math.min(seconds, stretch.to) - stretch.from) * 25 + Number(options?.g ?? 1) + 2
      expect(some.pictures).toBeLessThanOrEqual(most)
      expect(some.pictures).toBe(some.seconds.length)
      expect(zero + some.begins!).toBeCloseTo(some.seconds[0]!, 6)
      // Samples are told by their times from the source's first picture.
      const samples = new Map(whole.samples.map(sample => [sample.seconds.toFixed(3), sample.picture]))
      for (const { seconds, picture } of some.samples) {
        const same = samples.get(seconds.toFixed(3))
        if (same) expect(picture).toEqual(same)
      }
    }
  })

  test('is taken where a trim leaves little, and times tell where one is', async () => {
    const facts = await readFacts({ kind: 'file', path: path.join(scratch, 'groups.mkv') })
    const timeline = {
      ranges: [
        { from: 4, to: 5 },
        { from: 8, to: 9 },
      ],
      speed: 1,
    }
    expect(stretchLookedAt(facts, { timeline })).toEqual({ from: 2, to: 10, kept: { from: 4, to: 9 } })
    expect(stretchLookedAt(facts, {})).toBeNull()
    expect(stretchLookedAt({ ...facts, jumps: [{ at: 3, by: 10 } as never] }, { timeline })).toBeNull()
    expect(stretchLookedAt({ ...facts, video: { ...facts.video!, rateIs: 'variable' } }, { timeline })).toBeNull()
  })
})
