import type { EntityManager } from '@mikro-orm/postgresql'
import { nextState, type JobEvent, type JobState } from '@hematine/core'
import { JobEntity, JobEventEntity, type JobRow } from './entities.ts'

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

/** Adds a row of the same event to many jobs' histories in one statement. */
export async function recordAll(
  em: EntityManager,
  jobIds: readonly number[],
  event: JobEvent | 'create' | 'move',
  from: JobState | null,
  to: JobState,
  note: string | null = null,
): Promise<void> {
  if (jobIds.length === 0) return
  await run(
    em,
    'insert into job_event (job_id, event, from_state, to_state, note) select id, ?, ?, ?, ? from unnest(?::int[]) as id',
    [event, from, to, note, asArray(jobIds)],
  )
}

/** Runs a statement within the transaction of `em`. */
export function run<Row>(em: EntityManager, sql: string, parameters: readonly unknown[] = []): Promise<Row[]> {
  return em.getConnection().execute<Row[]>(sql, [...parameters], 'all', em.getTransactionContext())
}

/** Whole numbers as one parameter of a statement. */
export function asArray(numbers: readonly number[]): string {
  return `{${numbers.join(',')}}`
}

/** Position of the last job of all orders; 0 without any. */
export async function lastPosition(em: EntityManager): Promise<number> {
  const [row] = await run<{ last: number | null }>(em, 'select max(position) as last from job')
  return row?.last ?? 0
}
