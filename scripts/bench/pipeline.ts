import { spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { mkdirSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { rename } from 'node:fs/promises'
import { cpus } from 'node:os'
import path from 'node:path'
import {
  describeBytes,
  middle,
  pictureSpecs,
  readSettings,
  type JobRecord,
  type SourceRow,
  type Step,
} from '@hematine/core'
import { demoNames, makeDemoMaterial, ownVolumes } from '@hematine/demo'
import { writeClip } from '@hematine/demo/write-clip'
import { projectDirectory, SetUpProblem, temporaryDirectory } from '../lib/bootstrap.mjs'
import { build, bundle } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run, type Running } from '../lib/run.ts'
import { childrenOf } from '../../tests/support/processes.ts'
import { utilisation } from './utilisation.ts'

const rounds = 3
/** Longer clips, whose fixed costs weigh as little as those of real ones do. */
const checkRounds = 2
const percent = (part: number) => `${(part * 100).toFixed(1)} %`
const specOf = (key: string) => pictureSpecs.find(spec => spec.key === key)!
const pause = (milliseconds: number) => new Promise(resolve => setTimeout(resolve, milliseconds))

/** The running application, asked by its own routes. */
class Application {
  constructor(readonly running: Running) {}

  async ask<T>(address: string, body?: unknown, method = 'POST'): Promise<T> {
    const response = await fetch(
      this.running.address + address,
      body === undefined ? {} : { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
    )
    if (!response.ok) throw new Error(`${address}: ${await response.text()}`)
    return (await response.json()) as T
  }

  async job(id: number): Promise<JobRecord> {
    return (await this.ask<{ jobs: JobRecord[] }>('/api/jobs?orderId=1&limit=500')).jobs.find(job => job.id === id)!
  }

  async sourceCalled(name: string): Promise<SourceRow> {
    for (;;) {
      const found = (await this.ask<{ rows: SourceRow[] }>('/api/sources?orderId=1')).rows.find(
        source => source.name === name || source.relativePath.startsWith(`${name}/`),
      )
      if (found && found.state !== 'reading' && found.measureState !== 'waiting' && found.measureState !== 'measuring')
        return found
      await pause(100)
    }
  }

  /** Drafts a job and waits for its forecast, so that no measurement disturbs what follows. */
  async draft(name: string, specKey: string): Promise<JobRecord> {
    const source = await this.sourceCalled(name)
    const { jobs } = await this.ask<{ jobs: JobRecord[] }>('/api/jobs', {
      deliveryVolumeId: 3,
      wishes: [{ sourceId: source.id, specKey }],
    })
    for (;;) {
      const job = await this.job(jobs[0]!.id)
      if (job.forecast || job.sampleState === 'failed') return job
      await pause(200)
    }
  }

  /** Releases a job and waits for its end. @returns it, its wall time from release to its place, and the peak memory of its process */
  async perform(id: number): Promise<{ job: JobRecord; seconds: number; peakBytes: number }> {
    await this.ask('/api/jobs/actions', { ids: [id], action: 'release' })
    let peakBytes = 0
    for (;;) {
      const job = await this.job(id)
      for (const child of childrenOf(this.running.workers[0]!.pid!, 'child.mjs'))
        peakBytes = Math.max(peakBytes, peakMemory(child))
      if (job.state === 'done' || job.state === 'failed') {
        return { job, seconds: (Date.parse(job.finishedAt!) - Date.parse(job.releasedAt!)) / 1000, peakBytes }
      }
      // Seldom, so that the asking itself costs next to nothing; times come from the job's own record.
      await pause(2000)
    }
  }
}

/** Highest resident size of a process so far, in bytes; 0 when it has ended. */
function peakMemory(pid: number): number {
  try {
    return Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) * 1024
  } catch {
    return 0
  }
}

async function makeBenchMaterial(directory: string): Promise<void> {
  await writeClip({
    path: path.join(directory, 'bench-sd.mkv'),
    format: 'matroska',
    video: {
      encoder: 'mpeg2video',
      interlaced: true,
      bitRate: 6_000_000,
      filters: `testsrc2=s=720x576:r=50:d=40,noise=alls=3:allf=t:all_seed=7,tinterlace=mode=interleave_top:flags=vlpf,setfield=tff,format=yuv420p,setsar=16/15`,
    },
    audio: [
      {
        encoder: 'ac3',
        bitRate: 192_000,
        filters: `sine=frequency=440:sample_rate=48000:duration=40,aformat=sample_fmts=fltp:channel_layouts=stereo`,
      },
    ],
  })
  const clip = (name: string, seconds: number, size: string, noise = 6) =>
    writeClip({
      path: path.join(directory, name),
      format: 'mp4',
      formatOptions: { movflags: '+faststart' },
      video: {
        encoder: 'libx264',
        options: { preset: 'veryfast', crf: '20' },
        filters: `testsrc2=s=${size}:r=25:d=${seconds},noise=alls=${noise}:allf=t:all_seed=7,format=yuv420p,setsar=1`,
      },
      audio: [
        {
          encoder: 'aac',
          bitRate: 128_000,
          filters: `sine=frequency=440:sample_rate=48000:duration=${seconds},aformat=sample_fmts=fltp:channel_layouts=stereo`,
        },
      ],
    })
  await clip('bench-hd.mp4', 8, '1920x1080')
  await clip('bench-540.mp4', 30, '960x540', 3)
  await clip('bench-small.mp4', 10, '480x270', 3)
  await clip('bench-10.mp4', 10, '640x360')
  await clip('bench-80.mp4', 80, '640x360')
}

const benchFiles = ['bench-hd.mp4', 'bench-sd.mkv', 'bench-540.mp4', 'bench-small.mp4', 'bench-10.mp4', 'bench-80.mp4']

interface Spent {
  seconds: number
  processorSeconds: number
  /** Of a whole result. */
  kept: { bytes: number; xpsnr: number | null; encodeSeconds: number } | null
}

/** Runs the bare script once. @throws when it fails */
function runBare(bare: string, [file, specKey, output]: [string, string, string], what: string, steps: Step[]): Spent {
  const words = [bare, file, specKey, output, what, JSON.stringify(steps)]
  const { status, stdout, stderr } = spawnSync(process.execPath, words, { encoding: 'utf8' })
  if (status !== 0) throw new Error(`The bare script failed: ${stderr}`)
  return JSON.parse(stdout.trim().split('\n').at(-1)!) as Spent
}

/** Runs the bare script beside others. @throws when it fails */
async function runBeside(bare: string, words: readonly string[]): Promise<void> {
  const child = spawn(process.execPath, [bare, ...words], { stdio: 'ignore' })
  const [code] = (await once(child, 'exit')) as [number | null]
  if (code !== 0) throw new Error(`The bare script failed: ${words.join(' ')}`)
}

const segmentCount = 5
const units = ['sound', ...Array.from({ length: segmentCount }, (_, index) => `segment ${index} of ${segmentCount}`)]

/** What making a job in segments costs and gains: each in a process of its own, one after another and two at a time, then joined, against the job in one go. */
async function segments(sources: string, bare: string, scratch: string): Promise<void> {
  console.log(
    `\n## What segments cost (${segmentCount} of them, ${checkRounds} alternating rounds each, medians of wall time with all that is checked)`,
  )
  console.log(
    '| work | one go | in turn | two at a time | joining and check | joining, of its units | size | XPSNR |\n|---|---|---|---|---|---|---|---|',
  )
  for (const [what, name, specKey] of [
    ['SD deinterlaced to H.264', 'bench-sd.mkv', 'web-mp4'],
    ['540p to AV1', 'bench-540.mp4', 'open-web-webm'],
    ['540p to HEVC 10 bit', 'bench-540.mp4', 'small-mp4'],
    ['540p to FFV1', 'bench-540.mp4', 'archive-master'],
  ] as const) {
    const taken: Record<'one go' | 'in turn' | 'beside' | 'join' | 'joining', number[]> = {
      'one go': [],
      'in turn': [],
      beside: [],
      join: [],
      joining: [],
    }
    const made: { whole: Spent['kept']; joined: Spent['kept'] } = { whole: null, joined: null }
    for (let round = 0; round < checkRounds; round++) {
      const file = (kind: string) => path.join(scratch, `${kind}-${round}.${specOf(specKey).container}`)
      const timed = async (work: () => Promise<void>) => {
        const begun = performance.now()
        await work()
        return (performance.now() - begun) / 1000
      }
      const of = (kind: string): [string, string, string] => [path.join(sources, name), specKey, file(kind)]
      taken['one go'].push(await timed(async () => void (made.whole = runBare(bare, of('whole'), 'whole', []).kept)))
      for (const [kind, lanes] of [
        ['in turn', 1],
        ['beside', 2],
      ] as const) {
        let next = 0
        const lane = async () => {
          while (next < units.length) await runBeside(bare, [...of(kind), units[next++]!, '[]'])
        }
        const parts = await timed(async () => void (await Promise.all(Array.from({ length: lanes }, lane))))
        const join = await timed(
          async () => void (made.joined = runBare(bare, of(kind), `join ${segmentCount}`, []).kept),
        )
        taken[kind].push(parts + join)
        taken.join.push(join)
        if (kind === 'in turn') taken.joining.push(made.joined!.encodeSeconds / parts)
        removeBeside(file(kind))
      }
    }
    const against = (kind: keyof typeof taken) => (middle(taken[kind]) / middle(taken['one go'])).toFixed(2)
    const difference = (made.joined?.xpsnr ?? 0) - (made.whole?.xpsnr ?? 0)
    console.log(
      `| ${what} | ${middle(taken['one go']).toFixed(1)} s | ${against('in turn')} | ${against('beside')} | ${against('join')} | ${middle(taken.joining).toFixed(3)} | ${percent(made.joined!.bytes / made.whole!.bytes - 1)} | ${difference.toFixed(2)} dB |`,
    )
  }
}

/** Removes the working files of a result. */
function removeBeside(file: string): void {
  for (const name of readdirSync(path.dirname(file)))
    if (name.startsWith(`${path.basename(file)}.`)) rmSync(path.join(path.dirname(file), name))
}

/** What being sure of a result costs: a whole job against treating and encoding alone, in turns. */
function checks(sources: string, bare: string, scratch: string): void {
  console.log(`\n## What the check costs (${checkRounds} alternating rounds each, medians)`)
  console.log('| work | processor time | clock | treating and encoding alone | wanted |\n|---|---|---|---|---|')
  const enlarge: Step = { kind: 'learned', network: 'clean', size: 'fast', times: 2, strength: 100 }
  for (const [what, name, specKey, steps, wanted] of [
    ['SD deinterlaced to H.264', 'bench-sd.mkv', 'web-mp4', [], 1.15],
    ['SD deinterlaced, enlarged to 1080p, H.264', 'bench-sd.mkv', 'playback-box', [], null],
    ['540p to AV1', 'bench-540.mp4', 'open-web-webm', [], 1.12],
    ['540p to HEVC 10 bit', 'bench-540.mp4', 'small-mp4', [], 1.06],
    ['learned 2x to H.264', 'bench-small.mp4', 'web-mp4', [enlarge], 1.1],
    ['540p to FFV1', 'bench-540.mp4', 'archive-master', [], 1.5],
  ] as [string, string, string, Step[], number | null][]) {
    const alone: Spent[] = []
    const whole: Spent[] = []
    for (let round = 0; round < checkRounds; round++) {
      const at = (kind: string) => path.join(scratch, `${kind}-${round}.${specOf(specKey).container}`)
      alone.push(runBare(bare, [path.join(sources, name), specKey, at('encode')], 'encode', steps))
      whole.push(runBare(bare, [path.join(sources, name), specKey, at('whole')], 'whole', steps))
    }
    const ratio = (key: 'seconds' | 'processorSeconds') =>
      middle(whole.map(one => one[key])) / middle(alone.map(one => one[key]))
    const seconds = middle(alone.map(one => one.processorSeconds))
    console.log(
      `| ${what} | ${ratio('processorSeconds').toFixed(3)} | ${ratio('seconds').toFixed(3)} | ${seconds.toFixed(1)} s of processor | ${wanted === null ? '' : `at most ${wanted}`} |`,
    )
  }
}

/** Wall time of a job in the application against a bare process with the same libraries, settings and file, in turns. */
async function overhead(application: Application, sources: string, bare: string, scratch: string): Promise<void> {
  console.log(`\n## What the orchestration costs (${rounds} alternating rounds each, medians of wall time)`)
  for (const [what, name, specKey] of [
    ['SD deinterlace + scale + H.264', demoNames.disc, 'playback-box'],
    ['1080p to HEVC 10 bit', 'bench-hd.mp4', 'small-mp4'],
  ] as const) {
    const [jobSeconds, bareSeconds, peaks]: [number[], number[], number[]] = [[], [], []]
    await application.draft(name, specKey)
    for (let round = 0; round < rounds; round++) {
      const { id } = await application.draft(name, specKey)
      const { job, seconds, peakBytes } = await application.perform(id)
      if (job.state !== 'done') throw new Error(`${name}: ${job.reason}`)
      jobSeconds.push(seconds)
      peaks.push(peakBytes)
      const output = path.join(scratch, `bare-${round}.mp4`)
      bareSeconds.push(runBare(bare, [path.join(sources, name), specKey, output], 'whole', []).seconds)
    }
    const ratio = middle(jobSeconds) / middle(bareSeconds)
    console.log(
      `${what}: job ${middle(jobSeconds).toFixed(2)} s, bare ${middle(bareSeconds).toFixed(2)} s, ratio ${ratio.toFixed(3)} (${ratio <= 1.05 ? 'within' : 'above'} 5 %), peak memory of the job's process ${describeBytes(middle(peaks))}`,
    )
  }
}

async function memoryOverLength(application: Application): Promise<void> {
  console.log('\n## Memory over length (640x360 to AV1)')
  const peaks: number[] = []
  for (const name of ['bench-10.mp4', 'bench-80.mp4']) {
    const { id } = await application.draft(name, 'open-web-webm')
    const { peakBytes } = await application.perform(id)
    peaks.push(peakBytes)
    console.log(`${name.replace(/\D/g, ' ').trim().split(' ')[0]} s of material: peak ${describeBytes(peakBytes)}`)
  }
  console.log(`ratio ${(peaks[1]! / peaks[0]!).toFixed(2)} for eight times the length`)
}

/** Delay of the web server's event loop while a job runs, frames are asked for and lists are read by several callers. */
async function eventLoop(application: Application): Promise<void> {
  console.log('\n## The web server under load')
  const { job: done } = await application.perform((await application.draft(demoNames.interview, 'small-mkv')).id)
  const { id } = await application.draft(demoNames.disc, 'small-mkv')
  await application.ask('/api/jobs/actions', { ids: [id], action: 'release' })
  const end = Date.now() + 70_000
  const latencies: number[] = []
  const callers = Array.from({ length: 8 }, async (_, caller) => {
    for (let count = 0; Date.now() < end; count++) {
      const begun = performance.now()
      if (caller < 2)
        await (
          await fetch(
            `${application.running.address}/api/jobs/${done.id}/frames/${(count * 7 + caller) % done.frames}?side=result`,
          )
        ).arrayBuffer()
      else {
        await application.ask(caller % 2 ? '/api/jobs?orderId=1' : '/api/sources?orderId=1')
        latencies.push(performance.now() - begun)
      }
      await pause(20)
    }
  })
  await Promise.all(callers)
  const health = await application.ask<{
    eventLoopDelayMilliseconds: { median: number; p99: number; max: number }
    overSeconds: number
    residentBytes: number
  }>('/api/health')
  const delay = health.eventLoopDelayMilliseconds
  console.log(
    `event loop delay over ${health.overSeconds.toFixed(0)} s: median ${delay.median.toFixed(1)} ms, p99 ${delay.p99.toFixed(1)} ms (${delay.p99 < 50 ? 'below' : 'above'} 50 ms), longest ${delay.max.toFixed(0)} ms; ${latencies.length} lists answered, median ${middle(latencies).toFixed(1)} ms; resident ${describeBytes(health.residentBytes)}`,
  )
  await application.ask('/api/jobs/actions', { ids: [id], action: 'cancel' })
  await pause(3000)
}

async function forecasts(application: Application): Promise<void> {
  console.log('\n## Forecast against reality for the demo batch')
  console.log(
    '| source | spec | predicted time | took | off | predicted size | is | off | both in range |\n|---|---|---|---|---|---|---|---|---|',
  )
  const errors: { seconds: number; bytes: number }[] = []
  let inside = 0
  const batch = [
    [demoNames.disc, 'playback-box'],
    [demoNames.disc, 'archive-master'],
    [demoNames.interview, 'small-mkv'],
    [demoNames.tape, 'editing-master'],
    [demoNames.tape, 'open-web-webm'],
    [demoNames.sequence, 'archive-master'],
    [demoNames.sequence, 'small-mp4'],
    [demoNames.cutShort, 'open-web-mp4'],
    [demoNames.watch, 'playback-box'],
    [demoNames.watch, 'open-web-webm'],
  ] as const
  for (const [name, specKey] of batch) {
    const { id, forecast } = await application.draft(name, specKey)
    if (!forecast) throw new Error(`${name} could not be measured.`)
    const { job } = await application.perform(id)
    if (job.state !== 'done') throw new Error(`${name}: ${job.reason}`)
    const seconds = forecast.seconds.expected / job.workSeconds! - 1
    const bytes = forecast.bytes.expected / job.outputBytes! - 1
    // The clip that is cut short promises more than it holds, so nothing could be forecast right of it.
    if (name !== demoNames.cutShort) errors.push({ seconds: Math.abs(seconds), bytes: Math.abs(bytes) })
    const within = (range: { low: number; high: number }, value: number) => value >= range.low && value <= range.high
    const both = within(forecast.seconds, job.workSeconds!) && within(forecast.bytes, job.outputBytes!)
    if (both) inside++
    console.log(
      `| ${name} | ${job.specName} | ${forecast.seconds.expected.toFixed(1)} s | ${job.workSeconds!.toFixed(1)} s | ${percent(seconds)} | ${describeBytes(forecast.bytes.expected)} | ${describeBytes(job.outputBytes!)} | ${percent(bytes)} | ${both ? 'yes' : 'no'} |`,
    )
  }
  console.log(
    `median absolute error: time ${percent(middle(errors.map(error => error.seconds)))}, size ${percent(middle(errors.map(error => error.bytes)))} (without the clip that is cut short); both within their ranges for ${inside} of ${batch.length}`,
  )
}

const parts = ['checks', 'segments', 'overhead', 'memory', 'web', 'forecasts', 'utilisation'] as const
type Part = (typeof parts)[number]

/** Prints the figures of the parts asked for, all unless some are named. Run on a machine that does nothing else. */
export async function benchPipeline(words: readonly string[]): Promise<void> {
  const unknown = words.filter(word => !parts.includes(word as Part))
  if (unknown.length > 0) throw new SetUpProblem(`There is no part ${unknown.join(', ')}. Parts: ${parts.join(', ')}.`)
  const wanted = (part: Part) => words.length === 0 || words.includes(part)
  const inApplication = parts.filter(part => part !== 'checks' && part !== 'segments').some(wanted)
  if (inApplication) await build()
  const bareDirectory = `.hematine/bench-${process.pid}`
  await bundle(['scripts/bench/bare.ts'], bareDirectory)
  const directory = temporaryDirectory('hematine-bench-')
  const dataDirectory = path.join(directory, 'data')
  const { source } = ownVolumes(dataDirectory)
  let running: Running | null = null
  try {
    mkdirSync(source, { recursive: true })
    await makeDemoMaterial(source)
    await makeBenchMaterial(directory)
    for (const name of benchFiles) await rename(path.join(directory, name), path.join(source, name))
    console.log(`Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}`)
    const bare = path.join(projectDirectory, bareDirectory, 'bare.mjs')
    if (wanted('checks')) checks(source, bare, directory)
    if (wanted('segments')) await segments(source, bare, directory)
    if (!inApplication) return
    running = await run({
      empty: false,
      dataDirectory,
      settings: readSettings({ HEMATINE_PORT: String(await freePort()), HEMATINE_LOG_LEVEL: 'warn' }),
      lasting: true,
      say: () => undefined,
    })
    const application = new Application(running)
    await application.ask('/api/sources', {
      orderId: 1,
      arrivals: benchFiles.map(name => ({ kind: 'file', volumeId: 1, path: name })),
    })
    if (wanted('overhead')) await overhead(application, source, bare, directory)
    if (wanted('memory')) await memoryOverLength(application)
    if (wanted('web')) await eventLoop(application)
    if (wanted('forecasts')) await forecasts(application)
    if (wanted('utilisation')) await utilisation(application)
  } finally {
    await running?.stop()
    rmSync(directory, { recursive: true, force: true })
    rmSync(path.join(projectDirectory, bareDirectory), { recursive: true, force: true })
  }
}
