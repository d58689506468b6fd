import type { EntityManager } from '@mikro-orm/postgresql'
import { nextState, type JobEvent, type JobState } from '@hematine/core'
import { JobEntity, JobEventEntity, type JobRow } from './entities.ts'
import { asArray, run } from './sql.ts'

/** Adds the row of an event to a job's history. */
export function record(
  em: EntityManager,
  job: JobRow,
  event: JobEvent | 'create' | 'move',
  from: JobState | null,
  note: string | null,
): void {
  em.create(JobEventEntity, {
    job: em.getReference(JobEntity, job.id),
    event,
    fromState: from,
    toState: job.state,
    note,
  })
}

/**
 * Moves a locked job by an event and adds the event's row, in the caller's transaction.
 * @returns false when the event means nothing in the job's state; nothing is changed then
 */
export function applyEvent(em: EntityManager, job: JobRow, event: JobEvent, note: string | null = null): boolean {
  const to = nextState(job.state, event)
  if (to === null) return false
  const from = job.state
  job.state = to
  record(em, job, event, from, note)
  return true
}

/** Adds a row of the same event to many jobs' histories in one statement; of several, the first stands for all of them in lists. */
export async function recordAll(
  em: EntityManager,
  jobIds: readonly number[],
  event: JobEvent | 'create' | 'move',
  from: JobState | null,
  to: JobState,
  note: string | null = null,
): Promise<void> {
  if (jobIds.length === 0) return
  const action = jobIds.length > 1 ? await nextAction(em) : null
  await recordPart(em, jobIds, event, from, to, note, action, jobIds.length)
}

/** A number for an action that is done to many jobs. */
export async function nextAction(em: EntityManager): Promise<number> {
  const [row] = await run<{ action: number }>(em, `select nextval('job_action')::int as action`)
  return row!.action
}

/** Adds the rows of a part of an action on many jobs. @param of how many jobs the whole action is on; null for a part that is not the first */
export async function recordPart(
  em: EntityManager,
  jobIds: readonly number[],
  event: JobEvent | 'create' | 'move',
  from: JobState | null,
  to: JobState,
  note: string | null,
  action: number | null,
  of: number | null,
): Promise<void> {
  await run(
    em,
    `insert into job_event (job_id, event, from_state, to_state, note, action, action_jobs)
     select id, ?, ?, ?, ?, ?, case when place = 1 and ? then ?::int end from unnest(?::int[]) with ordinality as entry (id, place)`,
    [event, from, to, note, action, action !== null && of !== null, of, asArray(jobIds)],
  )
}

/** Position of the last job of all orders; 0 without any. */
export async function lastPosition(em: EntityManager): Promise<number> {
  const [row] = await run<{ last: number | null }>(em, 'select max(position) as last from job')
  return row?.last ?? 0
}
