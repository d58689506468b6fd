import type { EntityManager } from '@mikro-orm/postgresql'
import { describeState, nextState, type JobEvent, type JobState } from '@hematine/core'
import { lastPosition, nextAction, recordAll, recordPart } from './job-events.ts'
import { found, Problem } from './problem.ts'
import { asArray, run } from './sql.ts'

export const jobActions = ['release', 'hold', 'resume', 'cancel', 'retry', 'remove'] as const
export type JobAction = (typeof jobActions)[number]

export interface ActionOutcome {
  id: number
  done: boolean
  /** Why it was not done, as a sentence. */
  reason: string | null
}

const verbs: Record<JobAction, string> = {
  release: 'released',
  hold: 'held',
  resume: 'resumed',
  cancel: 'cancelled',
  retry: 'tried again',
  remove: 'removed',
}

interface Locked {
  id: number
  state: JobState
  name: string
  hasChanged: boolean
}

/**
 * Does what a person asks of jobs: in one transaction, each that can; those that cannot say why and do not stop the rest. A batch takes a few statements,
 * however many jobs it has.
 */
export async function actOnJobs(
  em: EntityManager,
  ids: readonly number[],
  action: JobAction,
): Promise<ActionOutcome[]> {
  return em.transactional(async tx => {
    // Locked in the order of their numbers, so that two batches wait for each other instead of locking each other out.
    const rows = await run<Locked>(
      tx,
      `
      select job.id, job.state, regexp_replace(source.relative_path, '^.*/', '') as name, job.identity is distinct from source.identity as "hasChanged"
      from job join source on source.id = job.source_id where job.id = any(?::int[]) order by job.id for update of job`,
      [asArray(ids)],
    )
    const byId = new Map(rows.map(row => [row.id, row]))
    const wanted = [...new Set(ids)]
    const outcomes = wanted.map((id): ActionOutcome => {
      const reason = refusalOf(byId.get(id), id, action)
      return { id, done: reason === null, reason }
    })
    const going = outcomes.filter(outcome => outcome.done).map(outcome => byId.get(outcome.id)!)
    if (action === 'remove') await removeJobs(tx, going)
    else await move(tx, going, action)
    return outcomes
  })
}

function refusalOf(job: Locked | undefined, id: number, action: JobAction): string | null {
  if (!job) return `There is no job ${id}. It may have been removed.`
  const fits = action === 'remove' ? job.state === 'draft' : nextState(job.state, action) !== null
  if (!fits) return `Job ${id} is ${describeState(job.state)} and cannot be ${verbs[action]}.`
  // Its treatment was worked out from what the source was then.
  if (action === 'release' && job.hasChanged)
    return `${job.name} was read anew since job ${id} was drafted. Draft it again, then release it.`
  return null
}

/** Takes jobs out with their events. Of an action that was on others too, another row now stands for those that are left. */
export async function removeJobs(tx: EntityManager, jobs: readonly Pick<Locked, 'id'>[]): Promise<void> {
  const ids = asArray(jobs.map(job => job.id))
  const actions = await run<{ action: number }>(
    tx,
    'select distinct action from job_event where action_jobs is not null and job_id = any(?::int[])',
    [ids],
  )
  await run(tx, 'delete from job where id = any(?::int[])', [ids])
  if (actions.length === 0) return
  await run(
    tx,
    `update job_event set action_jobs = rest.jobs from
       (select action, min(id) as id, count(*)::int as jobs from job_event where action = any(?::int[]) group by action) as rest
     where job_event.id = rest.id`,
    [asArray(actions.map(row => row.action))],
  )
}

const afresh = `"check" = null, reason = null, progress = null, output_path = null, temporary_path = null, started_at = null, finished_at = null, work_seconds = null, losses = 0, not_before = null, whole_because = null, promised = null`

/** Jobs of the same state go on together. */
async function move(tx: EntityManager, jobs: readonly Locked[], action: Exclude<JobAction, 'remove'>): Promise<void> {
  const number = jobs.length > 1 ? await nextAction(tx) : null
  let of: number | null = jobs.length
  let last = action === 'release' || action === 'retry' ? await lastPosition(tx) : 0
  for (const state of new Set(jobs.map(job => job.state))) {
    const ids = jobs.filter(job => job.state === state).map(job => job.id)
    const to = nextState(state, action as JobEvent)!
    if (action === 'release' || action === 'retry') {
      await run(
        tx,
        `update job set state = ?, position = ? + entry.place, released_at = now()${action === 'retry' ? `, ${afresh}` : ''} from unnest(?::int[]) with ordinality as entry (id, place) where job.id = entry.id`,
        [to, last, asArray(ids)],
      )
      last += ids.length
    } else {
      await run(
        tx,
        `update job set state = ?${action === 'cancel' ? ', finished_at = now()' : ''} where id = any(?::int[])`,
        [to, asArray(ids)],
      )
    }
    await recordPart(tx, ids, action, state, to, null, number, of)
    of = null
  }
}

/**
 * Has waiting jobs begun in the order given: they take each other's places, and no other job's. Those that wait no more are left where they are.
 * @param note what it is done for, as the record of each job says it
 * @returns how many have another place
 */
export async function orderJobs(em: EntityManager, ids: readonly number[], note: string): Promise<number> {
  return em.transactional(async tx => {
    await run(tx, 'select pg_advisory_xact_lock(7001)')
    const jobs = await run<{ id: number; position: number }>(
      tx,
      `select id, position from job where id = any(?::int[]) and state = 'waiting' order by position, id`,
      [asArray(ids)],
    )
    const waiting = new Set(jobs.map(job => job.id))
    const wanted = [...new Set(ids)].filter(id => waiting.has(id))
    const moved = wanted.flatMap((id, place) =>
      jobs[place]!.id === id ? [] : [{ id, position: jobs[place]!.position }],
    )
    await run(
      tx,
      'update job set position = entry.position from unnest(?::int[], ?::float8[]) as entry (id, position) where job.id = entry.id',
      [asArray(moved.map(({ id }) => id)), asArray(moved.map(({ position }) => position))],
    )
    await recordAll(
      tx,
      moved.map(({ id }) => id),
      'move',
      'waiting',
      'waiting',
      note,
    )
    return moved.length
  })
}

/**
 * Moves jobs, in the order given, to just before another one, or to the end.
 * Positions are fractions between the neighbours, so that no other row changes.
 */
export async function moveJobs(em: EntityManager, ids: readonly number[], beforeId: number | null): Promise<void> {
  await em.transactional(async tx => {
    await run(tx, 'select pg_advisory_xact_lock(7001)')
    const jobs = await run<{ id: number; position: number; state: JobState }>(
      tx,
      'select id, position, state from job order by position, id',
    )
    const byId = new Map(jobs.map(job => [job.id, job]))
    const moving = ids.map(id => found(byId.get(id) ?? null, 'job', id))
    const inHand = new Set(ids)
    const others = jobs.filter(job => !inHand.has(job.id))
    const at = beforeId === null ? others.length : others.findIndex(job => job.id === beforeId)
    if (at < 0) throw new Problem(404, 'not-found', `There is no job ${beforeId} to move before. Reload the page.`)
    const low = others[at - 1]?.position ?? (others[at]?.position ?? 1) - 1
    const high = others[at]?.position ?? low + moving.length + 1
    const step = (high - low) / (moving.length + 1)
    const place = (placed: readonly { id: number }[], from: number, by: number) =>
      run(
        tx,
        'update job set position = ? + ? * entry.place from unnest(?::int[]) with ordinality as entry (id, place) where job.id = entry.id',
        [from, by, asArray(placed.map(job => job.id))],
      )
    // After very many moves to one spot the fractions run out of digits; then all are numbered afresh.
    if (low + step <= low || high - step >= high)
      await place([...others.slice(0, at), ...moving, ...others.slice(at)], 0, 1)
    else await place(moving, low, step)
    for (const state of new Set(moving.map(job => job.state))) {
      await recordAll(
        tx,
        moving.filter(job => job.state === state).map(job => job.id),
        'move',
        state,
        state,
        beforeId === null ? 'to the end' : `before job ${beforeId}`,
      )
    }
  })
}
