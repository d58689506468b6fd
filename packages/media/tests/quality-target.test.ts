import { mkdir, readdir } from 'node:fs/promises'
import path from 'node:path'
import { deriveTreatment, judge, pictureCodecs, specProblems, type Container, type PictureSpec } from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { deliver, measureSample, readFacts, setUpLibraries, type MediaInput } from '../src/index.ts'
import { openGate } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** A quality that is kept as it is measured over the whole result, whatever stretches said. */
const scratch = scratchDirectory()
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: path.join(scratch, name) })
const even = fileAt('even.mkv')
const uneven = fileAt('uneven.mkv')

beforeAll(async () => {
  setUpLibraries()
  for (const [file, filters] of [
    [even, 'testsrc2=s=160x96:r=25:d=3,noise=alls=10:allf=t:all_seed=11'],
    // Stretches spread over it see the busy part less than it counts.
    [uneven, "testsrc2=s=160x96:r=25:d=9,noise=alls=26:allf=t:all_seed=12:enable='gt(t,7.2)'"],
  ] as const)
    await writeClip({
      path: file.path,
      format: 'matroska',
      video: { encoder: losslessEncoder, filters: `${filters},format=yuv420p,setsar=1` },
      audio: [],
    })
})

const targeting = (codec: string, container: Container, xpsnr: number) =>
  pictureSpec(container, codec, container === 'webm' ? 'opus' : 'aac', { kind: 'quality target', xpsnr })

async function make(input: MediaInput, spec: PictureSpec, name: string) {
  const directory = path.join(scratch, name)
  await mkdir(directory)
  const facts = await readFacts(input)
  const treatment = deriveTreatment(facts, spec)
  const outputPath = path.join(directory, `result.${spec.container}`)
  const stages: string[] = []
  const measurement = await deliver({ input, facts, treatment, spec, outputPath }, openGate, ({ stage }) => {
    if (stages.at(-1) !== stage) stages.push(stage)
  })
  return { check: judge(measurement, spec, treatment), stages, left: await readdir(directory), facts, treatment }
}

describe('a measured quality', () => {
  const codecs = pictureCodecs.filter(codec => codec.rates.includes('quality target')).map(codec => codec.key)
  test('can be asked of every codec with a scale that is fine enough', () => {
    expect(codecs).toEqual(expect.arrayContaining(['h264', 'hevc', 'av1', 'vp9']))
  })

  test.each(codecs)('is met by %s within half a dB, and nothing but the result is left', async key => {
    const spec = targeting(key, key === 'vp9' ? 'webm' : 'mp4', 38)
    expect(specProblems(spec)).toEqual([])
    const { check, stages, left } = await make(even, spec, key)
    expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    expect(Math.abs(check.measurement.xpsnr!.mean - 38)).toBeLessThanOrEqual(0.5)
    expect(check.lines.find(line => line.name === 'XPSNR')).toMatchObject({
      expected: '38 dB, within 0.5 dB',
      verdict: 'pass',
    })
    expect(stages.slice(0, 3)).toEqual(['search', 'encode', 'check'])
    expect(left).toEqual([`result.${spec.container}`])
  })

  test('is met over the whole where stretches are not like it: it is made once more', async () => {
    const { check, left } = await make(uneven, targeting('h264', 'mp4', 40), 'uneven')
    expect(Math.abs(check.measurement.xpsnr!.mean - 40)).toBeLessThanOrEqual(0.5)
    expect(left).toEqual(['result.mp4'])
  })

  test('out of reach is said, with the best that could be had', async () => {
    const { check, left } = await make(even, targeting('h264', 'mp4', 60), 'out-of-reach')
    expect(check.lines.find(line => line.name === 'XPSNR')).toMatchObject({
      verdict: 'look',
      reason: expect.stringMatching(/^The result is below the quality that the spec asks for/) as unknown,
    })
    expect(left).toEqual(['result.mp4'])
  })

  test('is sampled at the setting that is found, and the search is counted', async () => {
    const spec = targeting('h264', 'mp4', 34)
    const facts = await readFacts(even)
    const treatment = deriveTreatment(facts, spec)
    const scratchDirectory = path.join(scratch, 'sample')
    await mkdir(scratchDirectory)
    const sample = (wanted: PictureSpec) =>
      measureSample(
        { input: even, facts, treatment, spec: wanted, scratchDirectory, machine: 'a test' },
        openGate,
        () => undefined,
      )
    const [coarse, careful] = [await sample(spec), await sample(targeting('h264', 'mp4', 44))]
    expect(coarse.searchSeconds).toBeGreaterThan(0)
    // Ten dB more take several times the bytes.
    expect(careful.windows[0]!.interBytes).toBeGreaterThan(2 * coarse.windows[0]!.interBytes)
    expect(await readdir(scratchDirectory)).toEqual([])
  })
})
