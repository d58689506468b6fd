import { mkdir, readdir, stat } from 'node:fs/promises'
import path from 'node:path'
import { deriveTreatment, extentOf, forecastJob, pictureCodecs, specProblems, type Container } from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { measureSample, readFacts, setUpLibraries, transcode, type MediaInput } from '../src/index.ts'
import { makeAndCheck, openGate } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** A file under a cap: never larger, and hardly smaller where its picture has use for the bits. */
const scratch = scratchDirectory()
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: path.join(scratch, name) })
const busy = fileAt('busy.mkv')
const still = fileAt('still.mkv')
const sound = "aevalsrc='0.4*sin(2*PI*(200+300*t)*t)|0.3*sin(2*PI*(900-250*t)*t)':s=48000:d=4"

beforeAll(async () => {
  setUpLibraries()
  for (const [file, filters] of [
    [busy, 'testsrc2=s=480x270:r=25:d=4,noise=alls=30:allf=t:all_seed=7,format=yuv420p,setsar=1'],
    [still, 'smptebars=s=480x270:r=25:d=4,format=yuv420p,setsar=1'],
  ] as const)
    await writeClip({
      path: file.path,
      format: 'matroska',
      video: { encoder: losslessEncoder, filters },
      audio: [
        {
          encoder: 'pcm_s16le',
          filters: `${sound},aformat=sample_fmts=s16:channel_layouts=stereo`,
          language: 'eng',
        },
      ],
    })
})

const capped = (codec: string, container: Container, audio: string, bytes: number) =>
  pictureSpec(container, codec, audio, { kind: 'size cap', bytes })
const placed = async (name: string) => {
  await mkdir(path.join(scratch, name), { recursive: true })
  return path.join(scratch, name)
}

const codecs = pictureCodecs.filter(codec => codec.rates.includes('size cap')).map(codec => codec.key)
const kept: [string, Container, string, number][] = codecs.flatMap(codec => [
  [codec, 'mp4', 'aac', 400_000] as [string, Container, string, number],
  [codec, 'mkv', 'flac', 1_500_000] as [string, Container, string, number],
])

describe('a result under a cap', () => {
  test('can be had of the codecs whose encoders go over the frames twice', () => {
    expect(codecs).toEqual(['h264', 'hevc'])
  })

  test.each(kept)('of %s in %s with %s and %i bytes fills it to 98 % and is no larger', async (...choice) => {
    const [codec, container, audio, bytes] = choice
    const spec = capped(codec, container, audio, bytes)
    expect(specProblems(spec)).toEqual([])
    const directory = await placed(`${codec}-${container}`)
    const { check } = await makeAndCheck(busy, spec, path.join(directory, `result.${container}`))
    expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
    const { size } = await stat(path.join(directory, `result.${container}`))
    expect(size).toBeLessThanOrEqual(bytes)
    expect(size).toBeGreaterThanOrEqual(0.98 * bytes)
    // What the passes kept for each other is gone.
    expect(await readdir(directory)).toEqual([`result.${container}`])
  })

  test('is as small as it comes out where the picture needs no more', async () => {
    const directory = await placed('still')
    const output = path.join(directory, 'result.mp4')
    const { check } = await makeAndCheck(still, capped('h264', 'mp4', 'aac', 5_000_000), output)
    expect(check.verdict).not.toBe('fail')
    expect((await stat(output)).size).toBeLessThan(2_500_000)
    expect(await readdir(directory)).toEqual(['result.mp4'])
  })

  test('is refused in a sentence where sound that is only now counted leaves nothing', async () => {
    const directory = await placed('refused')
    await expect(
      makeAndCheck(busy, capped('h264', 'mkv', 'flac', 120_000), path.join(directory, 'result.mkv')),
    ).rejects.toThrow(/At most 120 kB leaves no room for the picture: the sound of 4\.0 s takes \d+ kB of it\./)
    expect(await readdir(directory)).toEqual([])
  })

  test('that is stopped leaves nothing beside its unfinished file', async () => {
    const directory = await placed('stopped')
    const spec = capped('h264', 'mp4', 'aac', 400_000)
    const facts = await readFacts(busy)
    const treatment = deriveTreatment(facts, spec)
    const stages: string[] = []
    let turns = 0
    const gate = {
      turn: async () => {
        // In the second pass: the first takes a turn for each frame and some for the sound.
        if (stages.includes('encode') && ++turns > 20) throw new Error('stopped')
      },
    }
    const plan = { input: busy, facts, treatment, spec, outputPath: path.join(directory, 'result.mp4') }
    await expect(transcode(plan, gate, progress => stages.push(progress.stage))).rejects.toThrow('stopped')
    expect(new Set(stages)).toEqual(new Set(['first pass', 'encode']))
    expect((await readdir(directory)).filter(name => name !== 'result.mp4')).toEqual([])
  })

  test('is forecast with the time of both passes, and to fill the cap', async () => {
    const spec = capped('h264', 'mp4', 'aac', 800_000)
    const facts = await readFacts(busy)
    const treatment = deriveTreatment(facts, spec)
    const sample = await measureSample(
      { input: busy, facts, treatment, spec, scratchDirectory: await placed('sample'), machine: 'a test' },
      openGate,
      () => undefined,
    )
    expect(sample.windows.every(window => window.firstPassSeconds! > 0)).toBe(true)
    expect(forecastJob(sample, extentOf({ spec, treatment })).bytes).toEqual({
      expected: 792_000,
      low: 784_000,
      high: 800_000,
    })
    expect(await readdir(path.join(scratch, 'sample'))).toEqual([])
  })
})
