import path from 'node:path'
import { judge, type PictureSpec, type RateControl } from '@hematine/core'
import { FormatContext, Packet } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { measureResult, setUpLibraries, transcode, type MediaInput } from '../src/index.ts'
import { makeAndCheck, openGate } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** Whether results keep what their specs let a player count on. */
const scratch = scratchDirectory()
const clip: MediaInput & { kind: 'file' } = { kind: 'file', path: path.join(scratch, 'clip.mkv') }

beforeAll(async () => {
  setUpLibraries()
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

/** Bits and decoding times of a file's only stream, in order. */
async function picturesOf(file: string): Promise<{ seconds: number; bits: number }[]> {
  const context = new FormatContext()
  const packet = new Packet()
  packet.alloc()
  const found = []
  try {
    await context.openInput(file, null, null)
    while ((await context.readFrame(packet)) >= 0) {
      const { num, den } = context.streams[0]!.timeBase
      found.push({ seconds: (Number(packet.dts) * num) / den, bits: packet.size * 8 })
      packet.unref()
    }
  } finally {
    packet.free()
    await context.closeInput()
  }
  return found
}

/** A tank that is full at first, fills while there is room, and is emptied picture by picture. */
function runsDry(pictures: { seconds: number; bits: number }[], rate: number, size: number): boolean {
  let held = size
  return pictures.some(({ seconds, bits }, index) => {
    held = Math.min(size, held + rate * (seconds - (pictures[index - 1]?.seconds ?? seconds))) - bits
    return held < 0
  })
}

describe.each([
  ['h264', 'mp4'],
  ['mpeg2video', 'mpg'],
  ['mpeg2video', 'mkv'],
] as const)('%s in %s', (codec, container) => {
  const specOf = (rateControl: RateControl): PictureSpec => pictureSpec(container, codec, null, rateControl)

  test('with a limit keeps it, by its own packets', async () => {
    const { check } = await makeAndCheck(clip, specOf(limited), path.join(scratch, `${codec}-kept.${container}`))
    expect(lineOf(check)).toMatchObject({ expected: 'at most 750 kbit at 1.5 Mbit/s', verdict: 'pass' })
    const { bufferBits } = check.measurement.flow!
    expect(bufferBits).toBeGreaterThan(50_000)
    // What it is said to need is what a player needs, and not less.
    const pictures = await picturesOf(path.join(scratch, `${codec}-kept.${container}`))
    expect(runsDry(pictures, 1_500_000, bufferBits + 1)).toBe(false)
    expect(runsDry(pictures, 1_500_000, bufferBits - 1)).toBe(true)
  })

  test('that was made without passes no check for one', async () => {
    const made = await makeAndCheck(clip, specOf(free), path.join(scratch, `${codec}-free.${container}`))
    expect(lineOf(made.check)).toBeUndefined()
    const { facts, treatment } = made
    const plan = { input: clip, facts, treatment, outputPath: path.join(scratch, `${codec}-again.${container}`) }
    const { proved } = await transcode({ ...plan, spec: specOf(free) }, openGate, () => undefined)
    const spec = specOf(limited)
    const measured = await measureResult({ ...plan, spec, proved }, openGate, () => undefined)
    expect(lineOf(judge(measured, spec, treatment))).toMatchObject({
      verdict: 'fail',
      reason: expect.stringMatching(
        /^A player that keeps to these limits would run dry at 0:0[12]\.\d\. Choose a lower rate or a smaller frame, or allow more\.$/,
      ),
    })
  })
})

test('HEVC keeps the rate and the buffer of its level, also at its best quality', async () => {
  const busy: MediaInput & { kind: 'file' } = { kind: 'file', path: path.join(scratch, 'busy.mkv') }
  await writeClip({
    path: busy.path,
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      filters: 'testsrc2=s=352x288:r=25:d=2,noise=alls=40:allf=t:all_seed=4,format=yuv420p,setsar=1',
    },
    audio: [],
  })
  const plain = pictureSpec('mp4', 'hevc', null, { kind: 'constant quality', value: 10 })
  const free = await makeAndCheck(busy, plain, path.join(scratch, 'free.mp4'))
  // More than the 6 Mbit a second of level 3 (ITU-T H.265, table A.9), so that there is something to keep.
  expect(free.check.measurement.bytes * 8).toBeGreaterThan(2 * 6_000_000 + 6_000_000)
  const spec: PictureSpec = { ...plain, video: { ...plain.video, level: '3' } }
  const { check } = await makeAndCheck(busy, spec, path.join(scratch, 'level.mp4'))
  expect(lineOf(check)).toMatchObject({ expected: 'at most 6.00 Mbit at 6.0 Mbit/s', verdict: 'pass' })
})
