import { createHash } from 'node:crypto'
import { readFile, writeFile } from 'node:fs/promises'
import path from 'node:path'
import {
  deliveredFacts,
  deriveTreatment,
  judge,
  plannedPieces as piecesOf,
  rational,
  type PictureSpec,
  type SourceFacts,
  type Step,
} from '@hematine/core'
import { Frame } from 'node-av/lib'
import sharp from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import { deliver, readFacts, setUpLibraries, type MediaInput } from '../src/index.ts'
import { readPlanes } from '../src/ground/frame-planes.ts'
import { prove } from '../src/checking/prove.ts'
import { openFrames } from '../src/reading/frame-reader.ts'
import { openGate } from '../../../tests/support/jobs.ts'
import { writeProgramStream } from '../../../tests/support/discs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** Sources cut in pieces, each made as a job would: together they are the whole, frame by frame and sample by sample. */
const plannedPieces = (facts: SourceFacts, spec: PictureSpec, steps: readonly Step[]) =>
  piecesOf(facts, spec, steps, null).map(entry => ({ ...entry, treatment: deriveTreatment(facts, spec, entry.steps) }))
const scratch = scratchDirectory()
const at = (name: string) => path.join(scratch, name)
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: at(name) })

beforeAll(async () => {
  setUpLibraries()
  for (const [name, rate] of [
    ['even.mov', rational(25)],
    ['odd.mov', rational(30_000, 1001)],
    ['odd.mkv', rational(30_000, 1001)],
  ] as const)
    await writeClip({
      path: at(name),
      format: name.endsWith('mov') ? 'mov' : 'matroska',
      video: {
        encoder: losslessEncoder,
        filters: `testsrc2=s=160x120:r=${rate.num}/${rate.den}:d=6.2,format=yuv420p,setsar=1`,
      },
      audio: [{ filters: 'sine=frequency=440:sample_rate=48000:duration=6.2', encoder: 'pcm_s16le' }],
    })
})

/** Pictures that last: frame 50 is shown for eight seconds; and some that come whenever they do. */
const lasting = [
  ['standing.mkv', "testsrc2=s=160x120:r=25:d=12,format=yuv420p,setsar=1,select='not(between(n,51,249))'"],
  ['uneven.mkv', "testsrc2=s=160x120:r=25:d=12,format=yuv420p,setsar=1,select='not(mod(n,3))+eq(mod(n,7),1)'"],
] as const
beforeAll(async () => {
  for (const [name, filters] of lasting)
    await writeClip({
      path: at(name),
      format: 'matroska',
      video: { encoder: losslessEncoder, filters },
      audio: [{ filters: 'sine=frequency=440:sample_rate=48000:duration=12', encoder: 'pcm_s16le' }],
    })
})

/** Sums of all frames of a result. */
async function framesOf(name: string): Promise<{ frames: string[]; facts: SourceFacts }> {
  const facts = await readFacts(fileAt(name))
  const frame = new Frame()
  frame.alloc()
  const frames: string[] = []
  const pictures = await openFrames(fileAt(name), facts.video!.streamIndex)
  while (await pictures.next(frame)) {
    const hash = createHash('sha256')
    for (const { data } of readPlanes(frame).planes) hash.update(data)
    frames.push(hash.digest('hex'))
    frame.unref()
  }
  await pictures.close()
  frame.free()
  return { frames, facts }
}

/** The same, and its sound in 16 bits. */
async function contentOf(name: string): Promise<{ frames: string[]; sound: Buffer }> {
  const { frames, facts } = await framesOf(name)
  const frame = new Frame()
  frame.alloc()
  const pieces: Buffer[] = []
  const sound = await openFrames(fileAt(name), facts.audio[0]!.streamIndex)
  while (await sound.next(frame)) {
    pieces.push(Buffer.from(frame.data![0]!.subarray(0, frame.nbSamples * 2 * frame.channelLayout.nbChannels)))
    frame.unref()
  }
  await sound.close()
  frame.free()
  return { frames, sound: Buffer.concat(pieces) }
}

const samplesOf = (sound: Buffer) =>
  Float64Array.from({ length: sound.length / 2 }, (_, index) => sound.readInt16LE(index * 2))
const rootMeanSquare = (values: Float64Array) =>
  Math.sqrt(values.reduce((sum, value) => sum + value * value, 0) / values.length)

const spec: PictureSpec = pictureSpec('mkv', 'ffv1', 'pcm_s16le')

/** Makes what a source becomes by a spec. @returns names of the results */
async function makeAll(source: string, facts: SourceFacts, wanted: PictureSpec, steps: Step[] = []): Promise<string[]> {
  const names: string[] = []
  for (const { piece, treatment } of plannedPieces(facts, wanted, steps)) {
    const name = `${source}-${wanted.pieces?.at ?? 'whole'}-${piece?.number ?? 0}-${steps.length}.mkv`
    const plan = {
      ...{ input: fileAt(source), facts: deliveredFacts(facts, treatment), treatment },
      ...{ spec: wanted, outputPath: at(name) },
    }
    const measured = await deliver(plan, openGate, () => undefined)
    const check = judge(measured, wanted, treatment, { facts, findings: [] })
    expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    names.push(name)
  }
  return names
}

describe('a source that is cut in pieces', () => {
  test.each(['even.mov', 'odd.mov', 'odd.mkv'])('%s has each frame and each sample in one of them', async source => {
    const facts = await readFacts(fileAt(source))
    const [whole] = await makeAll(source, facts, spec)
    const names = await makeAll(source, facts, { ...spec, pieces: { at: 'length', seconds: 1.7 } })
    expect(names).toHaveLength(4)
    const pieces = []
    for (const name of names) pieces.push(await contentOf(name))
    const all = await contentOf(whole!)
    expect(pieces.flatMap(({ frames }) => frames)).toEqual(all.frames)
    const sound = Buffer.concat(pieces.map(({ sound }) => sound))
    // Where a file counts thousandths of a second, so exactly is known where in it a piece begins.
    const off = source.endsWith('mkv') ? pieces.length * 48 * 2 : 0
    expect(Math.abs(sound.length - all.sound.length)).toBeLessThanOrEqual(off)
    if (off === 0) expect(Buffer.compare(sound, all.sound)).toBe(0)
  })

  test.each(lasting)('%s has in each what is shown then, also where it came long before', async source => {
    const facts = await readFacts(fileAt(source))
    const [whole] = await makeAll(source, facts, spec)
    const names = await makeAll(source, facts, { ...spec, pieces: { at: 'length', seconds: 1.7 } })
    expect(names).toHaveLength(7)
    const pieces = []
    for (const name of names) pieces.push((await contentOf(name)).frames)
    const all = (await contentOf(whole!)).frames
    // How long the last picture of an uneven source is shown is said nowhere; a trim ends where its times do.
    expect(all.length - pieces.flat().length).toBeLessThanOrEqual(source === 'uneven.mkv' ? 1 : 0)
    expect(pieces.flat()).toEqual(all.slice(0, pieces.flat().length))
  })

  test('and one of which a trim keeps all in twenty ranges is what it was: cuts add nothing to the sound', async () => {
    const facts = await readFacts(fileAt('even.mov'))
    const borders = [0, ...Array.from({ length: 19 }, (_, index) => 0.12 + index * 0.32), 6.2]
    const ranges = borders.slice(1).map((to, index) => ({ from: borders[index]!, to }))
    const [whole] = await makeAll('even.mov', facts, spec)
    const [cut] = await makeAll('even.mov', facts, spec, [{ kind: 'trim', ranges }])
    expect(await contentOf(cut!)).toEqual(await contentOf(whole!))
  })

  test('by chapters has theirs, at another rate and speed, too', async () => {
    const chapters = [0, 2.01, 4.4].map(from => ({ from, title: null }))
    const facts = { ...(await readFacts(fileAt('even.mov'))), chapters }
    const names = await makeAll('even.mov', facts, { ...spec, pieces: { at: 'chapters' } })
    const counts = []
    for (const name of names) counts.push((await readFacts(fileAt(name))).video!.frameCount)
    // 2.01 s is nearest to frame 50, 4.4 s is frame 110 of 155.
    expect(counts).toEqual([50, 60, 45])
    const twice: Step = { kind: 'speed', factor: 2, between: 'repeat', cutThreshold: 10 }
    const fast = await makeAll('even.mov', facts, { ...spec, pieces: { at: 'chapters' } }, [twice])
    const fastCounts = []
    for (const name of fast) fastCounts.push((await readFacts(fileAt(name))).video!.frameCount)
    expect(fastCounts.slice(0, 2)).toEqual([25, 30])
    // Half of 45 lies between the two.
    expect([22, 23]).toContain(fastCounts[2])
  })
})

describe('a source whose clock only counts frames', () => {
  test('has each frame in one piece, wherever the border lies', async () => {
    await writeClip({
      path: at('counted.avi'),
      format: 'avi',
      video: { encoder: losslessEncoder, filters: 'testsrc2=s=160x120:r=25:d=4,format=yuv420p,setsar=1' },
      audio: [],
    })
    const facts = await readFacts(fileAt('counted.avi'))
    expect(facts.video!.timeBase).toEqual({ num: 1, den: 25 })
    const bare = { ...spec, audio: null }
    const [whole] = await makeAll('counted.avi', facts, bare)
    const all = (await framesOf(whole!)).frames
    // 0.56 s are fourteen frames, and a hair more in binary fractions.
    for (const seconds of [1.04, 1.12, 1.16, 1.36]) {
      const names = await makeAll('counted.avi', facts, { ...bare, pieces: { at: 'length', seconds } })
      const pieces = []
      for (const name of names) pieces.push(...(await framesOf(name)).frames)
      expect(pieces).toEqual(all)
    }
    const trim: Step = { kind: 'trim', ranges: [{ from: 0.56, to: 4 }] }
    const [cut] = await makeAll('counted.avi', facts, bare, [trim])
    expect((await framesOf(cut!)).frames).toEqual(all.slice(14))
  })
})

describe('a source without an index', () => {
  test('has its sound in step in each piece, wherever reading began', async () => {
    // A tone that climbs: heard a few milliseconds off, it is another one.
    const climbing = "aevalsrc='0.5*sin(2*PI*(300*t+60*t*t))':s=48000:d=8"
    await writeProgramStream(at('disc.mpg'), 'testsrc2=s=160x120:r=25:d=8,format=yuv420p,setsar=1', [climbing])
    const facts = await readFacts(fileAt('disc.mpg'))
    const [whole] = await makeAll('disc.mpg', facts, spec)
    const all = samplesOf((await contentOf(whole!)).sound)
    const names = await makeAll('disc.mpg', facts, { ...spec, pieces: { at: 'length', seconds: 1.4 } })
    expect(names).toHaveLength(6)
    let begin = 0
    for (const [index, name] of names.entries()) {
      const piece = samplesOf((await contentOf(name)).sound)
      const same = all.subarray(begin, begin + piece.length)
      const off = rootMeanSquare(piece.map((value, at) => value - (same[at] ?? 0)))
      // Its coder fills up with noise of its own.
      expect(off / rootMeanSquare(same), `piece ${index + 1}`).toBeLessThan(0.001)
      begin += piece.length
    }
    expect(begin).toBe(all.length)
  })
})

describe('what lies behind the last range', () => {
  test('is not decoded: faults there are none of the piece’s', async () => {
    await writeClip({
      path: at('sound.ts'),
      format: 'mpegts',
      video: {
        encoder: 'libx264',
        keyframeDistance: 25,
        options: { preset: 'ultrafast' },
        filters: 'testsrc2=s=160x120:r=25:d=20,format=yuv420p,setsar=1',
      },
      audio: [],
    })
    const bytes = await readFile(at('sound.ts'))
    // From the second half on, every fourth kilobyte is another.
    for (let from = Math.floor(bytes.length / 2); from < bytes.length; from += 4096)
      bytes.fill(0x5a, from + 20, Math.min(bytes.length, from + 900))
    await writeFile(at('broken.ts'), bytes)
    const facts = await readFacts(fileAt('broken.ts'))
    const bare = { ...spec, audio: null }
    const trim = (from: number, to: number): Step => ({ kind: 'trim', ranges: [{ from, to }] })
    const errorsOf = async (name: string, steps: Step[]) => {
      const treatment = deriveTreatment(facts, bare, steps)
      if (treatment.result === null) throw new Error('there is a picture')
      const plan = { input: fileAt('broken.ts'), facts, treatment, spec: bare, outputPath: at(name) }
      return (await deliver(plan, openGate, () => undefined)).sourceDecodeErrors
    }
    expect(await errorsOf('early.mkv', [trim(1, 4)])).toBe(0)
    expect(await errorsOf('all.mkv', [])).toBeGreaterThan(0)
  })
})

describe('the check of a piece', () => {
  test('listens to its own part of the source, and hears sound that is out of step or turned over there', async () => {
    const voice =
      "aevalsrc='0.4*sin(2*PI*(180+70*sin(2*PI*0.31*t))*t)*(0.6+0.4*sin(2*PI*0.9*t))':s=48000:d=40,aformat=sample_fmts=s16:channel_layouts=stereo"
    await writeClip({
      path: at('talk.mkv'),
      format: 'matroska',
      video: { encoder: losslessEncoder, filters: 'testsrc2=s=96x72:r=25:d=40,format=yuv420p,setsar=1' },
      audio: [{ filters: voice, encoder: 'pcm_s16le' }],
    })
    const facts = await readFacts(fileAt('talk.mkv'))
    const trim: Step = { kind: 'trim', ranges: [{ from: 21.4, to: 29.4 }] }
    const proved = async (name: string, ...steps: Step[]) => {
      const made = deriveTreatment(facts, spec, [trim, ...steps])
      if (made.result === null) throw new Error('there is a picture')
      const source = { input: fileAt('talk.mkv'), facts: deliveredFacts(facts, made) }
      await deliver({ ...source, treatment: made, spec, outputPath: at(name) }, openGate, () => undefined)
      // Held against what was asked for, of which the other steps are no part.
      const treatment = deriveTreatment(facts, spec, [trim])
      return (await prove({ ...source, treatment, outputPath: at(name) }, openGate, () => undefined)).account.sound[0]!
    }
    const right = await proved('right.mkv')
    expect(Math.abs(right.late!)).toBeLessThan(0.001)
    expect(right).toMatchObject({ isPart: true, turnedOver: [], silent: [] })
    expect(right.silence).toBeLessThan(0.001)
    // Two seconds before it and one behind.
    expect(right.seconds).toBeCloseTo(11, 1)
    expect(right.trimmed).toBeCloseTo(3, 1)
    expect(right.expectedEnd).toBeCloseTo(8, 2)
    const late = await proved('late.mkv', { kind: 'sound-delay', milliseconds: 60 })
    expect(Math.abs(late.late! - 0.06)).toBeLessThan(0.002)
    expect((await proved('turned.mkv', { kind: 'channels', make: 'right turned over' })).turnedOver).toEqual([1])
  })
})

describe('an interlaced source', () => {
  test('is made whole with the frames beside each piece and still, as it is in one', async () => {
    await writeClip({
      path: at('fields.mov'),
      format: 'mov',
      video: {
        encoder: losslessEncoder,
        filters: 'testsrc2=s=160x120:r=50:d=4,format=yuv420p,setsar=1,tinterlace=mode=interleave_top,setfield=tff',
      },
      audio: [],
    })
    const read = await readFacts(fileAt('fields.mov'))
    const facts: SourceFacts = {
      ...read,
      video: { ...read.video!, scan: { kind: 'interlaced', firstField: 'top', framesRead: 13 } },
    }
    for (const deinterlaceTo of ['frame rate', 'field rate'] as const) {
      const wanted = { ...spec, audio: null, video: { ...spec.video, deinterlaceTo } }
      const [whole] = await makeAll('fields.mov', facts, wanted)
      const all = (await framesOf(whole!)).frames
      expect(all).toHaveLength(deinterlaceTo === 'frame rate' ? 100 : 200)
      const names = await makeAll('fields.mov', facts, { ...wanted, pieces: { at: 'length', seconds: 1.3 } })
      const pieces = []
      for (const name of names) pieces.push((await framesOf(name)).frames)
      expect(pieces.map(frames => frames.length)).toHaveLength(3)
      expect(pieces.flat()).toEqual(all)
      // The middle one of the whole: neither combed nor another.
      const one = { ...pictureSpec('mkv', 'ffv1', null), video: wanted.video }
      const trim: Step = { kind: 'trim', ranges: [{ from: 2, to: 2.04 }] }
      const [frame] = await makeAll('fields.mov', facts, { ...one, name: 'one' }, [trim])
      const middle = all.length / 2
      expect((await framesOf(frame!)).frames).toEqual(all.slice(middle, middle + all.length / 100))
    }
  })
})

describe('stills of a moving picture', () => {
  // Pieces of 1.55 s begin with frames 39, 78 and 116 of 155, or 46, 93 and 139 of 186: these are in their middles.
  test.each([
    ['even.mov', [19, 58, 97, 135]],
    ['odd.mkv', [23, 69, 116, 162]],
    // From frame 50 to frame 249 the former is shown; frame 250 is stored behind it.
    ['standing.mkv', [19, 50, 50, 50, 50, 50, 53, 86]],
  ])('of %s are the very frames of it', async (source, numbers) => {
    const facts = await readFacts(fileAt(source))
    const still: PictureSpec = { ...pictureSpec('png', 'png', null), pieces: { at: 'length', seconds: 1.55 } }
    const { frames } = await planesOf(source)
    for (const { piece, treatment } of plannedPieces(facts, still, [])) {
      const name = `${source}-frame-${piece!.number}.png`
      const plan = { input: fileAt(source), facts: deliveredFacts(facts, treatment), treatment }
      const measured = await deliver({ ...plan, spec: still, outputPath: at(name) }, openGate, () => undefined)
      const check = judge(measured, still, treatment, { facts, findings: [] })
      expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
      expect(measured.account!.picture!.pictures).toBeLessThan(frames.length)
      // Brightness of all rows, by another library's reading of the file, and by the frame's own luma.
      const picture = await sharp(at(name)).greyscale().raw().toBuffer({ resolveWithObject: true })
      const near = frames.map(luma => difference(luma, picture.data))
      expect(near.indexOf(Math.min(...near))).toBe(numbers[piece!.number - 1])
    }
  })

  test('are held against their own frame of the source: what is black in it alone is no border that was put there', async () => {
    await writeClip({
      path: at('flash.mov'),
      format: 'mov',
      video: {
        encoder: losslessEncoder,
        filters:
          "testsrc2=s=160x120:r=25:d=6.2,drawbox=x=0:y=0:w=160:h=30:c=black:t=fill:enable='eq(n,77)',format=yuv420p,setsar=1",
      },
      audio: [],
    })
    const facts = await readFacts(fileAt('flash.mov'))
    const still: PictureSpec = { ...pictureSpec('png', 'png', null), pieces: { at: 'chapters' } }
    const [{ treatment }] = plannedPieces(facts, still, []) as [ReturnType<typeof plannedPieces>[number]]
    const plan = { input: fileAt('flash.mov'), facts, treatment, spec: still, outputPath: at('flash.png') }
    const measured = await deliver(plan, openGate, () => undefined)
    const { lines } = judge(measured, still, treatment, { facts, findings: [] })
    expect(lines.find(line => line.name === 'borders')).toMatchObject({ verdict: 'pass' })
  })
})

/** Luma of all frames of a file. */
async function planesOf(name: string): Promise<{ frames: Buffer[] }> {
  const facts = await readFacts(fileAt(name))
  const reader = await openFrames(fileAt(name), facts.video!.streamIndex)
  const frame = new Frame()
  frame.alloc()
  const frames: Buffer[] = []
  while (await reader.next(frame)) {
    frames.push(Buffer.from(readPlanes(frame).planes[0]!.data))
    frame.unref()
  }
  await reader.close()
  frame.free()
  return { frames }
}

/** Mean difference of two pictures, up to how codes of 16 to 235 are brought to 0 to 255. */
function difference(luma: Buffer, grey: Buffer): number {
  return luma.reduce((sum, code, index) => sum + Math.abs(((code - 16) * 255) / 219 - grey[index]!), 0) / luma.length
}
