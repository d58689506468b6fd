import { copyFileSync, rmSync, statSync } from 'node:fs'
import { cpus } from 'node:os'
import path from 'node:path'
import { deliveredFacts, deriveTreatment, judge, pictureSpecs, type Container, type PictureSpec } from '@hematine/core'
import { measureResult, readFacts, setUpLibraries, transcode } from '@hematine/media'
import { flushToDisk } from '@hematine/media/volumes/volume-files'
import { writeClip } from '../../packages/demo/src/write-clip.ts'
import { temporaryDirectory } from '../lib/bootstrap.mjs'

const gate = { turn: async () => undefined }
const rounds = 3
/** Least part of a plain copy's rate that is aimed at. */
const aim = 0.8
/** What one second of the drawn picture takes, about. */
const megabytesPerSecond = 25

/** Copies what fits untouched into a container. */
function copying(container: Container): PictureSpec {
  const archive = pictureSpecs.find(({ key }) => key === 'editing-master')!
  return {
    ...archive,
    name: `Untouched ${container}`,
    container,
    audio: { ...archive.audio!, codec: 'aac', bitsPerSecondPerChannel: 64_000, copied: 'where it fits' },
    video: { ...archive.video, copied: 'in any codec' },
  }
}

async function seconds(work: () => Promise<unknown>): Promise<number> {
  const begun = performance.now()
  await work()
  return (performance.now() - begun) / 1000
}

const median = (values: number[]) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)]!

/** `npm run bench:copy [-- MEGABYTES]`. Ends with an error when a copy is not the same, or misses the aim. */
export async function benchCopy(megabytes: number): Promise<void> {
  setUpLibraries()
  const directory = temporaryDirectory('hematine-bench-copy-')
  try {
    console.log(
      `Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}. Every file is written through to the disk.`,
    )
    console.log(
      '\n| from | to | GB | plain copy, s | untouched, s | its rate | check, s | verdict |\n|---|---|---|---|---|---|---|---|',
    )
    const length = Math.ceil(megabytes / megabytesPerSecond)
    for (const [encoder, bitRate, keyframeDistance, format, from, to] of [
      ['mjpeg', 200_000_000, undefined, 'mov', 'mov', 'mkv'],
      ['mpeg2video', 200_000_000, 12, 'matroska', 'mkv', 'mp4'],
    ] as const) {
      const source = path.join(directory, `source.${from}`)
      await writeClip({
        path: source,
        format,
        video: {
          encoder,
          bitRate,
          ...(keyframeDistance ? { keyframeDistance } : {}),
          filters: `testsrc2=s=1920x1080:r=25:d=${length},noise=alls=60:allf=t:all_seed=1,format=${encoder === 'mjpeg' ? 'yuvj422p' : 'yuv420p'},setsar=1`,
        },
        audio: [
          {
            encoder: 'aac',
            bitRate: 128_000,
            filters: `sine=frequency=440:sample_rate=48000:duration=${length},aformat=sample_fmts=fltp:channel_layouts=stereo`,
          },
        ],
      })
      const input = { kind: 'file' as const, path: source }
      const facts = await readFacts(input)
      const spec = copying(to)
      const treatment = deriveTreatment(facts, spec)
      if (!treatment.copied) throw new Error(`${from} was not to be copied: ${treatment.notes?.[0]}`)
      const plan = { input, facts: deliveredFacts(facts, treatment), treatment, spec }
      const times = { plain: [] as number[], untouched: [] as number[] }
      const result = path.join(directory, `result.${to}`)
      for (let round = 0; round < rounds; round++) {
        const copy = path.join(directory, 'copy')
        times.plain.push(
          await seconds(async () => {
            copyFileSync(source, copy)
            await flushToDisk(copy)
          }),
        )
        rmSync(copy)
        rmSync(result, { force: true })
        times.untouched.push(
          await seconds(async () => {
            await transcode({ ...plan, outputPath: result }, gate, () => undefined)
            await flushToDisk(result)
          }),
        )
      }
      const begun = performance.now()
      const { verdict } = judge(
        await measureResult({ ...plan, outputPath: result }, gate, () => undefined),
        spec,
        treatment,
        { facts, findings: [] },
      )
      const checkSeconds = (performance.now() - begun) / 1000
      const rate = median(times.plain.map((plain, round) => plain / times.untouched[round]!))
      console.log(
        `| ${from}, ${encoder} | ${to} | ${(statSync(source).size / 1e9).toFixed(2)} | ${median(times.plain).toFixed(2)} | ${median(times.untouched).toFixed(2)} | ${(100 * rate).toFixed(0)} % (aim ${100 * aim}) | ${checkSeconds.toFixed(0)} | ${verdict} |`,
      )
      if (verdict === 'fail' || rate < aim) process.exitCode = 1
      rmSync(source)
      rmSync(result)
    }
  } finally {
    rmSync(directory, { recursive: true, force: true })
  }
}
