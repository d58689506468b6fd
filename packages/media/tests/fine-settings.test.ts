import { readFile } from 'node:fs/promises'
import path from 'node:path'
import { specProblems, type Container, type FineSettings, type PictureSpec } from '@hematine/core'
import { AV_PICTURE_TYPE_B, AVMEDIA_TYPE_VIDEO } from 'node-av/constants'
import { FormatContext, Frame, Packet } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { setUpLibraries, type MediaInput } from '../src/index.ts'
import { StreamDecoder } from '../src/reading/decoder.ts'
import { makeAndCheck } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** What encoders made of fine settings, read from the streams themselves. */
const scratch = scratchDirectory()
const clip: MediaInput & { kind: 'file' } = { kind: 'file', path: path.join(scratch, 'clip.mkv') }

beforeAll(async () => {
  setUpLibraries()
  await writeClip({
    path: clip.path,
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      // Moves evenly, so that frames in between are worth it.
      filters: 'testsrc2=s=176x144:r=25:d=2,format=yuv420p,setsar=1',
    },
    audio: [],
  })
})

/** Parts of elementary streams between their start codes, of a codec with a setting. */
async function partsOf(codec: string, fine: FineSettings, container: Container = 'ts'): Promise<Uint8Array[]> {
  const { outputPath } = await made(codec, fine, container)
  const context = new FormatContext()
  const packet = new Packet()
  packet.alloc()
  const bytes: Uint8Array[] = []
  try {
    await context.openInput(outputPath, null, null)
    while ((await context.readFrame(packet)) >= 0) {
      bytes.push(Uint8Array.from(packet.data!))
      packet.unref()
    }
  } finally {
    packet.free()
    await context.closeInput()
  }
  const whole = Buffer.concat(bytes)
  const parts: Uint8Array[] = []
  const startCode = Buffer.from([0, 0, 1])
  for (let at = whole.indexOf(startCode); at >= 0;) {
    const next = whole.indexOf(startCode, at + 3)
    parts.push(whole.subarray(at + 3, next < 0 ? whole.length : next))
    at = next
  }
  return parts
}

let count = 0
async function made(codec: string, fine: FineSettings, container: Container) {
  const plain = pictureSpec(container, codec, null)
  const effort = { h264: 'fast', hevc: 'fast' }[codec] ?? plain.video.effort
  const spec: PictureSpec = { ...plain, video: { ...plain.video, effort, fine } }
  expect(specProblems(spec)).toEqual([])
  const result = await makeAndCheck(clip, spec, path.join(scratch, `${codec}-${count++}.${container}`))
  expect(result.check.lines.filter(line => line.verdict === 'fail')).toEqual([])
  return result
}

/** Most frames between two that others lean on, in the order in which they are shown. */
async function mostBetween(codec: string, fine: FineSettings, container: Container): Promise<number> {
  const { outputPath } = await made(codec, fine, container)
  const decoder = await StreamDecoder.openBest({ kind: 'file', path: outputPath }, AVMEDIA_TYPE_VIDEO)
  const frame = new Frame()
  frame.alloc()
  let [most, run] = [0, 0]
  try {
    while (await decoder.next(frame)) {
      run = frame.pictType === AV_PICTURE_TYPE_B ? run + 1 : 0
      most = Math.max(most, run)
      frame.unref()
    }
  } finally {
    frame.free()
    await decoder.close()
  }
  return most
}

/** A number in the bits of a parameter set (ITU-T H.264, 9.1). */
function bitReader(bytes: Uint8Array) {
  let at = 0
  const bit = () => (bytes[at >> 3]! >> (7 - (at++ & 7))) & 1
  const number = () => {
    let zeros = 0
    while (bit() === 0) zeros++
    let value = 1
    for (let index = 0; index < zeros; index++) value = 2 * value + bit()
    return value - 1
  }
  return { skip: (bits: number) => void (at += bits), number }
}

/** max_num_ref_frames of a sequence parameter set of the Main profile (ITU-T H.264, 7.3.2.1.1). */
async function referencesOf(fine: FineSettings): Promise<number> {
  const set = (await partsOf('h264', fine)).find(part => (part[0]! & 31) === 7)!
  const bits = bitReader(set)
  // The head of the unit, profile, constraints and level.
  bits.skip(32)
  const [, , orderType] = [bits.number(), bits.number(), bits.number()]
  if (orderType === 0) bits.number()
  return bits.number()
}

describe('frames between two that others lean on', () => {
  test.each([
    ['h264', 'mp4', 3],
    ['hevc', 'mkv', 2],
    ['mpeg2video', 'mpg', 1],
    ['mpeg4', 'mp4', 2],
  ] as const)('of %s in %s are none, or up to %i, as is chosen', async (codec, container, most) => {
    expect(await mostBetween(codec, { betweenFrames: 0 }, container)).toBe(0)
    const found = await mostBetween(codec, { betweenFrames: most }, container)
    expect(found).toBeGreaterThan(0)
    expect(found).toBeLessThanOrEqual(most)
  })
})

describe('frames to lean on', () => {
  test('of H.264 are as many as are chosen', async () => {
    // Without B frames, which need a place of their own among those that are kept.
    expect(await referencesOf({ references: 1, betweenFrames: 0 })).toBe(1)
    expect(await referencesOf({ references: 6, betweenFrames: 0 })).toBe(6)
  })
})

describe('groups of pictures', () => {
  test('of HEVC that are closed begin with pictures that clear all before them; open ones do not', async () => {
    // nal_unit_type (ITU-T H.265, table 7-1): 19 and 20 are instantaneous refreshes, 21 clean random access.
    const kinds = async (fine: FineSettings) =>
      (await partsOf('hevc', fine)).map(part => (part[0]! >> 1) & 63).filter(kind => kind >= 16 && kind <= 21)
    const open = await kinds({})
    expect(open).toContain(21)
    const closed = await kinds({ closedGroups: true })
    expect(closed.length).toBeGreaterThan(2)
    expect(closed.every(kind => kind === 19 || kind === 20)).toBe(true)
  })

  test('of MPEG-2 say that they are closed', async () => {
    // closed_gop follows the 25 bits of the time code (ITU-T H.262, 6.2.2.6).
    const groups = async (fine: FineSettings) =>
      (await partsOf('mpeg2video', fine, 'mpg')).filter(part => part[0] === 0xb8).map(part => (part[4]! >> 6) & 1)
    expect((await groups({})).slice(1)).toContain(0)
    const closed = await groups({ closedGroups: true })
    expect(closed.length).toBeGreaterThan(2)
    expect(closed.every(isClosed => isClosed === 1)).toBe(true)
  })
})

describe('what a picture is', () => {
  test.each([
    ['h264', 'film'],
    ['h264', 'drawn'],
    ['h264', 'grain'],
    ['hevc', 'drawn'],
    ['hevc', 'grain'],
    ['vp9', 'film'],
  ] as const)('changes how %s spends its bits: %s', async (codec, suits) => {
    const container = codec === 'vp9' ? 'webm' : 'mkv'
    const [plain, tuned] = [await made(codec, {}, container), await made(codec, { suits }, container)]
    const bytes = async ({ outputPath }: { outputPath: string }) => readFile(outputPath)
    expect((await bytes(plain)).equals(await bytes(tuned))).toBe(false)
  })
})

test('a cap is kept with all of them', async () => {
  const plain = pictureSpec('mp4', 'hevc', null, { kind: 'size cap', bytes: 100_000 })
  const spec: PictureSpec = {
    ...plain,
    video: { ...plain.video, fine: { betweenFrames: 2, references: 2, closedGroups: true, suits: 'grain' } },
  }
  const { outputPath } = await makeAndCheck(clip, spec, path.join(scratch, 'capped.mp4'))
  expect((await readFile(outputPath)).length).toBeLessThanOrEqual(100_000)
})
