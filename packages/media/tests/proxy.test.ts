import path from 'node:path'
import { Frame } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { readFacts, setUpLibraries, type PlainInput } from '../src/index.ts'
import { StreamDecoder } from '../src/reading/decoder.ts'
import { makeProxy } from '../src/previews/proxy.ts'
import { demoSource, losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { writeSound } from '../../demo/src/write-clip.ts'

const scratch = scratchDirectory()
const input = (name: string): PlainInput => ({ kind: 'file', path: name })
beforeAll(() => setUpLibraries())

/** Time at which the sound first gets loud, in seconds. */
async function loudFrom(file: string): Promise<number> {
  const facts = await readFacts(input(file))
  const decoder = await StreamDecoder.open(input(file), facts.audio[0]!.streamIndex)
  const frame = new Frame()
  frame.alloc()
  let found = Number.NaN
  while (Number.isNaN(found) && (await decoder.next(frame))) {
    const data = new Float32Array(frame.data![0]!.buffer, frame.data![0]!.byteOffset, frame.nbSamples)
    const index = data.findIndex(value => Math.abs(value) > 0.2)
    if (index >= 0) found = (Number(frame.pts) * decoder.timeBase.num) / decoder.timeBase.den + index / frame.sampleRate
    frame.unref()
  }
  frame.free()
  await decoder.close()
  return found
}

async function lumaOfFirst(file: string): Promise<number> {
  const decoder = await StreamDecoder.open(input(file), 0)
  const frame = new Frame()
  frame.alloc()
  await decoder.next(frame)
  const luma = frame.data![0]![0]!
  frame.free()
  await decoder.close()
  return luma
}

describe('a piece of a proxy', () => {
  const file = path.join(scratch, 'long.mkv')
  const piece = path.join(scratch, 'piece.mp4')
  beforeAll(
    () =>
      writeClip({
        path: file,
        format: 'matroska',
        // Luma is 20 and the frame number; a tone sets in at 13 s.
        video: {
          encoder: losslessEncoder,
          filters: `nullsrc=s=1280x720:r=10,format=yuv420p,geq=lum='20+mod(N,210)':cb=128:cr=128,trim=end_frame=300,setsar=1`,
        },
        audio: [
          {
            encoder: 'pcm_s16le',
            filters: `aevalsrc='0.5*sin(2*PI*440*t)*gte(t,13)':s=48000:d=30,aformat=sample_fmts=s16:channel_layouts=stereo`,
          },
        ],
      }),
    60_000,
  )

  test('begins at the very frame and sound that were asked for, is small, and has a length of twenty seconds', async () => {
    await makeProxy(input(file), await readFacts(input(file)), { startSeconds: 12 }, piece)
    const facts = await readFacts(input(piece))
    expect(facts).toMatchObject({
      container: 'MP4',
      video: { codec: 'h264', width: 768, height: 432, frameCount: 180, scan: { kind: 'progressive' } },
      audio: [{ codec: 'aac' }],
    })
    expect(Math.abs((await lumaOfFirst(piece)) - 140)).toBeLessThanOrEqual(2)
    expect(await loudFrom(piece)).toBeCloseTo(1, 1)
    await makeProxy(input(file), await readFacts(input(file)), { startSeconds: 0 }, path.join(scratch, 'first.mp4'))
    expect((await readFacts(input(path.join(scratch, 'first.mp4')))).durationSeconds).toBeCloseTo(20, 1)
  })

  test('of interlaced, anamorphic material has square pixels and whole frames', async () => {
    const disc = input(await demoSource('disc'))
    await makeProxy(disc, await readFacts(disc), { startSeconds: 5 }, piece.replace('piece', 'disc'))
    const { video, durationSeconds } = await readFacts(input(piece.replace('piece', 'disc')))
    expect(video).toMatchObject({
      width: 768,
      height: 432,
      pixelAspect: { num: 1, den: 1 },
      scan: { kind: 'progressive' },
      frameRate: { num: 25, den: 1 },
    })
    expect(durationSeconds).toBeCloseTo(9, 0)
  })

  test('of sound alone', async () => {
    const sound = path.join(scratch, 'sound.wav')
    await writeSound(sound, `aevalsrc='0.5*sin(2*PI*440*t)*gte(t,6)':s=44100:d=30,aformat=sample_fmts=s16`)
    const target = path.join(scratch, 'sound.mp4')
    await makeProxy(input(sound), await readFacts(input(sound)), { startSeconds: 4 }, target)
    expect(await readFacts(input(target))).toMatchObject({
      video: null,
      audio: [{ codec: 'aac' }],
      durationSeconds: expect.closeTo(20, 0),
    })
    expect(await loudFrom(target)).toBeCloseTo(2, 1)
  })

  test('with the sound track that was asked for', async () => {
    const two = path.join(scratch, 'two.mkv')
    const tone = (from: number) => ({
      encoder: 'pcm_s16le',
      filters: `aevalsrc='0.5*sin(2*PI*440*t)*gte(t,${from})':s=48000:d=8,aformat=sample_fmts=s16:channel_layouts=stereo`,
    })
    await writeClip({
      path: two,
      format: 'matroska',
      video: {
        encoder: losslessEncoder,
        filters: 'color=c=gray:s=64x48:r=10,trim=end_frame=80,format=yuv420p',
      },
      audio: [tone(2), tone(5)],
    })
    const target = path.join(scratch, 'second.mp4')
    await makeProxy(input(two), await readFacts(input(two)), { startSeconds: 1, sound: 1 }, target)
    expect((await readFacts(input(target))).audio).toHaveLength(1)
    expect(await loudFrom(target)).toBeCloseTo(4, 1)
  })

  test('behind the end there is none', async () => {
    await expect(
      makeProxy(input(file), await readFacts(input(file)), { startSeconds: 40 }, path.join(scratch, 'none.mp4')),
    ).rejects.toThrow()
  })
})
