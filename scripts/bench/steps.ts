import { readFileSync, rmSync, writeFileSync } from 'node:fs'
import { availableParallelism, cpus } from 'node:os'
import path from 'node:path'
import { builtInSpecs, deriveTreatment, describeChoice, newStep, stepKinds, type DeliverySpec, type Step, type StepKind } from '@hematine/core'
import { writeClip } from '@hematine/demo/write-clip'
import { readFacts, silenceLibraries } from '@hematine/media'
import { TreatedPicture } from '@hematine/media/picture-treatment'
import { Frame } from 'node-av/lib'
import { projectDirectory, temporaryDirectory } from '../lib/bootstrap.mjs'

const base = builtInSpecs.find(spec => spec.key === 'archive-master')!
const plainSpec: DeliverySpec = { ...base, video: { ...base.video, scan: 'progressive', pixelFormat: 'yuv420p' } }

/** Steps that are measured with other settings than their first, because these decide their cost. */
const more: Partial<Record<StepKind, Step[]>> = {
  'denoise': [{ kind: 'denoise', method: 'careful', strength: 'medium' }],
  'more-frames': [{ kind: 'more-frames', times: 2, between: 'blend', cutThreshold: 10 }],
  'learned': [{ kind: 'learned', network: 'clean', size: 'careful', times: 2, strength: 100 }],
}

/** Seconds that a step itself takes for each frame that it is given, and its share of megapixels. */
async function costOf(file: string, step: Step, frames: number): Promise<{ perFrame: number, megapixels: number }> {
  const input = { kind: 'file' as const, path: file }
  const facts = await readFacts(input)
  const treatment = deriveTreatment(facts, plainSpec, [step])
  const number = treatment.steps.findIndex(entry => entry.kind === 'chosen' ? entry.step.kind === step.kind : entry.why === 'Chosen.')
  const picture = await TreatedPicture.open(input, facts.video!, treatment, { apart: true })
  const frame = new Frame()
  frame.alloc()
  let done = 0
  while (done < frames && await picture.next(frame)) {
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
async function memoryAt4k(directory: string): Promise<{ megabytes: number, perFrame: number }> {
  const file = path.join(directory, '4k.mkv')
  await writeClip({ path: file, format: 'matroska', audio: [], video: { encoder: 'libx264', options: { preset: 'ultrafast' }, filters: 'testsrc2=s=3840x2160:r=25:d=0.2,format=yuv420p' } })
  let peak = 0
  const watch = setInterval(() => { peak = Math.max(peak, process.memoryUsage().rss) }, 20)
  const { perFrame } = await costOf(file, { kind: 'learned', network: 'clean', size: 'fast', times: 2, strength: 100 }, 4)
  clearInterval(watch)
  return { megabytes: peak / 1e6, perFrame }
}

/** Measures every step of the picture on SD, alone, and writes docs/steps.md. Words: kinds of step, to measure only those. */
export async function benchSteps(words: readonly string[]): Promise<void> {
  silenceLibraries()
  const directory = temporaryDirectory('hematine-steps-')
  try {
    const file = path.join(directory, 'sd.mkv')
    await writeClip({ path: file, format: 'matroska', audio: [], video: { encoder: 'libx264', options: { preset: 'ultrafast', crf: '12' }, filters: 'mandelbrot=s=720x576:rate=25,noise=alls=6:allf=t,trim=end_frame=60,format=yuv420p' } })
    const kinds = (Object.keys(stepKinds) as StepKind[]).filter(kind => stepKinds[kind].group !== 'sound' && (words.length === 0 || words.includes(kind)))
    const rows: { text: string, cost: number }[] = []
    for (const kind of kinds) for (const given of [newStep(kind), ...more[kind] ?? []]) {
      const step: Step = given.kind === 'trim' ? { kind: 'trim', ranges: [{ from: 0, to: 2 }] } : given.kind === 'pad' ? { kind: 'pad', to: { width: 1024, height: 576 } } : given.kind === 'grade' ? { ...given, exposure: 0.5, contrast: 20 } : given
      const heavy = kind === 'learned' || kind === 'clean-up' || (step.kind === 'denoise' && step.method === 'careful') || kind === 'more-frames' || kind === 'speed'
      const { perFrame, megapixels } = await costOf(file, step, heavy ? 14 : 40)
      const cost = (perFrame * 1000) / megapixels
      rows.push({ cost, text: `| ${describeChoice(step)} | ${(perFrame * 1000).toFixed(1)} | ${cost.toFixed(0)} |` })
      console.log(rows.at(-1)!.text)
    }
    if (words.length > 0) return
    const memory = await memoryAt4k(directory)
    const summary = `Enlarging 3840x2160 to 7680x4320 with the fast network took ${memory.perFrame.toFixed(2)} s a frame; the process held at most ${memory.megabytes.toFixed(0)} MB.`
    console.log(summary)
    const table = ['| step | ms a frame of 720x576 | ms a megapixel |', '|---|---|---|', ...rows.sort((a, b) => b.cost - a.cost).map(row => row.text)].join('\n')
    const target = path.join(projectDirectory, 'docs/steps.md')
    const machine = `${cpus()[0]!.model.trim()}, ${availableParallelism()} cores`
    writeFileSync(target, readFileSync(target, 'utf8').replace(/<!-- figures -->[\s\S]*<!-- end of figures -->/, `<!-- figures -->\nMeasured on ${machine}.\n\n${table}\n\n${summary}\n<!-- end of figures -->`))
  } finally {
    rmSync(directory, { recursive: true, force: true })
  }
}
