import { copyFileSync, existsSync, mkdirSync, readdirSync, statSync, writeFileSync } from 'node:fs'
import { cpus } from 'node:os'
import path from 'node:path'
import {
  describeBytes,
  describeDuration,
  middle,
  readSettings,
  toNumber,
  type JobDetail,
  type JobRecord,
  type ScanRecord,
  type SourceRecord,
  type SourceRow,
} from '@hematine/core'
import { ownVolumes } from '@hematine/demo'
import { SetUpProblem, temporaryDirectory } from '../lib/bootstrap.mjs'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run, type Running } from '../lib/run.ts'
import { countPlainly, type PlainCount } from './plain-count.ts'

/** Specs that each source is drafted with: of those with a picture for pictures, of those of sound alone for the others. */
const pictureKeys = ['playback-box', 'archive-master', 'small-mkv']
const soundKeys = ['sound-flac', 'sound-m4a', 'sound-archive-mka']
/** Number of a mixed folder's first sources by which the speed of bringing in is told. */
const firstMany = 50
const pause = (milliseconds: number) => new Promise(resolve => setTimeout(resolve, milliseconds))

interface Ask {
  <T>(route: string, body?: unknown): Promise<T>
}

/** What of a source's facts an independent count contradicts, as sentences. */
function wrongFacts({ facts }: SourceRecord, count: PlainCount): string[] {
  const { video, audio } = facts!
  const wrong: string[] = []
  if (video) {
    const held = video.frameCount
    // A picture or two at a damaged end, or before a first keyframe, are no wrong count of packets.
    if (Math.abs(held - count.packets) > 0 && held !== count.decoded)
      wrong.push(`${held} frames, counted ${count.packets} packets and ${count.decoded} pictures`)
    if ((video.repeats ?? 0) < count.empty)
      wrong.push(`${video.repeats ?? 0} repeats, counted ${count.empty} empty packets`)
    if (video.width !== count.width || video.height !== count.height)
      wrong.push(`${video.width}x${video.height}, decoded ${count.width}x${count.height}`)
    const usual = middle(count.steps)
    const rate = toNumber(video.frameRate)
    if (
      !facts!.courses?.some(course => course.step !== null) &&
      count.steps.length > 4 &&
      video.rateIs === 'constant' &&
      Math.abs(usual * rate - Math.max(1, Math.round(usual * rate))) > 0.1
    )
      wrong.push(`${rate.toFixed(3)} frames a second, but most steps are ${(usual * 1000).toFixed(2)} ms`)
  }
  if (audio.length !== count.sound.length) wrong.push(`${audio.length} sound tracks, counted ${count.sound.length}`)
  if (
    !video &&
    facts!.durationSeconds !== null &&
    count.sound[0] !== undefined &&
    Math.abs(facts!.durationSeconds - count.sound[0]) > 0.25
  )
    wrong.push(`${facts!.durationSeconds.toFixed(2)} s, counted ${count.sound[0].toFixed(2)} s of sound`)
  return wrong
}

async function everything<T>(
  read: () => Promise<T>,
  isDone: (value: T) => boolean,
  seconds: number,
  what: string,
): Promise<T> {
  const begun = performance.now()
  for (;;) {
    const value = await read()
    if (isDone(value)) return value
    if ((performance.now() - begun) / 1000 > seconds) throw new SetUpProblem(`${what} did not end within ${seconds} s.`)
    await pause(300)
  }
}

/** Copies the files of a directory into the source volume. */
function copyInto(directory: string, target: string): number {
  mkdirSync(target, { recursive: true })
  const names = readdirSync(directory).filter(name => statSync(path.join(directory, name)).isFile())
  for (const name of names) copyFileSync(path.join(directory, name), path.join(target, name))
  return names.length
}

/** One page of sources is enough for a folder of this bench. */
const sourcesOf = async (ask: Ask) => (await ask<{ rows: SourceRow[] }>('/api/sources?orderId=1&limit=500')).rows

/**
 * Brings a folder in through the running application, drafts each source with three specs, releases all, and holds what comes of it against an
 * independent count. Words: the directory; --report FILE keeps the tables as text.
 */
export async function benchReal(given: readonly string[]): Promise<void> {
  const words = [...given]
  const at = words.indexOf('--report')
  const report = at < 0 ? null : (words.splice(at, 2)[1] ?? null)
  const [directory] = words
  if (!directory || !existsSync(directory))
    throw new SetUpProblem('Name a directory with material: npm run bench:real -- DIR')
  await build()
  const dataDirectory = path.join(temporaryDirectory('hematine-real-'), 'data')
  const lines: string[] = []
  const say = (line: string) => {
    console.log(line)
    lines.push(line)
  }
  let running: Running | null = null
  try {
    const fileCount = copyInto(directory, path.join(ownVolumes(dataDirectory).source, 'real'))
    running = await run({
      empty: true,
      dataDirectory,
      settings: readSettings({ HEMATINE_PORT: String(await freePort()), HEMATINE_LOG_LEVEL: 'warn' }),
      lasting: true,
      say: () => undefined,
    })
    const { address } = running
    const ask: Ask = async <T>(route: string, body?: unknown) => {
      const response = await fetch(
        address + route,
        body === undefined
          ? {}
          : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
      )
      if (!response.ok) throw new Error(`${route}: ${await response.text()}`)
      return (await response.json()) as T
    }
    say(
      `Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}. ${fileCount} files.`,
    )

    const jobs = async () => (await ask<{ jobs: JobRecord[] }>('/api/jobs?orderId=1&limit=500')).jobs

    const begun = performance.now()
    let firstAfter = 0
    await ask('/api/scans', { orderId: 1, volumeId: 1, path: 'real' })
    const wanted = Math.min(firstMany, fileCount)
    await everything(
      async () => {
        const rows = await sourcesOf(ask)
        const read = rows.filter(row => row.state !== 'reading').length
        if (firstAfter === 0 && read >= wanted) firstAfter = (performance.now() - begun) / 1000
        const [scan] = await ask<ScanRecord[]>('/api/scans?orderId=1')
        return rows.length > 0 && read === rows.length && scan?.state === 'done'
      },
      done => done,
      900,
      'Reading',
    )
    say(
      `Facts: the first ${wanted} after ${firstAfter.toFixed(1)} s (${(wanted / firstAfter).toFixed(1)} a second), all after ${((performance.now() - begun) / 1000).toFixed(1)} s.`,
    )
    const rows = await everything(
      () => sourcesOf(ask),
      found => found.every(row => row.state === 'refused' || !['waiting', 'measuring'].includes(row.measureState)),
      1800,
      'Measuring',
    )
    say(
      `Measured: all after ${((performance.now() - begun) / 1000).toFixed(0)} s. Lots: ${(await ask<unknown[]>('/api/lots?orderId=1&filter=%5B%5D')).length}.`,
    )

    const sources = new Map<number, SourceRecord>()
    for (const row of rows) sources.set(row.id, await ask<SourceRecord>(`/api/sources/${row.id}`))
    say('\n| source | facts | wrong, by an independent count |\n|---|---|---|')
    let wrongCount = 0
    const counts = new Map<number, PlainCount | null>()
    for (const source of sources.values()) {
      if (!source.facts) {
        say(`| ${source.name} | refused: ${source.reason} | |`)
        continue
      }
      const count = await countPlainly(path.join(directory, source.name))
      counts.set(source.id, count)
      const wrong = count ? wrongFacts(source, count) : ['nothing of it decodes']
      wrongCount += wrong.length
      const { video, audio, durationSeconds } = source.facts
      say(
        `| ${source.name} | ${[
          video
            ? `${video.width}x${video.height}, ${toNumber(video.frameRate)
                .toFixed(3)
                .replace(
                  /\.?0+$/,
                  '',
                )} fps ${video.rateIs}, ${video.frameCount} frames${video.repeats ? `, ${video.repeats} repeats` : ''}${video.gaps ? `, ${video.gaps.count} gaps` : ''}${source.facts.jumps ? `, ${source.facts.jumps.length} jumps` : ''}`
            : '',
          `${audio.length} sound`,
          `${durationSeconds?.toFixed(2)} s`,
        ]
          .filter(part => part !== '')
          .join(', ')} | ${wrong.join('; ') || '-'} |`,
      )
    }

    const volumes = await ask<{ id: number; role: string }[]>('/api/volumes')
    const wishes = [...sources.values()]
      .filter(source => source.facts)
      .flatMap(source =>
        (source.facts!.video ? pictureKeys : soundKeys).map(specKey => ({ sourceId: source.id, specKey })),
      )
    const { jobs: drafted, refused } = await ask<{
      jobs: JobRecord[]
      refused: { sourceId: number; specKey: string; reason: string }[]
    }>('/api/jobs', { deliveryVolumeId: volumes.find(volume => volume.role === 'delivery')!.id, wishes })
    await everything(
      () => jobs(),
      jobs => jobs.every(job => job.sampleState === 'ready' || job.sampleState === 'failed'),
      7200,
      'Forecasting',
    )
    const forecasts = new Map((await jobs()).map(job => [job.id, job]))
    await ask('/api/jobs/actions', { ids: drafted.map(job => job.id), action: 'release' })
    const done = await everything(
      () => jobs(),
      jobs => jobs.every(job => job.state === 'done' || job.state === 'failed'),
      14_400,
      'The jobs',
    )

    say(
      '\n| source | spec | state | verdict | account | time, forecast | size, forecast | reasons |\n|---|---|---|---|---|---|---|---|',
    )
    const [timeOff, sizeOff]: [number[], number[]] = [[], []]
    let [open, inTime, inSize] = [0, 0, 0]
    for (const job of done.sort((a, b) => a.sourceName.localeCompare(b.sourceName) || a.id - b.id)) {
      const detail = await ask<JobDetail>(`/api/jobs/${job.id}`)
      const { account } = detail.check?.measurement ?? {}
      const picture = account?.picture
      const isOpen = picture ? Math.abs(picture.found - picture.expected) > picture.tolerance : false
      if (isOpen) open++
      const forecast = forecasts.get(job.id)?.forecast
      if (forecast && job.workSeconds !== null && job.outputBytes !== null) {
        timeOff.push(Math.abs(forecast.seconds.expected / job.workSeconds - 1))
        sizeOff.push(Math.abs(forecast.bytes.expected / job.outputBytes - 1))
        if (job.workSeconds >= forecast.seconds.low && job.workSeconds <= forecast.seconds.high) inTime++
        if (job.outputBytes >= forecast.bytes.low && job.outputBytes <= forecast.bytes.high) inSize++
      }
      say(
        `| ${job.sourceName} | ${job.specKey} | ${job.state} | ${job.verdict ?? '-'} | ${picture ? `${picture.pictures} to ${picture.found} of ${picture.expected}${isOpen ? ', OPEN' : ''}` : account ? 'sound' : '-'} | ${job.workSeconds === null ? '-' : `${describeDuration(job.workSeconds)}, ${forecast ? describeDuration(forecast.seconds.expected) : 'none'}`} | ${job.outputBytes === null ? '-' : `${describeBytes(job.outputBytes)}, ${forecast ? describeBytes(forecast.bytes.expected) : 'none'}`} | ${[job.reason, ...job.verdictReasons].filter(reason => reason).join(' ') || '-'} |`,
      )
    }
    for (const { sourceId, specKey, reason } of refused)
      say(`| ${sources.get(sourceId)?.name} | ${specKey} | refused at drafting | - | - | - | - | ${reason} |`)
    const count = (test: (job: JobRecord) => boolean) => done.filter(test).length
    const percent = (values: number[]) => (values.length === 0 ? '-' : `${(100 * middle(values)).toFixed(1)} %`)
    say(
      `\n${wrongCount} wrong facts. ${done.length} jobs: ${count(job => job.verdict === 'pass')} pass, ${count(job => job.verdict === 'look')} look, ${count(job => job.state === 'failed')} failed, ${refused.length} refused at drafting; ${open} accounts open. Forecasts: median off ${percent(timeOff)} in time (${inTime} of ${timeOff.length} in their range), ${percent(sizeOff)} in size (${inSize} of ${sizeOff.length}).`,
    )
    if (report) writeFileSync(report, `${lines.join('\n')}\n`)
  } finally {
    await running?.stop()
  }
}
