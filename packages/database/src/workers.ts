import { LockMode } from '@mikro-orm/core'
import type { EntityManager } from '@mikro-orm/postgresql'
import type { FoundDevices, StandInFault, WorkerRecord } from '@hematine/core'
import { workerRecord } from './as-records.ts'
import {
  JobEntity,
  ComparisonEntity,
  CurveEntity,
  LaneChoiceEntity,
  SampleEntity,
  SourceEntity,
  TaskClaimEntity,
  WorkerEntity,
  type TaskClaimRow,
  type WorkerRow,
} from './entities.ts'
import { applyEvent } from './job-events.ts'
import { lose } from './jobs.ts'
import { Problem } from './problem.ts'
import { loseUnit } from './work.ts'
import type { Needs, Task, TaskKind, TaskPayloads, TaskQueue } from './queue.ts'

/** A worker not heard of for this long is lost. It reports every two seconds. */
export const lostAfterSeconds = 10

export interface WorkerIdentity {
  id: string
  name: string
  machine: string
  cores: number | null
  host: string
  pid: number
  lanes: number
  /** None unless said. */
  found?: FoundDevices
  /** Whether it takes only what needs its graphics devices. */
  devicesOnly?: boolean
}

/** Registers a worker. @returns the lanes that it has: those that a person gave it, else its own */
export async function registerWorker(em: EntityManager, worker: WorkerIdentity): Promise<number> {
  const chosen = await em.findOne(LaneChoiceEntity, { host: worker.host, name: worker.name })
  const lanes = chosen?.lanes ?? worker.lanes
  em.create(WorkerEntity, { found: { devices: [], missing: [] }, troubles: {}, ...worker, lanes })
  await em.flush()
  return lanes
}

/**
 * Says that a worker lives.
 * @param troubles why devices of its take no work for now, by their keys; as they were unless said
 * @returns the lanes that it has, and what a person wants its stand-in to suffer; null when it was declared lost meanwhile, and its work was given to others
 */
export async function reportWorker(
  em: EntityManager,
  workerId: string,
  troubles?: Record<string, string>,
): Promise<{ lanes: number; fault: StandInFault | null } | null> {
  if (
    (await em.nativeUpdate(
      WorkerEntity,
      { id: workerId, goneAt: null },
      { seenAt: new Date(), ...(troubles ? { troubles } : {}) },
    )) === 0
  )
    return null
  const row = await em.findOne(WorkerEntity, workerId, { fields: ['lanes', 'fault'], refresh: true })
  return row && { lanes: row.lanes, fault: row.fault ?? null }
}

/** Writes down the graphics devices that a worker found. */
export async function keepFound(em: EntityManager, workerId: string, found: FoundDevices): Promise<void> {
  await em.nativeUpdate(WorkerEntity, { id: workerId }, { found })
}

/** Gives a worker's stand-in a fault, or takes it away. @throws Problem when the worker is gone, or has no stand-in */
export async function setFault(em: EntityManager, workerId: string, fault: StandInFault | null): Promise<WorkerRecord> {
  return em.transactional(async tx => {
    const row = workerThere(await tx.findOne(WorkerEntity, { id: workerId, goneAt: null }))
    if (!row.found.devices.some(device => device.kind === 'stand-in'))
      throw new Problem(409, 'no-stand-in', 'Only a stand-in GPU can be given a fault, and this worker has none.')
    row.fault = fault
    return workerRecord(row)
  })
}

function workerThere(row: WorkerRow | null): WorkerRow {
  if (!row) throw new Problem(404, 'worker-gone', 'This worker is no longer there. Look at the list once more.')
  return row
}

/** Gives a worker lanes, now and whenever it is started again. @throws Problem when it is gone */
export async function setLanes(em: EntityManager, workerId: string, lanes: number): Promise<WorkerRecord> {
  return em.transactional(async tx => {
    const row = workerThere(
      await tx.findOne(WorkerEntity, { id: workerId, goneAt: null }, { lockMode: LockMode.PESSIMISTIC_WRITE }),
    )
    row.lanes = lanes
    await tx.upsert(LaneChoiceEntity, { host: row.host, name: row.name, lanes })
    return workerRecord(row)
  })
}

export async function listWorkers(em: EntityManager): Promise<WorkerRecord[]> {
  return (await em.find(WorkerEntity, { goneAt: null }, { orderBy: { name: 1, startedAt: 1 } })).map(workerRecord)
}

/**
 * Takes the next tasks of a kind for a worker, at most so many; the claims and the taking are one transaction, so that none is ever lost between
 * them. A worker that left, or was taken for lost, gets none: nobody would give them back.
 * @param needs what the worker can take; what any can unless said
 */
export async function takeTasks<Kind extends TaskKind>(
  em: EntityManager,
  queue: TaskQueue,
  kind: Kind,
  workerId: string,
  most: number,
  needs?: Needs,
): Promise<Task<Kind>[]> {
  return em.transactional(async tx => {
    // Held until the claims are written, so that a retirement sees either them or the worker's absence.
    if (!(await tx.findOne(WorkerEntity, { id: workerId, goneAt: null }, { lockMode: LockMode.PESSIMISTIC_READ })))
      return []
    const tasks = await queue.take(kind, tx, most, needs)
    for (const task of tasks)
      tx.create(TaskClaimEntity, {
        taskId: task.id,
        kind,
        payload: { ...task.payload },
        worker: tx.getReference(WorkerEntity, workerId),
      })
    return tasks
  })
}

/** Takes one task; see `takeTasks`. */
export async function takeTask<Kind extends TaskKind>(
  em: EntityManager,
  queue: TaskQueue,
  kind: Kind,
  workerId: string,
  needs?: Needs,
): Promise<Task<Kind> | null> {
  return (await takeTasks(em, queue, kind, workerId, 1, needs))[0] ?? null
}

async function endWithin(tx: EntityManager, queue: TaskQueue, tasks: readonly Task[]): Promise<void> {
  await queue.complete(tasks, tx)
  await tx.nativeDelete(TaskClaimEntity, { taskId: { $in: tasks.map(task => task.id) } })
}

/** Ends tasks, whatever came of them. */
export async function endTasks(em: EntityManager, queue: TaskQueue, tasks: readonly Task[]): Promise<void> {
  await em.transactional(tx => endWithin(tx, queue, tasks))
}

/** Kinds of task other than jobs: what became of one is only in what it left. */
export type ShortKind = Exclude<TaskKind, 'job'>

async function sendAgain<Kind extends ShortKind>(
  tx: EntityManager,
  queue: TaskQueue,
  kind: Kind,
  payload: TaskPayloads[Kind],
  isLost = false,
): Promise<void> {
  if ('unitId' in payload) return loseUnit(tx, payload, isLost)
  if ('depth' in payload)
    await tx.nativeUpdate(
      SourceEntity,
      { id: payload.sourceId, measureState: 'measuring' },
      { measureState: 'waiting' },
    )
  if ('sampleId' in payload)
    await tx.nativeUpdate(SampleEntity, { id: payload.sampleId, state: 'measuring' }, { state: 'waiting' })
  if ('curveId' in payload)
    await tx.nativeUpdate(CurveEntity, { id: payload.curveId, state: 'measuring' }, { state: 'waiting', part: null })
  if ('comparisonId' in payload)
    await tx.nativeUpdate(
      ComparisonEntity,
      { id: payload.comparisonId, state: 'measuring' },
      { state: 'waiting', part: null },
    )
  await queue.send(kind, payload, tx)
}

/** Gives tasks back to the queue: their end and their return are one transaction. */
export async function returnTasks(
  em: EntityManager,
  queue: TaskQueue,
  tasks: readonly Task<ShortKind>[],
): Promise<void> {
  await em.transactional(async tx => {
    await endWithin(tx, queue, tasks)
    for (const { kind, payload } of tasks) await sendAgain(tx, queue, kind, payload as never)
  })
}

/** Workers that must be taken for lost: silent too long by the database's clock, or of this host with a process that is no more. */
export async function findLostWorkers(
  em: EntityManager,
  host: string,
  processLives: (pid: number) => boolean,
): Promise<string[]> {
  const silent = await em
    .getConnection()
    .execute<{ id: string }[]>(
      `select id from worker where gone_at is null and seen_at < now() - interval '${lostAfterSeconds} seconds'`,
    )
  const neighbours = await em.find(WorkerEntity, { host, goneAt: null })
  return [
    ...new Set([
      ...silent.map(row => row.id),
      ...neighbours.filter(worker => !processLives(worker.pid)).map(worker => worker.id),
    ]),
  ]
}

/**
 * Gives a lost or leaving worker's work back: its tasks are queued again, its jobs wait again. Safe to call twice and from several workers.
 * @param isLost whether it went without a word; what it worked at may be the reason then, so that is counted
 */
export async function retireWorker(
  em: EntityManager,
  queue: TaskQueue,
  workerId: string,
  why: string,
  isLost = true,
): Promise<void> {
  await em.transactional(async tx => {
    const worker = await tx.findOne(WorkerEntity, workerId, { lockMode: LockMode.PESSIMISTIC_WRITE })
    if (!worker || worker.goneAt) return
    worker.goneAt = new Date()
    for (const claim of await tx.find(TaskClaimEntity, { worker: workerId }))
      await giveBack(tx, queue, claim, why, isLost)
    for (const job of await tx.find(JobEntity, { workerId }, { lockMode: LockMode.PESSIMISTIC_WRITE })) {
      if (isLost) lose(tx, job, why)
      else {
        applyEvent(tx, job, 'lose', why)
        tx.assign(job, { workerId: null, progress: null })
      }
    }
  })
}

/** Puts a claimed task back into the queue. A job that was taken but not begun waits again; one that was begun is not touched. */
async function giveBack(
  tx: EntityManager,
  queue: TaskQueue,
  claim: TaskClaimRow,
  why: string,
  isLost = false,
): Promise<void> {
  await queue.complete([{ id: claim.taskId, kind: claim.kind, payload: claim.payload } as unknown as Task], tx)
  if (claim.kind === 'job') {
    const { jobId, attempt } = claim.payload as unknown as TaskPayloads['job']
    const job = await tx.findOne(JobEntity, jobId, { lockMode: LockMode.PESSIMISTIC_WRITE })
    if (job && job.attempt === attempt && job.state === 'queued') applyEvent(tx, job, 'lose', why)
  } else {
    await sendAgain(tx, queue, claim.kind as ShortKind, claim.payload as never, isLost)
  }
  tx.remove(claim)
}

/** What the database holds for a worker: the tasks it took, and the jobs that it runs. */
export async function holdingsOf(em: EntityManager, workerId: string): Promise<{ tasks: string[]; jobs: number[] }> {
  const [claims, jobs] = await Promise.all([
    em.find(TaskClaimEntity, { worker: workerId }, { fields: ['taskId'] }),
    em.fork().find(JobEntity, { workerId, state: 'running' }, { fields: ['id'] }),
  ])
  return { tasks: claims.map(claim => claim.taskId), jobs: jobs.map(job => job.id) }
}

/**
 * Gives back what a living worker holds by the database but knows nothing of: a connection that was cut between a transaction's end and its answer leaves
 * a task taken, or a job begun, that nobody works at.
 */
export async function giveBackUnknown(
  em: EntityManager,
  queue: TaskQueue,
  workerId: string,
  unknown: { tasks: readonly string[]; jobs: readonly number[] },
): Promise<void> {
  const why = 'its connection was cut before it began'
  await em.transactional(async tx => {
    for (const claim of await tx.find(TaskClaimEntity, { worker: workerId, taskId: { $in: [...unknown.tasks] } }))
      await giveBack(tx, queue, claim, why)
    for (const job of await tx.find(
      JobEntity,
      { workerId, state: 'running', id: { $in: [...unknown.jobs] } },
      { lockMode: LockMode.PESSIMISTIC_WRITE },
    )) {
      applyEvent(tx, job, 'lose', why)
      tx.assign(job, { workerId: null, progress: null })
    }
  })
}
