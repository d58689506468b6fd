import { mkdirSync, rmSync } from 'node:fs'
import { cpus } from 'node:os'
import path from 'node:path'
import {
  isSettled,
  readSettings,
  recordOf,
  recordsByKind,
  type Figure,
  type ForecastOutcome,
  type ForecastRecord,
  type JobRecord,
} from '@hematine/core'
import { ownVolumes } from '@hematine/demo'
import { writeClip } from '@hematine/demo/write-clip'
import { setUpLibraries } from '@hematine/media'
import { askerOf } from '../lib/asker.ts'
import { temporaryDirectory } from '../lib/bootstrap.mjs'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run } from '../lib/run.ts'
import { numbersFrom } from './chance.ts'

const pause = (milliseconds: number) => new Promise(resolve => setTimeout(resolve, milliseconds))
/** Each clip is drafted for two of them. */
const specs = ['playback-box', 'small-mkv', 'archive-master', 'open-web-webm']
/** What forecasts are meant to reach. */
const aims = { size: 0.05, time: 0.1, within: [0.85, 0.95], width: 0.2 } as const

/** Draws a clip whose size, length, rate, motion, grain and sound are matters of chance. */
async function draw(file: string, chance: () => number): Promise<void> {
  const between = (low: number, high: number) => Math.round(low + chance() * (high - low))
  const of = <T>(choices: readonly T[]) => choices[Math.floor(chance() * choices.length)]!
  const rate = of([24, 25, 30])
  const frames = between(60, 420)
  const size = `${16 * between(10, 32)}x${16 * between(8, 20)}`
  const pictures = of([
    `testsrc2=s=${size}:r=${rate}`,
    `mandelbrot=s=${size}:r=${rate}:end_scale=0.${between(1, 9)}`,
    `gradients=s=${size}:r=${rate}:seed=${between(1, 9999)}:speed=0.0${between(1, 9)}`,
    `life=s=${size}:r=${rate}:seed=${between(1, 9999)}:ratio=0.1:mold=10:life_color=white:death_color=gray`,
  ])
  const grain = of([0, 0, 4, 12])
  const seconds = frames / rate
  await writeClip({
    path: file,
    format: 'matroska',
    video: {
      encoder: 'libx264',
      options: { preset: 'ultrafast', crf: '14' },
      filters: `${pictures},trim=end_frame=${frames}${grain > 0 ? `,noise=alls=${grain}:allf=t:all_seed=${between(1, 9999)}` : ''},format=yuv420p,setsar=1`,
    },
    audio:
      chance() < 0.7
        ? [
            {
              encoder: 'aac',
              bitRate: 96_000,
              filters: `anoisesrc=color=pink:amplitude=0.2:sample_rate=48000:duration=${seconds}:seed=${between(1, 9999)},aformat=sample_fmts=fltp:channel_layouts=stereo`,
            },
          ]
        : [],
  })
}

const percent = (part: number) => `${(part * 100).toFixed(1)} %`
const cells = ({ off, within, width }: ForecastRecord) => [percent(off), percent(within), `±${percent(width)}`]
const line = (name: string, outcomes: readonly ForecastOutcome[]) => {
  const of = (figure: Figure) => cells(recordOf(outcomes.map(outcome => outcome[figure])))
  return `| ${[name, outcomes.length, ...of('seconds'), ...of('bytes')].join(' | ')} |`
}

/** Runs a batch of drawn clips and prints how its forecasts did: those of samples alone, and those made of finished work. */
export async function benchForecast(count: number, seed: number): Promise<void> {
  setUpLibraries()
  const say = (text: string) => console.log(text)
  const directory = temporaryDirectory('hematine-bench-forecast-')
  const dataDirectory = path.join(directory, 'data')
  await build()
  const { source } = ownVolumes(dataDirectory)
  mkdirSync(source, { recursive: true })
  const chance = numbersFrom(seed)
  for (let clip = 1; clip <= count; clip++) await draw(path.join(source, `reel ${clip}.mkv`), chance)
  const running = await run({
    empty: true,
    dataDirectory,
    settings: readSettings({ HEMATINE_PORT: String(await freePort()), HEMATINE_LOG_LEVEL: 'error' }),
    lasting: false,
    say: () => undefined,
  })
  const ask = askerOf(running)
  const jobs = async () => (await ask<{ jobs: JobRecord[] }>('/api/jobs?orderId=1&limit=500')).jobs
  try {
    say(
      `Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}; seed ${seed}, ${count} clips.`,
    )
    await ask('/api/scans', { orderId: 1, volumeId: 1, path: '' })
    let sources: { id: number; state: string; measureState: string }[] = []
    while (
      sources.length < count ||
      sources.some(entry => entry.state === 'reading' || ['waiting', 'measuring'].includes(entry.measureState))
    ) {
      await pause(500)
      sources = (await ask<{ rows: typeof sources }>('/api/sources?orderId=1&limit=500')).rows
    }
    const delivery = (await ask<{ id: number; role: string }[]>('/api/volumes')).find(
      volume => volume.role === 'delivery',
    )!
    const wishes = sources.flatMap(({ id }) => {
      const first = Math.floor(chance() * specs.length)
      const second = (first + 1 + Math.floor(chance() * (specs.length - 1))) % specs.length
      return [first, second].map(index => ({ sourceId: id, specKey: specs[index]! }))
    })
    await ask('/api/jobs', { deliveryVolumeId: delivery.id, wishes })
    while ((await jobs()).some(job => job.sampleState !== 'ready' && job.sampleState !== 'failed')) await pause(1000)
    // In an order of chance, so that no kind of work comes all at the end.
    const ids = (await jobs()).map(job => ({ id: job.id, at: chance() })).sort((a, b) => a.at - b.at)
    for (const { id } of ids) await ask('/api/jobs/actions', { ids: [id], action: 'release' })
    while (!(await jobs()).every(job => isSettled(job.state))) await pause(1000)
    const failed = (await jobs()).filter(job => job.state !== 'done')
    const { outcomes } = await ask<{ outcomes: ForecastOutcome[] }>('/api/forecast-outcomes')
    const head = '| time off | within | ranges | size off | within | ranges |\n|---|---|---|---|---|---|---|---|'
    say(`\n| forecasts | results ${head}`)
    const learned = outcomes.filter(outcome => outcome.heldAgainst !== null)
    say(
      line(
        'of samples alone',
        outcomes.filter(outcome => outcome.heldAgainst === null),
      ),
    )
    say(line('made of finished work', learned))
    say(line('all', outcomes))
    say(`\n| kind of work | results ${head}`)
    for (const { kind, name } of recordsByKind(outcomes))
      say(
        line(
          name,
          outcomes.filter(outcome => outcome.kind === kind),
        ),
      )
    say(
      `\nAims: size within ${percent(aims.size)} and time within ${percent(aims.time)} in the middle, ${percent(aims.within[0])} to ${percent(aims.within[1])} within their ranges, those of time ±${percent(aims.width)} wide in the middle. ${failed.length} of ${ids.length} jobs were not done.`,
    )
  } finally {
    await running.stop()
    rmSync(directory, { recursive: true, force: true })
  }
}
