import { existsSync } from 'node:fs'
import { readdir, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { curvePoints, deriveTreatment, extentOf, forecastJob, judge, type PictureSpec } from '@hematine/core'
import sharp from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import {
  measureCurve,
  deliver,
  measureSample,
  plainStill,
  readFacts,
  setUpLibraries,
  transcode,
  treatedStill,
  type MediaInput,
} from '../src/index.ts'
import { openGate } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** What a source comes to at other qualities, held against results that were really made at them. */
const scratch = scratchDirectory()
const clip: MediaInput & { kind: 'file' } = { kind: 'file', path: path.join(scratch, 'clip.mkv') }
const sampleDirectory = path.join(scratch, 'samples')
const scratchOfCurve = path.join(sampleDirectory, 'curve')
const picturesDirectory = path.join(scratch, 'pictures')

beforeAll(async () => {
  setUpLibraries()
  await writeClip({
    path: clip.path,
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      // Shorter than the stretches together, so that they are all of it.
      filters: 'testsrc2=s=320x180:r=25:d=1,noise=alls=3:allf=t:all_seed=5,format=yuv420p,setsar=1',
    },
    audio: [],
  })
})

const holding = (codec: string, value: number, container: 'mp4' | 'webm' | 'jpg' = 'mp4'): PictureSpec =>
  pictureSpec(container, codec, { mp4: 'aac', webm: 'opus', jpg: null }[container], {
    kind: 'constant quality',
    value,
  })

async function curveOf(spec: PictureSpec, input: MediaInput = clip, gate: { turn(): Promise<void> } = openGate) {
  const facts = await readFacts(input)
  const treatment = deriveTreatment(facts, spec)
  const plan = { input, facts, treatment, spec }
  const sample = await measureSample(
    { ...plan, scratchDirectory: scratch, machine: 'a test' },
    openGate,
    () => undefined,
    Infinity,
  )
  const parts: number[] = []
  const curve = await measureCurve(
    { ...plan, sample, scratchDirectory: scratchOfCurve, picturesDirectory },
    gate,
    part => parts.push(part),
  )
  const extent = extentOf({ spec, treatment })
  return { plan, parts, curve, points: curvePoints(curve, sample, extent, null), forecast: forecastJob(sample, extent) }
}

/** Mean difference of samples, in codes. */
const distance = (a: Uint8Array, b: Uint8Array) => {
  expect(a.length).toBe(b.length)
  return a.reduce((sum, value, at) => sum + Math.abs(value - b[at]!), 0) / a.length
}

describe('a curve', () => {
  test.each([
    ['h264', 22, 'mp4'],
    ['vp9', 32, 'webm'],
  ] as const)(
    'of %s says of the quality that the spec holds what its forecast says',
    async (codec, value, container) => {
      const { points, forecast, parts } = await curveOf(holding(codec, value, container))
      const own = points.find(point => point.value === value)!
      expect(own.bytes).toEqual(forecast.bytes)
      expect(own).toMatchObject(forecast.quality!)
      expect(parts.at(-1)).toBe(1)
      expect(existsSync(scratchOfCurve)).toBe(false)
      // Coarser is smaller and less alike, all the way.
      for (const [index, point] of points.slice(1).entries()) {
        expect(point.bytes.expected).toBeLessThan(points[index]!.bytes.expected)
        expect(point.xpsnr!).toBeLessThan(points[index]!.xpsnr!)
      }
    },
  )

  test('is what results come to that are made at its points', async () => {
    const { plan, points } = await curveOf(holding('h264', 22))
    for (const point of [points[1]!, points.at(-2)!]) {
      const spec = holding('h264', point.value)
      const outputPath = path.join(scratch, `made-${point.value}.mp4`)
      const made = { ...plan, spec, outputPath }
      const check = judge(await deliver(made, openGate, () => undefined), spec, plan.treatment)
      expect(check.measurement.bytes).toBeGreaterThan(point.bytes.low)
      expect(check.measurement.bytes).toBeLessThan(point.bytes.high)
      // The stretches were cut out: their first frames are coded apart, and cost a little more.
      expect(Math.abs(check.measurement.xpsnr!.mean - point.xpsnr!)).toBeLessThan(1)
    }
  })

  test('keeps a frame of its hardest stretch at every quality: what results hold that are made at them', async () => {
    const { plan, curve, points } = await curveOf(holding('h264', 22))
    const { seconds, values } = curve.pictures!
    expect(values).toEqual(points.map(point => point.value))
    expect((await readdir(picturesDirectory)).sort()).toEqual(
      [...values.map(value => `at-${value}.png`), 'treated.png'].sort(),
    )
    const kept = async (name: string) => sharp(path.join(picturesDirectory, name)).raw().toBuffer()
    const treated = await kept('treated.png')
    const index = Math.round(seconds * 25)
    expect(distance(treated, (await treatedStill(clip, plan.facts.video!, plan.treatment, index)).data)).toBe(0)
    const distances: number[] = []
    for (const value of values) distances.push(distance(await kept(`at-${value}.png`), treated))
    expect(distances).toEqual([...distances].sort((a, b) => a - b))
    expect(distances.at(-1)!).toBeGreaterThan(2 * distances[0]!)
    const [value] = values.slice(-2)
    const outputPath = path.join(scratch, 'looked-at.mp4')
    await transcode({ ...plan, spec: holding('h264', value!), outputPath }, openGate, () => undefined)
    const made: MediaInput = { kind: 'file', path: outputPath }
    const still = await plainStill(made, (await readFacts(made)).video!, seconds)
    // Encoded within its stretch or within the whole, a frame comes out nearly the same, and far from the treated one.
    expect(distance(await kept(`at-${value}.png`), still.data)).toBeLessThan(distances.at(-2)! / 2)
  })

  test('is measured all the same where its frame cannot be written', async () => {
    const spec = holding('h264', 22)
    const { plan, curve } = await curveOf(spec)
    await writeFile(path.join(scratch, 'in-the-way'), '')
    const sample = await measureSample(
      { ...plan, scratchDirectory: scratch, machine: 'a test' },
      openGate,
      () => undefined,
      Infinity,
    )
    const blocked = path.join(scratch, 'in-the-way', 'pictures')
    const other = await measureCurve(
      { ...plan, sample, scratchDirectory: scratchOfCurve, picturesDirectory: blocked },
      openGate,
      () => undefined,
    )
    expect(other.pictures).toBeUndefined()
    expect(other.points.map(point => point.value)).toEqual(curve.points.map(point => point.value))
  })

  test('of one picture of odd sides is what the picture comes to', async () => {
    const picture: MediaInput & { kind: 'file' } = { kind: 'file', path: path.join(scratch, 'picture.png') }
    const raw = { width: 301, height: 199, channels: 3 as const }
    const values = Uint8Array.from({ length: raw.width * raw.height * 3 }, (_, index) => (index * index) % 251)
    await sharp(values, { raw }).png().toFile(picture.path)
    const { plan, points } = await curveOf(holding('mjpeg', 3, 'jpg'), picture)
    expect(points.map(point => point.value)).toContain(3)
    const spec = holding('mjpeg', points.at(-1)!.value, 'jpg')
    const outputPath = path.join(scratch, 'picture.jpg')
    const { bytes, xpsnr } = await deliver({ ...plan, spec, outputPath }, openGate, () => undefined)
    expect(bytes).toBe(Math.round(points.at(-1)!.bytes.expected))
    expect(xpsnr!.mean).toBeCloseTo(points.at(-1)!.xpsnr!, 6)
  })

  test('of a codec without a scale is refused in a sentence', async () => {
    const spec = pictureSpec('mkv', 'ffv1', null)
    const facts = await readFacts(clip)
    const plan = {
      input: clip,
      facts,
      treatment: deriveTreatment(facts, spec),
      spec,
      scratchDirectory: scratchOfCurve,
      picturesDirectory: null,
    }
    await expect(measureCurve({ ...plan, sample: { windows: [] } }, openGate, () => undefined)).rejects.toThrow(
      /no scale of quality/,
    )
  })

  test('that is stopped leaves nothing behind', async () => {
    let turns = 0
    const gate = {
      async turn() {
        if (++turns > 40) throw new Error('stopped')
      },
    }
    await expect(curveOf(holding('h264', 22), clip, gate)).rejects.toThrow('stopped')
    expect(existsSync(scratchOfCurve)).toBe(false)
    expect((await readdir(scratch)).filter(name => name.startsWith('stretch'))).toEqual([])
  })
})
