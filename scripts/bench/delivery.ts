import { readdirSync, rmSync, statSync } from 'node:fs'
import path from 'node:path'
import {
  CannotTreat,
  deriveTreatment,
  judge,
  leastOfCap,
  pictureSpecs,
  targetTolerance,
  toNumber,
  usualRate,
  withContainer,
  withPictureCodec,
  withSoundCodec,
  type Container,
  type PictureSpec,
} from '@hematine/core'
import { writeClip } from '@hematine/demo/write-clip'
import { deliver, measureResult, MediaError, readFacts, setUpLibraries, transcode } from '@hematine/media'
import { temporaryDirectory } from '../lib/bootstrap.mjs'

const gate = { turn: async () => undefined }

/** Pictures that need many bits, few, or many at some places only. */
const drawn: [name: string, filters: (seconds: number, seed: number) => string][] = [
  ['noisy bars', (s, seed) => `testsrc2=s=480x270:r=25:d=${s},noise=alls=18:allf=t:all_seed=${seed}`],
  ['slow gradients', (s, seed) => `gradients=s=480x360:r=30:d=${s}:seed=${seed}:speed=0.02`],
  ['zoom', s => `mandelbrot=s=400x300:r=25,trim=end=${s}`],
  [
    'quiet, then busy',
    (s, seed) => `smptebars=s=480x270:r=25:d=${s},noise=alls=40:allf=t:all_seed=${seed}:enable='gt(t,${s / 2})'`,
  ],
]
const lengths = [1, 8]
const ways: [Container, string, string, string][] = [
  ['mp4', 'h264', 'aac', 'veryfast'],
  ['mkv', 'hevc', 'flac', 'ultrafast'],
]

const targetWays: typeof ways = [...ways, ['webm', 'av1', 'opus', '10']]

function specFor([container, codec, sound, effort]: (typeof ways)[number]): PictureSpec {
  const base = withContainer(
    pictureSpecs.find(spec => spec.key === 'editing-master')!,
    container,
  ) as PictureSpec
  return {
    ...base,
    audio: withSoundCodec(base.audio!, sound),
    video: { ...withPictureCodec(base.video, codec), effort },
  }
}

/** `npm run bench:delivery [-- FOLDER]`. Ends with an error when a cap was passed, or a result of a measured quality failed its check. */
export async function benchDelivery([folder]: string[]): Promise<void> {
  setUpLibraries()
  const directory = temporaryDirectory('hematine-bench-delivery-')
  try {
    const files = folder
      ? readdirSync(folder)
          .map(name => path.join(folder, name))
          .filter(file => statSync(file).isFile())
      : await draw(directory)
    const passed = [await benchCaps(files, directory), await benchTargets(files, directory)]
    if (passed.includes(false)) process.exitCode = 1
  } finally {
    rmSync(directory, { recursive: true, force: true })
  }
}

/** A job that is refused in a sentence is counted, and no more. */
async function orRefused<Made>(made: Promise<Made>): Promise<Made | null> {
  try {
    return await made
  } catch (error) {
    if (error instanceof CannotTreat || error instanceof MediaError) return null
    throw error
  }
}

async function benchCaps(files: readonly string[], directory: string): Promise<boolean> {
  const sum = { made: 0, over: 0, filled: 0, needsNoMore: 0, refused: 0, failed: 0 }
  console.log(
    '\n| source | length | codec | cap | of the cap | second passes | all passes against one at a held quality |\n|---|---|---|---|---|---|---|',
  )
  for (const file of files)
    for (const way of ways)
      for (const part of [0.25, 0.6]) {
        const line = await orRefused(capOne(file, specFor(way), part, directory))
        if (!line) {
          sum.refused++
          continue
        }
        sum.made++
        if (line.bytes > line.cap) sum.over++
        else if (line.bytes >= line.cap * leastOfCap) sum.filled++
        else sum.needsNoMore++
        if (line.verdict === 'fail') sum.failed++
        console.log(
          `| ${path.basename(file).slice(0, 40)} | ${line.seconds.toFixed(1)} s | ${way[1]} | ${(line.cap / 1000).toFixed(0)} kB | ${((100 * line.bytes) / line.cap).toFixed(1)} % | ${line.passes} | ${line.times.toFixed(1)} |`,
        )
      }
  console.log(
    `\n${sum.made} results under a cap: ${sum.over} over it, ${sum.filled} fill it to at least ${100 * leastOfCap} %, ${sum.needsNoMore} are smaller because more bits added nothing or the encoder has no rate in between, ${sum.failed} of too few bits to pass their check; ${sum.refused} refused with a sentence.`,
  )
  return sum.over === 0
}

async function benchTargets(files: readonly string[], directory: string): Promise<boolean> {
  const sum = { made: 0, met: 0, said: 0, refused: 0, failed: 0 }
  console.log('\n| source | codec | target | measured | encodes of the whole |\n|---|---|---|---|---|')
  for (const file of files)
    for (const way of targetWays)
      for (const target of [36, 42]) {
        const line = await orRefused(targetOne(file, specFor(way), target, directory))
        if (!line) {
          sum.refused++
          continue
        }
        sum.made++
        if (Math.abs(line.xpsnr - target) <= targetTolerance) sum.met++
        else if (line.verdict !== 'pass') sum.said++
        if (line.verdict === 'fail') sum.failed++
        console.log(
          `| ${path.basename(file).slice(0, 40)} | ${way[1]} | ${target} dB | ${Number.isFinite(line.xpsnr) ? `${line.xpsnr.toFixed(2)} dB` : 'identical'} | ${line.encodes} |`,
        )
      }
  console.log(
    `\n${sum.made} results to a measured quality: ${sum.met} within ${targetTolerance} dB, ${sum.said} out of the codec's reach and said to be, ${sum.failed} fail their check; ${sum.refused} refused with a sentence.`,
  )
  return sum.failed === 0
}

async function draw(directory: string): Promise<string[]> {
  const files: string[] = []
  let seed = 4100
  for (const [name, filters] of drawn)
    for (const seconds of lengths) {
      const file = path.join(directory, `${name} ${seconds} s.mkv`)
      await writeClip({
        path: file,
        format: 'matroska',
        video: {
          encoder: 'ffv1',
          options: { level: '3' },
          filters: `${filters(seconds, ++seed)},format=yuv420p,setsar=1`,
        },
        audio: [
          {
            encoder: 'pcm_s16le',
            filters: `sine=frequency=330:sample_rate=48000:duration=${seconds},aformat=sample_fmts=s16:channel_layouts=stereo`,
          },
        ],
      })
      files.push(file)
    }
  return files
}

/** Makes a result at the codec's usual quality, and then one that may have a part of its size. */
async function capOne(file: string, spec: PictureSpec, part: number, directory: string) {
  const input = { kind: 'file' as const, path: file }
  const facts = await readFacts(input)
  const outputPath = path.join(directory, `result.${spec.container}`)
  const free = { ...spec, video: { ...spec.video, rateControl: usualRate(spec.video.codec, 'constant quality') } }
  const begun = performance.now()
  const treatment = deriveTreatment(facts, free)
  await transcode({ input, facts, treatment, spec: free, outputPath }, gate, () => undefined)
  const once = performance.now() - begun
  const cap = Math.max(100_000, Math.round(statSync(outputPath).size * part))
  rmSync(outputPath)

  const capped: PictureSpec = { ...spec, video: { ...spec.video, rateControl: { kind: 'size cap', bytes: cap } } }
  const plan = { input, facts, treatment: deriveTreatment(facts, capped), spec: capped, outputPath }
  const cappedBegun = performance.now()
  let [passes, before] = [0, Number.POSITIVE_INFINITY]
  const { proved } = await transcode(plan, gate, ({ stage, framesDone }) => {
    if (stage === 'encode' && framesDone < before) passes++
    before = stage === 'encode' ? framesDone : Number.POSITIVE_INFINITY
  })
  const took = performance.now() - cappedBegun
  const { verdict, measurement } = judge(
    await measureResult({ ...plan, proved }, gate, () => undefined),
    capped,
    plan.treatment,
  )
  rmSync(outputPath)
  return {
    cap,
    passes,
    verdict,
    bytes: measurement.bytes,
    times: took / once,
    seconds: measurement.treatedFrames / toNumber(plan.treatment.result.rate),
  }
}

/** Makes a result to a quality and counts how often the whole was encoded for it. */
async function targetOne(file: string, spec: PictureSpec, xpsnr: number, directory: string) {
  const input = { kind: 'file' as const, path: file }
  const facts = await readFacts(input)
  const wanted: PictureSpec = { ...spec, video: { ...spec.video, rateControl: { kind: 'quality target', xpsnr } } }
  const outputPath = path.join(directory, `result.${spec.container}`)
  const plan = { input, facts, treatment: deriveTreatment(facts, wanted), spec: wanted, outputPath }
  let encodes = 0
  let before: string | null = null
  const measurement = await deliver(plan, gate, ({ stage }) => {
    if (stage === 'encode' && before !== 'encode') encodes++
    before = stage
  })
  rmSync(outputPath)
  const { verdict } = judge(measurement, wanted, plan.treatment)
  return { encodes, verdict, xpsnr: measurement.xpsnr?.mean ?? Number.POSITIVE_INFINITY }
}
