import path from 'node:path'
import { judge, type PictureSpec, type RateControl } from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { measureResult, silenceLibraries, type MediaInput } from '../src/index.ts'
import { makeAndCheck, openGate } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** Whether results keep what their specs let a player count on. */
const scratch = scratchDirectory()
const clip: MediaInput & { kind: 'file' } = { kind: 'file', path: path.join(scratch, 'clip.mkv') }

beforeAll(async () => {
  silenceLibraries()
  await writeClip({
    path: clip.path,
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      // Quiet, then so busy that a second of it takes many times as much.
      filters:
        "smptebars=s=352x288:r=25:d=3,noise=alls=40:allf=t:all_seed=9:enable='gt(t,1.5)',format=yuv420p,setsar=1",
    },
    audio: [],
  })
})

const limited: RateControl = {
  kind: 'average rate',
  bitsPerSecond: 1_000_000,
  peakBitsPerSecond: 1_500_000,
  bufferBits: 750_000,
}
const free: RateControl = { ...limited, bitsPerSecond: 6_000_000, peakBitsPerSecond: null, bufferBits: null }
const lineOf = (check: ReturnType<typeof judge>) => check.lines.find(line => line.name === 'player buffer')

describe.each([
  ['h264', 'mp4'],
  ['mpeg2video', 'mpg'],
  ['mpeg2video', 'mkv'],
] as const)('%s in %s', (codec, container) => {
  const specOf = (rateControl: RateControl): PictureSpec => pictureSpec(container, codec, null, rateControl)

  test('with a limit keeps it, by its own packets', async () => {
    const { check } = await makeAndCheck(clip, specOf(limited), path.join(scratch, `${codec}-kept.${container}`))
    expect(lineOf(check)).toMatchObject({ expected: 'at most 750 kbit at 1.5 Mbit/s', verdict: 'pass' })
    expect(check.measurement.flow!.bufferBits).toBeGreaterThan(50_000)
  })

  test('that was made without passes no check for one', async () => {
    const made = await makeAndCheck(clip, specOf(free), path.join(scratch, `${codec}-free.${container}`))
    expect(lineOf(made.check)).toBeUndefined()
    const { facts, treatment, outputPath } = made
    const spec = specOf(limited)
    const measured = await measureResult({ input: clip, facts, treatment, spec, outputPath }, openGate, () => undefined)
    expect(lineOf(judge(measured, spec, treatment))).toMatchObject({
      verdict: 'fail',
      reason: expect.stringMatching(
        /^A player that keeps to these limits would run dry at 0:0[12]\.\d\. Choose a lower rate or a smaller frame, or allow more\.$/,
      ),
    })
  })
})
