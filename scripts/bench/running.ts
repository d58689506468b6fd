import { cpus } from 'node:os'
import { setTimeout as pause } from 'node:timers/promises'
import { describeSharing, isSettled, middle, type PlannedJobRecord, type Sharing } from '@hematine/core'
import { withMeasuredClips } from './measured-clips.ts'

/** Each source is drafted for all of them. */
const specs = ['playback-box', 'open-web-webm', 'archive-master']
const lookMilliseconds = 1000
/** What the range around what was seen was, before it followed how much was done. */
const before = 0.05

/** What was told of a running job, and what it had done. Times in milliseconds of the clock. */
interface Look {
  job: number
  at: number
  part: number
  /** When it would end, and between what. */
  end: { low: number; expected: number; high: number }
  /** Seconds left, by its speed alone. */
  seen: number | null
}

const percent = (part: number) => (Number.isFinite(part) ? `${Math.round(part * 100)} %` : '-')

/**
 * Runs a batch, notes each second what is told of the jobs that run, and holds it against when they ended.
 * @param directory with clips; the demo's without one
 * @param lanes of its worker
 */
export async function benchRunning(directory: string | undefined, lanes: string): Promise<void> {
  await withMeasuredClips(directory, { specs, lanes }, async ({ ask, jobs }) => {
    const ids = (await jobs()).map(({ id }) => id)
    await ask('/api/jobs/actions', { ids, action: 'release' })
    const begun = Date.now()

    const looks: Look[] = []
    const ofAll: Look[] = []
    let sharing: Sharing | null = null
    for (let isOver = false; !isOver;) {
      const work = await ask<{
        at: string
        active: PlannedJobRecord[]
        counts: Record<string, number>
        released: { end: Look['end'] | null }
        sharing: Sharing | null
      }>('/api/work?orderId=1')
      const at = new Date(work.at).getTime()
      const byClock = ({ low, expected, high }: Look['end']) => ({
        low: at + low * 1000,
        expected: at + expected * 1000,
        high: at + high * 1000,
      })
      for (const { id, progress, end } of work.active)
        if (progress && end)
          looks.push({ job: id, at, part: progress.part, end: byClock(end), seen: progress.secondsLeft })
      sharing ??= work.sharing
      if (work.released.end) ofAll.push({ job: 0, at, part: 0, end: byClock(work.released.end), seen: null })
      isOver = ['waiting', 'queued', 'running', 'placing'].every(state => !work.counts[state])
      await pause(lookMilliseconds)
    }
    const settled = (await jobs()).filter(job => isSettled(job.state))
    const endOf = new Map(
      settled.flatMap(({ id, state, finishedAt }) =>
        state === 'done' && finishedAt ? [[id, new Date(finishedAt).getTime()]] : [],
      ),
    )
    const tookOf = new Map(settled.map(({ id, workSeconds }) => [id, workSeconds ?? 0]))
    console.log(
      `Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}. Lanes: ${lanes}. ${describeSharing(Number(lanes), sharing) ?? ''} ${endOf.size} of ${ids.length} jobs done, ${looks.length} looks.\n`,
    )
    console.log(
      '| looks | how many | within what was told | within 5 % of what is seen | off, of what was left | ranges |',
    )
    console.log('|---|---|---|---|---|---|')
    const known = looks.filter(({ job }) => endOf.has(job))
    const line = (name: string, some: readonly Look[]) => {
      const left = (look: Look) => Math.max(1, endOf.get(look.job)! - look.at)
      const within = some.filter(({ job, end }) => end.low <= endOf.get(job)! && endOf.get(job)! <= end.high)
      const seen = some.filter(look => look.seen !== null)
      const withinSeen = seen.filter(look => Math.abs(left(look) - look.seen! * 1000) <= before * look.seen! * 1000)
      console.log(
        `| ${name} | ${some.length} | ${percent(within.length / some.length)} | ${percent(withinSeen.length / seen.length)} | ${percent(middle(some.map(look => Math.abs(look.end.expected - endOf.get(look.job)!) / left(look))))} | ±${percent(middle(some.map(({ at, end }) => (end.high - end.low) / 2 / Math.max(1, end.expected - at))))} |`,
      )
    }
    const isLong = ({ job }: Look) => tookOf.get(job)! >= 60
    const parts = [0, 0.1, 0.3, 0.6, 1.01]
    for (const [name, of] of [
      ['jobs of a minute and more', isLong],
      ['shorter ones', (look: Look) => !isLong(look)],
    ] as const)
      for (let place = 0; place + 1 < parts.length; place++) {
        const some = known.filter(look => of(look) && look.part >= parts[place]! && look.part < parts[place + 1]!)
        if (some.length > 0)
          line(`${name}, ${percent(parts[place]!)} to ${percent(Math.min(1, parts[place + 1]!))} done`, some)
      }
    line('all', known)
    const end = Math.max(...endOf.values())
    const held = ofAll.filter(({ end: told }) => told.low <= end && end <= told.high)
    const first = ofAll[0]!
    console.log(
      `\nThe end of all, ${((end - begun) / 1000).toFixed(0)} s after the release: told to be after ${((first.end.low - begun) / 1000).toFixed(0)} to ${((first.end.high - begun) / 1000).toFixed(0)} s at first; ${percent(held.length / ofAll.length)} of ${ofAll.length} looks held it.`,
    )
  })
}
