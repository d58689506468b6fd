import { readdirSync, readFileSync } from 'node:fs'
import { cpus } from 'node:os'
import { isSettled, type JobRecord, type WorkerRecord } from '@hematine/core'
import { demoNames } from '@hematine/demo'

/** Hundredths of a second: what /proc counts in. */
const ticksPerSecond = 100
const pause = (milliseconds: number) => new Promise(resolve => setTimeout(resolve, milliseconds))

/** Fields of a process's line in /proc from its state on; null when it is gone. */
function fieldsOf(pid: number): string[] | null {
  try {
    return readFileSync(`/proc/${pid}/stat`, 'utf8')
      .replace(/^.*\) /s, '')
      .split(' ')
  } catch {
    return null
  }
}

/** Processor seconds of all that this process started, and what those started: of those that are there, and of those that ended and were waited for. */
function ownSeconds(): number {
  const all = new Map<number, { parent: number; ticks: number }>()
  for (const name of readdirSync('/proc')) {
    const fields = /^\d+$/.test(name) ? fieldsOf(Number(name)) : null
    if (fields)
      all.set(Number(name), {
        parent: Number(fields[1]),
        ticks: fields.slice(11, 15).reduce((sum, field) => sum + Number(field), 0),
      })
  }
  const isOwn = (pid: number): boolean => {
    const parent = all.get(pid)?.parent
    return parent !== undefined && (parent === process.pid || isOwn(parent))
  }
  return [...all].reduce((sum, [pid, { ticks }]) => (isOwn(pid) ? sum + ticks : sum), 0) / ticksPerSecond
}

/** Seconds that others on the host took from this machine's cores. */
function stolenSeconds(): number {
  const fields = readFileSync('/proc/stat', 'utf8').split('\n')[0]!.split(/\s+/)
  return Number(fields[8] ?? 0) / ticksPerSecond
}

export interface Asks {
  ask<Answer>(route: string, body?: unknown, method?: string): Promise<Answer>
  draft(name: string, specKey: string): Promise<JobRecord>
}

const mixed = [demoNames.disc, demoNames.interview, demoNames.tape, demoNames.film, demoNames.sequence].flatMap(name =>
  ['playback-box', 'small-mkv', 'archive-master', 'open-web-webm'].map(specKey => [name, specKey] as const),
)

/** How busy the cores are kept from release to the last place: over twenty mixed jobs in as many lanes as there are cores, and over one long job alone. */
export async function utilisation(application: Asks): Promise<void> {
  const cores = cpus().length
  const [worker] = await application.ask<WorkerRecord[]>('/api/workers')
  await application.ask(`/api/workers/${worker!.id}`, { lanes: cores }, 'PATCH')
  console.log(`\n## Utilisation of ${cores} cores, ${cores} lanes`)
  console.log(
    '| work | clock | own processor time | taken by others on the host | of what there was |\n|---|---|---|---|---|',
  )
  for (const [name, batch] of [
    [`${mixed.length} mixed jobs`, mixed],
    ['one long job alone', [[demoNames.watch, 'playback-box']]],
  ] as const) {
    const ids: number[] = []
    for (const [source, specKey] of batch) ids.push((await application.draft(source, specKey)).id)
    const before = { at: Date.now(), own: ownSeconds(), stolen: stolenSeconds() }
    await application.ask('/api/jobs/actions', { ids, action: 'release' })
    const states = async () =>
      (await application.ask<{ jobs: JobRecord[] }>('/api/jobs?orderId=1&limit=500')).jobs.filter(job =>
        ids.includes(job.id),
      )
    while (!(await states()).every(job => isSettled(job.state))) await pause(1000)
    const clock = (Date.now() - before.at) / 1000
    const [own, stolen] = [ownSeconds() - before.own, stolenSeconds() - before.stolen]
    const there = clock * cores - stolen
    console.log(
      `| ${name} | ${clock.toFixed(1)} s | ${own.toFixed(1)} s | ${stolen.toFixed(1)} s | ${((own / there) * 100).toFixed(1)} % |`,
    )
  }
}
