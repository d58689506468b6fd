import { mkdir, readdir, stat } from 'node:fs/promises'
import path from 'node:path'
import { deriveTreatment, forecastJob, judge, keyframeDistance, type PictureCheckMeasurement } from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { measureResult, measureSample, readFacts, setUpLibraries, transcode, type MediaInput } from '../src/index.ts'
import { makeAndCheck, openGate, specOf } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
const file = (name: string): MediaInput => ({ kind: 'file', path: path.join(scratch, name) })
const picture = (name: string, filters: string, size = '640x360') =>
  writeClip({
    path: path.join(scratch, name),
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      filters: `testsrc2=s=${size}:r=25:d=1,${filters}format=yuv420p,setsar=1`,
    },
    audio: [],
  })
beforeAll(() => setUpLibraries())

/** Checks one file as if it were the result made from another. */
async function checkAgainst(source: string, result: string): Promise<PictureCheckMeasurement> {
  const facts = await readFacts(file(source))
  const spec = specOf('archive-master')
  return measureResult(
    {
      input: file(source),
      facts,
      treatment: deriveTreatment(facts, spec),
      spec,
      outputPath: path.join(scratch, result),
    },
    openGate,
    () => undefined,
  )
}

describe('likeness', () => {
  beforeAll(async () => {
    await picture('plain.mkv', '')
    await picture('noisy.mkv', 'noise=alls=6:allf=t:all_seed=3,')
    await picture('noisier.mkv', 'noise=alls=24:allf=t:all_seed=3,')
    await picture('one-bad.mkv', "drawbox=x=0:y=0:w=iw:h=ih:c=gray:t=fill:enable='eq(n,13)',")
    await picture('late.mkv', 'trim=start_frame=1,setpts=PTS-STARTPTS,')
  })

  test('of a file with itself is identity', async () => {
    expect(await checkAgainst('plain.mkv', 'plain.mkv')).toMatchObject({
      identical: true,
      xpsnr: null,
      ssim: { mean: 1, worst: 1 },
    })
  })

  test('falls with the damage', async () => {
    const [little, much] = [
      await checkAgainst('plain.mkv', 'noisy.mkv'),
      await checkAgainst('plain.mkv', 'noisier.mkv'),
    ]
    expect(little.identical).toBe(false)
    expect(little.xpsnr!.mean).toBeGreaterThan(much.xpsnr!.mean + 6)
    expect(little.ssim!.mean).toBeGreaterThan(much.ssim!.mean)
  })

  test('names the worst frame', async () => {
    const measured = await checkAgainst('plain.mkv', 'one-bad.mkv')
    expect(measured.ssim!.worstFrame).toBe(13)
    expect(measured.xpsnr!.worstFrame).toBe(13)
    // All other frames are untouched, so that the mean of the 25 tells the bad one's value.
    expect(measured.ssim!.mean).toBeCloseTo((24 + measured.ssim!.worst) / 25, 3)
  })

  test('finds a lost frame by the count', async () => {
    expect(await checkAgainst('plain.mkv', 'late.mkv')).toMatchObject({
      treatedFrames: 25,
      video: { framesDecoded: 24 },
    })
  })

  test('in 10 bit does not depend on how wide the rows are', async () => {
    const xpsnr = async (width: number) => {
      await picture(`wide-${width}.mkv`, 'noise=alls=3:allf=t:all_seed=3,', `${width}x360`)
      const made = await makeAndCheck(
        file(`wide-${width}.mkv`),
        specOf('editing-master'),
        path.join(scratch, `wide-${width}.mov`),
      )
      return made.check.measurement.xpsnr!.mean
    }
    // 704 columns fill the library's rows, 720 do not.
    expect(Math.abs((await xpsnr(720)) - (await xpsnr(704)))).toBeLessThan(1)
  })
})

test('a result whose sound is out of step is found', async () => {
  const tone = (seconds: number) => [
    {
      encoder: 'pcm_s16le',
      filters: `sine=frequency=440:sample_rate=48000:duration=${seconds},aformat=sample_fmts=s16:channel_layouts=stereo`,
    },
  ]
  for (const [name, seconds] of [
    ['step.mkv', 1],
    ['out-of-step.mkv', 0.6],
  ] as const) {
    await writeClip({
      path: path.join(scratch, name),
      format: 'matroska',
      video: {
        encoder: losslessEncoder,
        filters: 'testsrc2=s=320x240:r=25:d=1,format=yuv420p,setsar=1',
      },
      audio: tone(seconds),
    })
  }
  const facts = await readFacts(file('step.mkv'))
  const spec = specOf('archive-master')
  const check = judge(await checkAgainst('step.mkv', 'out-of-step.mkv'), spec, deriveTreatment(facts, spec))
  expect(check.lines.find(line => line.name === 'sound length')).toMatchObject({
    verdict: 'fail',
    found: '0.400 s shorter',
  })
})

describe('a sample', () => {
  test('is spread over the source, is like the whole, and leaves nothing behind', async () => {
    // Twelve seconds, so that the stretches lie apart.
    await writeClip({
      path: path.join(scratch, 'twelve.mkv'),
      format: 'matroska',
      video: {
        encoder: 'libx264',
        options: { preset: 'ultrafast', crf: '18' },
        filters: 'testsrc2=s=320x180:r=25:d=12,format=yuv420p,setsar=1',
      },
      audio: [],
    })
    const input = file('twelve.mkv')
    const facts = await readFacts(input)
    const spec = specOf('small-mkv')
    const treatment = deriveTreatment(facts, spec)
    const scratchDirectory = path.join(scratch, 'stretches')
    await mkdir(scratchDirectory)
    const plan = { input, facts, treatment, spec, scratchDirectory, machine: 'test' }
    // However slow the machine is, all stretches are wanted here; with no time at all there is still the beginning of one.
    const measured = await measureSample(plan, openGate, () => undefined, Infinity)
    const hasty = await measureSample(plan, openGate, () => undefined, 0)
    expect(hasty.windows.map(({ frames, interFrames }) => [frames, interFrames])).toEqual([[12, 11]])
    expect(measured.windows.map(window => window.startSeconds).sort((a, b) => a - b)).toEqual(
      [0.6, 3, 5.4, 7.8, 10.2].map(start => expect.closeTo(start, 1)),
    )
    expect(
      measured.windows.every(window => window.frames === 30 && window.encodeSeconds > 0 && window.checkSeconds > 0),
    ).toBe(true)
    expect(await readdir(scratchDirectory)).toEqual([])

    const outputPath = path.join(scratch, 'twelve-small.mkv')
    await transcode({ input, facts, treatment, spec, outputPath }, openGate, () => undefined)
    const extent = {
      frames: 300,
      pixels: 320 * 240,
      durationSeconds: 12,
      keyframeDistance: keyframeDistance(spec, treatment),
      container: 'mkv',
      sizeIs: 'by quality',
    } as const
    const forecast = forecastJob(measured, extent)
    const bytes = (await stat(outputPath)).size
    // What was cut short says less, and that it does.
    const { expected, low, high } = forecastJob(hasty, extent).seconds
    expect([low, high]).toEqual([expected * 0.5, expected * 1.5].map(seconds => expect.closeTo(seconds, 6)))
    expect(Math.abs(forecast.bytes.expected / bytes - 1)).toBeLessThan(0.35)
  })
})
