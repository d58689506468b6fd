import type { EntityManager } from '@mikro-orm/postgresql'
import { run } from './sql.ts'

/**
 * Whose turn it is to measure on a host: its workers share the processor, and what one measures would tell of the others' work as well. A row for the worker that
 * measures; one that is gone does not count.
 */

const holds = `select 1 from measuring_turn turn join worker on worker.id = turn.id where turn.host = ? and worker.gone_at is null`

/**
 * Takes the turn where nobody has it, and the jobs on this host have had theirs.
 * @returns whether it is this worker's now
 */
export async function takeMeasuringTurn(em: EntityManager, host: string, workerId: string): Promise<boolean> {
  return em.transactional(async tx => {
    await run(tx, 'select pg_advisory_xact_lock(7005, hashtext(?))', [host])
    const [now] = await run<{ taken: boolean; isjobsturn: boolean }>(
      tx,
      `select exists (${holds}) as taken,
         exists (select 1 from worker where host = ? and jobs_turn_until > now())
           and exists (select 1 from job join worker on worker.id = job.worker_id where worker.host = ? and job.state = 'running') as isJobsTurn`,
      [host, host, host],
    )
    if (now!.taken || now!.isjobsturn) return false
    await run(
      tx,
      'insert into measuring_turn (host, id) values (?, ?) on conflict (host) do update set id = excluded.id',
      [host, workerId],
    )
    return true
  })
}

/** Whether the others on the host are quiet, so that measuring can begin. */
export async function areOthersQuiet(em: EntityManager, host: string, workerId: string): Promise<boolean> {
  const [row] = await run<{ loud: boolean }>(
    em,
    'select exists (select 1 from worker where host = ? and id <> ? and gone_at is null and not is_quiet) as loud',
    [host, workerId],
  )
  return !row!.loud
}

/** Ends the turn. Before the next, jobs on the host have one as long. @param seconds that it lasted */
export async function endMeasuringTurn(em: EntityManager, workerId: string, seconds: number): Promise<void> {
  await em.transactional(async tx => {
    await run(tx, 'delete from measuring_turn where id = ?', [workerId])
    await run(tx, `update worker set jobs_turn_until = now() + ? * interval '1 second' where id = ?`, [
      seconds,
      workerId,
    ])
  })
}

/** Whether another worker of the host measures at this moment. */
export async function doOthersMeasure(em: EntityManager, host: string, workerId: string): Promise<boolean> {
  const [row] = await run<{ measures: boolean }>(em, `select exists (${holds} and turn.id <> ?) as measures`, [
    host,
    workerId,
  ])
  return row!.measures
}

/** Says whether a worker's work is paused for another one's measurement. */
export async function sayQuiet(em: EntityManager, workerId: string, isQuiet: boolean): Promise<void> {
  await run(em, 'update worker set is_quiet = ? where id = ?', [isQuiet, workerId])
}
