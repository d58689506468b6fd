import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync } from 'node:fs'
import { cpus } from 'node:os'
import path from 'node:path'
import { isSettled, readSettings, type JobDetail, type JobRecord } from '@hematine/core'
import { ownVolumes } from '@hematine/demo'
import { writeClip } from '@hematine/demo/write-clip'
import { setUpLibraries } from '@hematine/media'
import { childrenOf } from '../../tests/support/processes.ts'
import { temporaryDirectory } from '../lib/bootstrap.mjs'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run, type Running } from '../lib/run.ts'
import { numbersFrom } from './chance.ts'

const pause = (milliseconds: number) => new Promise(resolve => setTimeout(resolve, milliseconds))
const specs = ['archive-master', 'small-mp4', 'editing-master', 'small-mkv', 'playback-box']

/** Kinds of fault, each with what does it. */
const faults = [
  'process of a job',
  'worker',
  'web server',
  'database',
  'worker frozen for 14 s',
  'delivery volume gone for 4 s',
] as const
type Fault = (typeof faults)[number]

export interface Campaign {
  faults: Record<Fault, number>
  jobs: number
  /** Jobs that never came to an end. */
  stuck: number
  /** Jobs that ended without a result, after being tried again by hand where a volume was gone. */
  lost: number
  /** Results delivered more than once, or noted more than once. */
  doubled: number
  /** Files among the results that are not what was checked. */
  half: number
  /** Files left over in the work directories. */
  left: number
  sourcesChanged: number
  /** Times that a job was begun again. */
  redone: number
  /** Jobs that failed with a sentence because a volume was gone, and were done when tried again. */
  triedAgain: number
}

const sumOf = (file: string) => createHash('sha256').update(readFileSync(file)).digest('hex')

/** One batch through the running application while its processes, database and volume fail at moments of chance. */
export class FaultCampaign {
  private readonly chance: () => number
  private readonly done: Record<Fault, number> = Object.fromEntries(faults.map(fault => [fault, 0])) as Record<
    Fault,
    number
  >
  private running!: Running
  private delivery!: string

  constructor(
    private readonly options: {
      count: number
      seed: number
      clips: number
      directory: string
      say: (line: string) => void
    },
  ) {
    this.chance = numbersFrom(options.seed)
  }

  async run(): Promise<Campaign> {
    const { directory, clips } = this.options
    const dataDirectory = path.join(directory, 'data')
    const volumes = ownVolumes(dataDirectory)
    this.delivery = volumes.delivery
    mkdirSync(volumes.source, { recursive: true })
    for (let clip = 0; clip < clips; clip++) await this.draw(path.join(volumes.source, `reel ${clip + 1}.mkv`), clip)
    const sums = this.sourceSums(volumes.source)
    this.running = await run({
      empty: true,
      dataDirectory,
      // So that every process of the worker is one that does something, and a fault hits it.
      settings: readSettings({
        HEMATINE_PORT: String(await freePort()),
        HEMATINE_LOG_LEVEL: 'error',
        HEMATINE_READY: '0',
        // So that jobs of seconds are made in segments, too.
        HEMATINE_SEGMENT_SECONDS: '2',
      }),
      lasting: true,
      say: this.options.say,
    })
    try {
      await this.release(clips)
      await this.strike()
      const triedAgain = await this.settle()
      return {
        ...(await this.judge()),
        triedAgain,
        sourcesChanged: this.sourceSums(volumes.source).filter((sum, index) => sum !== sums[index]).length,
      }
    } finally {
      await this.running.stop()
    }
  }

  private draw(file: string, clip: number): Promise<unknown> {
    return writeClip({
      path: file,
      format: 'matroska',
      video: {
        encoder: 'libx264',
        options: { preset: 'ultrafast' },
        filters: `testsrc2=s=${320 + 32 * (clip % 4)}x240:r=25:d=${4 + (clip % 5)},format=yuv420p,setsar=1`,
      },
      audio: [
        {
          encoder: 'aac',
          bitRate: 64_000,
          filters: `sine=frequency=${300 + 40 * clip}:sample_rate=48000:duration=${4 + (clip % 5)},aformat=sample_fmts=fltp:channel_layouts=stereo`,
        },
      ],
    })
  }

  private sourceSums(directory: string): string[] {
    return readdirSync(directory)
      .filter(name => name.endsWith('.mkv'))
      .sort()
      .map(name => sumOf(path.join(directory, name)))
  }

  /** Asks for as long as it takes: the web server and the database are away now and then. */
  private async ask<Answer>(route: string, body?: unknown): Promise<Answer> {
    for (;;) {
      try {
        const response = await fetch(
          this.running.address + route,
          body === undefined
            ? {}
            : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
        )
        if (response.ok) return (await response.json()) as Answer
        if (response.status < 500) throw new Error(`${route}: ${await response.text()}`)
      } catch (error) {
        if ((error as Error).message.startsWith('/')) throw error
      }
      await pause(500)
    }
  }

  private jobs = async () => (await this.ask<{ jobs: JobRecord[] }>('/api/jobs?orderId=1&limit=500')).jobs

  private async release(clips: number): Promise<void> {
    await this.ask('/api/scans', { orderId: 1, volumeId: 1, path: '' })
    let sources: { id: number; state: string; measureState: string }[] = []
    while (
      sources.length < clips ||
      sources.some(source => source.state === 'reading' || ['waiting', 'measuring'].includes(source.measureState))
    ) {
      await pause(500)
      sources = (await this.ask<{ rows: typeof sources }>('/api/sources?orderId=1&limit=500')).rows
    }
    const volume = (await this.ask<{ id: number; role: string }[]>('/api/volumes')).find(
      entry => entry.role === 'delivery',
    )!
    const wishes = sources.flatMap(source => specs.map(specKey => ({ sourceId: source.id, specKey })))
    const { jobs } = await this.ask<{ jobs: JobRecord[] }>('/api/jobs', { deliveryVolumeId: volume.id, wishes })
    this.options.say(`${jobs.length} jobs of ${sources.length} clips are released.`)
    await this.ask('/api/jobs/actions', { ids: jobs.map(job => job.id), action: 'release' })
  }

  /** Does faults at moments of chance until their number is reached or the batch is through. */
  private async strike(): Promise<void> {
    for (let count = 0; count < this.options.count; count++) {
      await pause(500 + this.chance() * 4000)
      if ((await this.jobs()).every(job => isSettled(job.state))) return
      const fault = faults[Math.floor(this.chance() * faults.length)]!
      if (await this.cause(fault)) this.done[fault]++
      else count--
    }
  }

  /** @returns false when there was nothing to do it to */
  private async cause(fault: Fault): Promise<boolean> {
    const kill = (pid: number | undefined, signal: NodeJS.Signals) => {
      try {
        if (pid) process.kill(pid, signal)
        return pid !== undefined
      } catch {
        return false
      }
    }
    const worker = this.running.workers[0]!
    switch (fault) {
      case 'process of a job': {
        const [child] = worker.pid ? childrenOf(worker.pid, 'child.mjs') : []
        return kill(child, 'SIGKILL')
      }
      case 'worker':
        return kill(worker.pid, 'SIGKILL')
      case 'web server':
        return kill(this.running.web.pid, 'SIGKILL')
      case 'database':
        return kill(this.running.databasePid, 'SIGKILL')
      case 'worker frozen for 14 s': {
        const { pid } = worker
        if (!kill(pid, 'SIGSTOP')) return false
        await pause(14_000)
        kill(pid, 'SIGCONT')
        return true
      }
      case 'delivery volume gone for 4 s': {
        renameSync(this.delivery, `${this.delivery}-gone`)
        mkdirSync(this.delivery)
        await pause(4000)
        rmSync(this.delivery, { recursive: true, force: true })
        renameSync(`${this.delivery}-gone`, this.delivery)
        return true
      }
    }
  }

  /** Waits until every job has ended, and tries again those that failed because a volume was gone. @returns how many those were */
  private async settle(): Promise<number> {
    let triedAgain = 0
    let last = ''
    let since = Date.now()
    for (;;) {
      const jobs = await this.jobs()
      const failed = jobs.filter(
        job => job.state === 'failed' && /volume|disk|not mounted|broke off/i.test(job.reason ?? ''),
      )
      if (failed.length > 0) {
        triedAgain += failed.length
        await this.ask('/api/jobs/actions', { ids: failed.map(job => job.id), action: 'retry' })
      } else if (jobs.every(job => isSettled(job.state))) {
        return triedAgain
      }
      const now = JSON.stringify(jobs.map(job => [job.state, job.attempt, job.progress?.framesDone]))
      if (now !== last) since = Date.now()
      last = now
      // Nothing has changed for five minutes: what is left is stuck.
      if (Date.now() - since > 300_000) return triedAgain
      await pause(1000)
    }
  }

  private async judge(): Promise<Omit<Campaign, 'triedAgain' | 'sourcesChanged'>> {
    const jobs = await this.jobs()
    const files = readdirSync(this.delivery).filter(name => !name.startsWith('.'))
    const counts = { stuck: 0, lost: 0, doubled: 0, half: 0, redone: 0 }
    const delivered = new Set<string>()
    for (const job of jobs) {
      if (!isSettled(job.state)) {
        counts.stuck++
        continue
      }
      const detail = await this.ask<JobDetail>(`/api/jobs/${job.id}`)
      counts.redone += detail.events.filter(event => event.event === 'start').length - 1
      const finishes = detail.events.filter(event => event.event === 'finish').length
      if (job.state !== 'done' || finishes === 0) {
        this.options.say(`Job ${job.id} ended as ${job.state}: ${job.reason}`)
        counts.lost++
        continue
      }
      if (finishes > 1 || delivered.has(detail.outputPath!)) counts.doubled++
      delivered.add(detail.outputPath!)
      const file = path.join(this.delivery, detail.outputPath!)
      if (!existsSync(file) || sumOf(file) !== detail.check!.measurement.sha256) counts.half++
    }
    counts.doubled += files.filter(name => !delivered.has(name)).length
    // A worker that was killed leaves its files until the next looks for them.
    await pause(5000)
    const work = path.join(this.delivery, '.hematine')
    const left = readdirSync(work, { recursive: true, withFileTypes: true }).filter(
      entry => entry.isFile() && !entry.parentPath.includes('trials'),
    ).length
    return { faults: this.done, jobs: jobs.length, ...counts, left }
  }
}

/** @param count of faults; the same seed gives the same kinds at the same distances */
export async function benchFaults(count: number, seed: number): Promise<void> {
  await build()
  setUpLibraries()
  const directory = temporaryDirectory('hematine-faults-')
  try {
    console.log(
      `Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}; seed ${seed}`,
    )
    const begun = Date.now()
    const result = await new FaultCampaign({
      count,
      seed,
      clips: Math.max(2, Math.ceil(count / 5)),
      directory,
      say: line => console.log(line),
    }).run()
    console.log(
      `\n| fault | times |\n|---|---|\n${Object.entries(result.faults)
        .map(([fault, times]) => `| ${fault} | ${times} |`)
        .join('\n')}`,
    )
    console.log(
      `\n| jobs | stuck | lost | doubled | half | files left over | sources changed | begun again | failed for a volume, then done |\n|---|---|---|---|---|---|---|---|---|`,
    )
    console.log(
      `| ${[result.jobs, result.stuck, result.lost, result.doubled, result.half, result.left, result.sourcesChanged, result.redone, result.triedAgain].join(' | ')} |`,
    )
    console.log(`\nin ${((Date.now() - begun) / 1000).toFixed(0)} s`)
    const wrong = result.stuck + result.lost + result.doubled + result.half + result.left + result.sourcesChanged
    process.exitCode = wrong === 0 ? 0 : 1
  } finally {
    rmSync(directory, { recursive: true, force: true })
  }
}
