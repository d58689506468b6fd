import { createHash } from 'node:crypto'
import { readFileSync, rmSync, writeFileSync } from 'node:fs'
import { availableParallelism, cpus } from 'node:os'
import path from 'node:path'
import {
  pictureSpecs,
  deriveTreatment,
  describeChoice,
  newStep,
  stepKinds,
  type PictureSpec,
  type Step,
  type StepKind,
} from '@hematine/core'
import { writeClip } from '@hematine/demo/write-clip'
import { provideAssets, readFacts, setUpLibraries } from '@hematine/media'
import { TreatedPicture } from '@hematine/media/treating/picture-treatment'
import { Frame } from 'node-av/lib'
import sharp from 'sharp'
import { projectDirectory, temporaryDirectory } from '../lib/bootstrap.mjs'

const base = pictureSpecs.find(spec => spec.key === 'archive-master')!
const plainSpec: PictureSpec = { ...base, video: { ...base.video, scan: 'progressive', pixelFormat: 'yuv420p' } }
const tenBitSpec: PictureSpec = { ...plainSpec, video: { ...plainSpec.video, pixelFormat: 'yuv420p10le' } }

/** Steps that are measured with other settings than their first, because these decide their cost. */
const more: Partial<Record<StepKind, Step[]>> = {
  steady: [{ kind: 'steady', edge: 24, method: 'two readings', smooth: 'medium' }],
  denoise: [{ kind: 'denoise', method: 'careful', strength: 'medium' }],
  'more-frames': [{ kind: 'more-frames', times: 2, between: 'blend', cutThreshold: 10 }],
  learned: [{ kind: 'learned', network: 'clean', size: 'careful', times: 2, strength: 100 }],
}

/** Puts a table of 33 and a picture where steps look for them. @returns the steps that name them */
async function stepsWithAssets(directory: string): Promise<Partial<Record<StepKind, Step>>> {
  process.env.HEMATINE_DATA_DIR = directory
  const sides = Array.from({ length: 33 }, (_, at) => (at / 32) ** 0.9)
  const table = Buffer.from(
    `LUT_3D_SIZE 33\n${sides.flatMap(b => sides.flatMap(g => sides.map(r => `${r} ${g} ${b}`))).join('\n')}\n`,
  )
  const picture = await sharp({
    create: { width: 400, height: 200, channels: 4, background: { r: 200, g: 40, b: 40, alpha: 0.8 } },
  })
    .png()
    .toBuffer()
  const name = (bytes: Buffer) => ({ sha256: createHash('sha256').update(bytes).digest('hex'), name: 'measured' })
  const lookup: Step = { kind: 'lookup-table', asset: name(table), strength: 100 }
  const mark: Step = { kind: 'picture-mark', asset: name(picture), corner: 'top right', size: 10, opacity: 80 }
  const frame = { width: 720, height: 576, pixelAspect: { num: 1, den: 1 } }
  await provideAssets(
    { steps: [lookup, mark].map(step => ({ kind: 'chosen', step, from: frame, to: frame, why: '' })) },
    async sha256 => [table, picture].find(bytes => name(bytes).sha256 === sha256) ?? null,
  )
  return { 'lookup-table': lookup, 'picture-mark': mark }
}

/** Seconds that a step itself takes for each frame that it is given, and its share of megapixels. */
async function costOf(file: string, step: Step, frames: number): Promise<{ perFrame: number; megapixels: number }> {
  const input = { kind: 'file' as const, path: file }
  const facts = await readFacts(input)
  const treatment = deriveTreatment(facts, step.kind === 'high-range' ? tenBitSpec : plainSpec, [step])
  const number = treatment.steps.findIndex(entry =>
    entry.kind === 'chosen' ? entry.step.kind === step.kind : entry.why === 'Chosen.',
  )
  const picture = await TreatedPicture.open(input, facts.video!, treatment, { apart: true })
  const frame = new Frame()
  frame.alloc()
  let done = 0
  while (done < frames && (await picture.next(frame))) {
    frame.unref()
    done++
  }
  const seconds = picture.stepSeconds.get(number) ?? 0
  frame.free()
  await picture.close()
  const given = treatment.result.frameCount > 0 ? (done * facts.video!.frameCount) / treatment.result.frameCount : done
  return { perFrame: seconds / Math.max(1, given), megapixels: (facts.video!.width * facts.video!.height) / 1e6 }
}

/** Peak of resident memory in MB while some frames of a 4K clip are enlarged and reduced again. */
async function memoryAt4k(directory: string): Promise<{ megabytes: number; perFrame: number }> {
  const file = path.join(directory, '4k.mkv')
  await writeClip({
    path: file,
    format: 'matroska',
    audio: [],
    video: {
      encoder: 'libx264',
      options: { preset: 'ultrafast' },
      filters: 'testsrc2=s=3840x2160:r=25:d=0.2,format=yuv420p',
    },
  })
  let peak = 0
  const watch = setInterval(() => {
    peak = Math.max(peak, process.memoryUsage().rss)
  }, 20)
  const { perFrame } = await costOf(
    file,
    { kind: 'learned', network: 'clean', size: 'fast', times: 2, strength: 100 },
    4,
  )
  clearInterval(watch)
  return { megabytes: peak / 1e6, perFrame }
}

/** Measures every step of the picture on SD, alone, and writes docs/steps.md. Words: kinds of step, to measure only those. */
export async function benchSteps(words: readonly string[]): Promise<void> {
  setUpLibraries()
  const directory = temporaryDirectory('hematine-steps-')
  try {
    const file = path.join(directory, 'sd.mp4')
    await writeClip({
      path: file,
      format: 'mp4',
      audio: [],
      // For the step that burns them in: two lines, all the time.
      subtitles: [{ language: 'eng', texts: [[0, 3, 'Every evening he goes up,\nwhatever the weather.']] }],
      video: {
        encoder: 'libx264',
        options: { preset: 'ultrafast', crf: '12' },
        filters: 'mandelbrot=s=720x576:rate=25,noise=alls=6:allf=t,trim=end_frame=60,format=yuv420p',
      },
    })
    const named = await stepsWithAssets(directory)
    const kinds = (Object.keys(stepKinds) as StepKind[]).filter(
      kind => stepKinds[kind].group !== 'sound' && (words.length === 0 || words.includes(kind)),
    )
    const rows: { text: string; cost: number }[] = []
    for (const kind of kinds)
      for (const given of [named[kind] ?? newStep(kind), ...(more[kind] ?? [])]) {
        const step: Step =
          given.kind === 'trim'
            ? { kind: 'trim', ranges: [{ from: 0, to: 2 }] }
            : given.kind === 'pad'
              ? { kind: 'pad', to: { width: 1024, height: 576 } }
              : given.kind === 'grade'
                ? { ...given, exposure: 0.5, contrast: 20 }
                : given
        const heavy =
          kind === 'learned' ||
          kind === 'clean-up' ||
          (step.kind === 'denoise' && step.method === 'careful') ||
          kind === 'more-frames' ||
          kind === 'speed'
        const { perFrame, megapixels } = await costOf(file, step, heavy ? 14 : 40)
        const cost = (perFrame * 1000) / megapixels
        rows.push({ cost, text: `| ${describeChoice(step)} | ${(perFrame * 1000).toFixed(1)} | ${cost.toFixed(0)} |` })
        console.log(rows.at(-1)!.text)
      }
    if (words.length > 0) return
    const memory = await memoryAt4k(directory)
    const summary = `Enlarging 3840x2160 to 7680x4320 with the fast network took ${memory.perFrame.toFixed(2)} s a frame; the process held at most ${memory.megabytes.toFixed(0)} MB.`
    console.log(summary)
    const table = [
      '| step | ms a frame of 720x576 | ms a megapixel |',
      '|---|---|---|',
      ...rows.sort((a, b) => b.cost - a.cost).map(row => row.text),
    ].join('\n')
    const target = path.join(projectDirectory, 'docs/steps.md')
    const machine = `${cpus()[0]!.model.trim()}, ${availableParallelism()} cores`
    writeFileSync(
      target,
      readFileSync(target, 'utf8').replace(
        /<!-- figures -->[\s\S]*<!-- end of figures -->/,
        `<!-- figures -->\nMeasured on ${machine}.\n\n${table}\n\n${summary}\n<!-- end of figures -->`,
      ),
    )
  } finally {
    rmSync(directory, { recursive: true, force: true })
  }
}
