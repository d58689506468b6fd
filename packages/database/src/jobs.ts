import { setImmediate } from 'node:timers/promises'
import { LockMode } from '@mikro-orm/core'
import type { EntityManager } from '@mikro-orm/postgresql'
import {
  checksumsFile,
  nameBeside,
  type Container,
  type FileBeside,
  describeContainer,
  type Check,
  jobNeed,
  planOf,
  type JobDetail,
  type JobEventRecord,
  type JobProgress,
  type JobRecord,
  type JobState,
  type SegmentLength,
} from '@hematine/core'
import { jobDetail, jobEventRecord, jobRecord } from './as-records.ts'
import {
  JobEntity,
  JobEventEntity,
  WorkUnitEntity,
  WorkerEntity,
  type JobRow,
  type SampleRow,
  type SourceRow,
  type VolumeRow,
  type WorkerRow,
} from './entities.ts'
import { applyEvent } from './job-events.ts'
import { found } from './problem.ts'
import { needing, type Needs, type TaskQueue } from './queue.ts'
import { jobsWhoseNamesMeet } from './result-names.ts'
import { groundOf, keepOutcome, promiseOf } from './outcomes.ts'
import { run } from './sql.ts'
import { areJobsWorkedOn } from './working-hours.ts'

const withSource = { populate: ['source', 'sample'] as never }

async function lockJob(em: EntityManager, id: number): Promise<JobRow> {
  return found(await em.findOne(JobEntity, id, { lockMode: LockMode.PESSIMISTIC_WRITE, refresh: true }), 'job', id)
}

/** Jobs that are read together: few enough that others are served in between. */
const jobsAtOnce = 100

/** Jobs of an order in plan order, or some of them by number. */
export async function listJobs(
  em: EntityManager,
  where: { orderId: number } | { ids: readonly number[] },
): Promise<JobRecord[]> {
  const rows = await em.find(
    JobEntity,
    'orderId' in where ? { order: where.orderId } : { id: { $in: [...where.ids] } },
    { fields: ['id'], orderBy: { position: 1, id: 1 } },
  )
  const records: JobRecord[] = []
  for (let from = 0; from < rows.length; from += jobsAtOnce) {
    const ids = rows.slice(from, from + jobsAtOnce).map(row => row.id)
    const piece = await em
      .fork()
      .find(JobEntity, { id: { $in: ids } }, { ...withSource, orderBy: { position: 1, id: 1 } })
    const ground = await groundOf(em, piece)
    const taken = await jobsWhoseNamesMeet(em, ids)
    records.push(...piece.map(job => jobRecord(job, ground, taken)))
    if (rows.length > jobsAtOnce) await setImmediate()
  }
  return records
}

/** Names and SHA-256 of an order's finished files, with those that lie beside them; a folder stands there as its list of checksums. */
export async function checksumsOf(em: EntityManager, orderId: number): Promise<{ path: string; sha256: string }[]> {
  const results = await run<{
    path: string
    sha256: string
    container: Container
    files: FileBeside[]
    is_folder: boolean
  }>(
    em,
    `select output_path as path, "check" -> 'measurement' ->> 'sha256' as sha256, spec ->> 'container' as container,
      jsonb_path_query_array("check", '$.measurement.subtitleFiles[*].files[*]') || jsonb_path_query_array("check", '$.measurement.sheet.file') as files,
      "check" -> 'measurement' ->> 'container' = ? as is_folder
      from job where order_id = ? and state = 'done' order by output_path`,
    [describeContainer('images'), orderId],
  )
  return results.flatMap(({ path, sha256, container, files, is_folder: isFolder }) => [
    { path: isFolder ? `${path}/${checksumsFile}` : path, sha256 },
    ...files.map(file => ({ path: nameBeside(path, { container }, file.added), sha256: file.sha256 })),
  ])
}

/** One job with its treatment, its check and all that happened to it. @param segmentLength how much work a segment of it is to be; as usual unless said */
export async function readJob(em: EntityManager, id: number, segmentLength?: SegmentLength): Promise<JobDetail> {
  const job = found(await em.findOne(JobEntity, id, { populate: ['source', 'sample', 'facts'] as never }), 'job', id)
  return jobDetail(
    job,
    await em.find(JobEventEntity, { job: id }, { orderBy: { id: 1 } }),
    await groundOf(em, [job]),
    await jobsWhoseNamesMeet(em, [id]),
    { begun: await em.count(WorkUnitEntity, { job: id, kind: 'segment' }), length: segmentLength },
  )
}

/**
 * Events of an order's jobs, newest first: what was done to many at once is one of them, unless its rows are asked for.
 * @param before number of an event: only older ones
 * @param action number of an action on many jobs: only its rows
 */
export async function listEvents(
  em: EntityManager,
  { orderId, limit, before, action }: { orderId: number; limit: number; before?: number; action?: number },
): Promise<JobEventRecord[]> {
  const rows = await em.find(
    JobEventEntity,
    {
      job: { order: orderId },
      event: { $nin: ['dispatch'] },
      ...(before === undefined ? {} : { id: { $lt: before } }),
      ...(action === undefined ? { $or: [{ action: null }, { actionJobs: { $ne: null } }] } : { action }),
    },
    { orderBy: { id: -1 }, limit, populate: ['job.source'] as never, fields: eventFields as never },
  )
  return rows.map(row => jobEventRecord(row, row.job.getEntity() as JobRow))
}

/** What a line about an event needs; jobs have much more. */
const eventFields = [
  'id',
  'at',
  'event',
  'fromState',
  'toState',
  'note',
  'action',
  'actionJobs',
  'job.id',
  'job.spec',
  'job.piece',
  'job.source.id',
  'job.source.relativePath',
] as const

/** Samples that nobody asked for by hand have priorities below. */
const askedByHand = 0

/** Measures the sample behind a job's forecast, also once more, before all that nobody asked for by hand. */
export async function measureJobAgain(em: EntityManager, queue: TaskQueue, jobId: number): Promise<JobRecord> {
  await em.transactional(async tx => {
    const job = found(await tx.findOne(JobEntity, jobId, withSource), 'job', jobId)
    const sample = job.sample?.getEntity() as SampleRow | undefined
    if (!sample || sample.state === 'measuring') return
    const task = { sampleId: sample.id, ...needing(jobNeed(planOf(sample))) }
    if (sample.state === 'waiting') return queue.bringForward('sample', task, askedByHand, tx)
    tx.assign(sample, { state: 'waiting', reason: null, run: sample.run + 1 })
    await queue.send('sample', task, tx, askedByHand)
  })
  return (await listJobs(em.fork(), { ids: [jobId] }))[0]!
}

/**
 * Hands the next waiting jobs to the queue, so that `freeLanes` can be filled and no more: whatever is not yet handed out follows a new order at once.
 * @param worker whose lanes they are, and how many it thinks that it has: jobs in its hands that were held and may go on come before new ones, and lanes that
 *   were taken from it meanwhile are not filled, from the moment on that they were taken; nothing is handed out of working hours
 * @param needs what it can take; what any worker can unless said. Of jobs that need a graphics device one is handed out at once, so that its sessions suffice
 * @returns how many were handed out
 */
export async function dispatchJobs(
  em: EntityManager,
  queue: TaskQueue,
  freeLanes: number,
  worker: Pick<WorkerRow, 'id' | 'lanes'> | null = null,
  needs: Needs = [null],
): Promise<number> {
  return em.transactional(async tx => {
    await tx.getConnection().execute('select pg_advisory_xact_lock(7002)', [], 'all', tx.getTransactionContext())
    if (needs.length === 0 || !(await areJobsWorkedOn(tx))) return 0
    const lanesFewer = worker ? Math.max(0, worker.lanes - (await lanesNow(tx, worker.id))) : 0
    const room = freeLanes - lanesFewer - (await tx.count(JobEntity, { state: 'queued', ...withNeeds(needs) }))
    if (room <= 0) return 0
    const jobs = await tx.find(
      JobEntity,
      {
        ...{ state: 'waiting', workerId: null, ...withNeeds(needs) },
        $or: [{ notBefore: null }, { notBefore: { $lt: new Date() } }],
      },
      { orderBy: { position: 1, id: 1 }, limit: room, lockMode: LockMode.PESSIMISTIC_PARTIAL_WRITE },
    )
    // Looked at after them: what a person let go together is seen together.
    const kept = worker ? await tx.count(JobEntity, { state: 'waiting', workerId: worker.id }) : 0
    const ofDevices = jobs.filter(({ need }) => need)
    const next = jobs.filter(job => !ofDevices.slice(1).includes(job)).slice(0, Math.max(0, room - kept))
    for (const job of next) {
      job.attempt++
      applyEvent(tx, job, 'dispatch')
      await queue.send('job', { jobId: job.id, attempt: job.attempt, ...needing(job.need ?? null) }, tx)
    }
    return next.length
  })
}

/** The jobs that somebody can take. */
function withNeeds(needs: Needs) {
  const ofDevices = { need: { $in: needs.filter(need => need !== null) } }
  return { $and: [{ $or: needs.includes(null) ? [ofDevices, { need: null }] : [ofDevices] }] }
}

/** Lanes of a worker, which nobody changes until the transaction ends; none where it is gone. */
async function lanesNow(tx: EntityManager, workerId: string): Promise<number> {
  const row = await tx.findOne(
    WorkerEntity,
    { id: workerId, goneAt: null },
    { lockMode: LockMode.PESSIMISTIC_READ, refresh: true },
  )
  return row?.lanes ?? 0
}

/** A job with all that a worker needs, now running and the worker's; or null when it is no longer to be done in this attempt. */
export async function startJob(
  em: EntityManager,
  jobId: number,
  attempt: number,
  worker: { id: string; name: string },
): Promise<JobRow | null> {
  return em.transactional(async tx => {
    const job = await tx.findOne(JobEntity, jobId, { lockMode: LockMode.PESSIMISTIC_WRITE })
    if (!job || job.attempt !== attempt || job.state !== 'queued') return null
    applyEvent(tx, job, 'start', worker.name)
    tx.assign(job, {
      workerId: worker.id,
      workerName: worker.name,
      startedAt: new Date(),
      progress: null,
      notBefore: null,
      reason: null,
    })
    await tx.flush()
    await tx.populate(job, ['source', 'source.volume', 'deliveryVolume', 'sample', 'facts', 'findings'] as never)
    // What is begun once more is held against what was told first.
    job.promised ??= await promiseOf(tx, job)
    return job
  })
}

/** Lets a worker go on with a job whose process it still holds. @returns false when it is no longer its to continue, or out of working hours */
export async function continueJob(
  em: EntityManager,
  jobId: number,
  attempt: number,
  workerId: string,
): Promise<boolean> {
  return ownJob(
    em,
    jobId,
    attempt,
    workerId,
    async (tx, job) => job.state === 'waiting' && (await areJobsWorkedOn(tx)) && applyEvent(tx, job, 'continue'),
  )
}

/** Writes how far a running job is. @returns false when it is no longer this worker's running job */
export async function keepProgress(
  em: EntityManager,
  jobId: number,
  attempt: number,
  workerId: string,
  progress: JobProgress,
): Promise<boolean> {
  return (await em.nativeUpdate(JobEntity, { id: jobId, attempt, workerId, state: 'running' }, { progress })) > 0
}

/** State of a job that is in a worker's hands in this attempt; null when it no longer is. */
export async function stateInHand(
  em: EntityManager,
  jobId: number,
  attempt: number,
  workerId: string,
): Promise<JobState | null> {
  return (
    (await em.findOne(JobEntity, { id: jobId, attempt, workerId }, { fields: ['state'], refresh: true }))?.state ?? null
  )
}

/** Runs a change on a job if it is still in this attempt and this worker's. */
async function ownJob(
  em: EntityManager,
  jobId: number,
  attempt: number,
  workerId: string,
  change: (tx: EntityManager, job: JobRow) => boolean | Promise<boolean>,
): Promise<boolean> {
  return em.transactional(async tx => {
    const job = await lockJob(tx, jobId)
    return job.attempt === attempt && job.workerId === workerId && (await change(tx, job))
  })
}

/**
 * Keeps the check of a finished result and the name it is about to get. Work that was given back meanwhile, because the worker was out of touch, but that
 * nobody has begun again, becomes this worker's once more: what is finished is not done twice.
 * @returns false when it is another's now, was cancelled, or is held
 */
export async function beginPlacing(
  em: EntityManager,
  jobId: number,
  attempt: number,
  workerId: string,
  result: { check: Check; temporaryPath: string; outputPath: string; workSeconds: number },
): Promise<boolean> {
  return em.transactional(async tx => {
    const job = await lockJob(tx, jobId)
    if (job.attempt !== attempt) return false
    if (job.workerId !== workerId && !(job.state === 'waiting' && !job.workerId && applyEvent(tx, job, 'continue')))
      return false
    if (!applyEvent(tx, job, 'place')) return false
    tx.assign(job, { ...result, workerId })
    return true
  })
}

/** Chooses another name for a result that is about to be placed, because the first was taken meanwhile. */
export async function renamePlacing(em: EntityManager, jobId: number, outputPath: string): Promise<void> {
  await em.nativeUpdate(JobEntity, { id: jobId, state: 'placing' }, { outputPath })
}

/** The result is in its place. */
export async function finishJob(em: EntityManager, jobId: number): Promise<void> {
  await em.transactional(async tx => {
    const job = await lockJob(tx, jobId)
    if (!applyEvent(tx, job, 'finish', job.outputPath)) return
    tx.assign(job, { workerId: null, progress: null, temporaryPath: null, finishedAt: new Date() })
    await tx.nativeDelete(WorkUnitEntity, { job: jobId })
    await keepOutcome(tx, job)
  })
}

/** The job ended without a result that may be handed over. A check that failed is kept, so that its reasons can be read. */
export async function failJob(
  em: EntityManager,
  jobId: number,
  attempt: number,
  workerId: string | null,
  reason: string,
  check: Check | null = null,
): Promise<void> {
  await em.transactional(async tx => {
    const job = await lockJob(tx, jobId)
    if (job.attempt !== attempt || (job.workerId ?? null) !== workerId) return
    if (!applyEvent(tx, job, 'fail', reason)) return
    tx.assign(job, { workerId: null, progress: null, temporaryPath: null, reason, check, finishedAt: new Date() })
    await tx.nativeDelete(WorkUnitEntity, { job: jobId })
  })
}

/** Times that a job may lose its process or its worker before it is given up. */
export const mostLosses = 5

/** The job's process broke off: it waits again, or is given up when that has happened too often. */
export async function loseJob(
  em: EntityManager,
  jobId: number,
  attempt: number,
  workerId: string,
  why: string,
): Promise<void> {
  await ownJob(em, jobId, attempt, workerId, (tx, job) => {
    lose(tx, job, why)
    return true
  })
}

/** A job that meets a volume that is not there looks for it again after so long. */
const waitForVolumeMilliseconds = 10_000

/** A volume that the job needs is not there: it waits for it, with the reason, and is begun when it is back. Nothing was done wrong, so nothing is counted. */
export async function postponeJob(
  em: EntityManager,
  jobId: number,
  attempt: number,
  workerId: string,
  reason: string,
): Promise<void> {
  await ownJob(em, jobId, attempt, workerId, (tx, job) => {
    applyEvent(tx, job, 'lose', reason)
    tx.assign(job, {
      workerId: null,
      progress: null,
      reason,
      notBefore: new Date(Date.now() + waitForVolumeMilliseconds),
    })
    return true
  })
}

/** Takes a locked job out of the hands of a process or worker that is gone. A finished result that only has to be placed is never given up. */
export function lose(em: EntityManager, job: JobRow, why: string): void {
  const losses = job.losses + 1
  const reason = `The work broke off ${losses} times (last: ${why}), so it is not begun again by itself. The source is probably damaged in a way that the media libraries do not survive, memory runs out, or a disk comes and goes. Look at them, then try again.`
  if (
    losses >= mostLosses &&
    (job.state === 'running' || job.state === 'queued') &&
    applyEvent(em, job, 'fail', reason)
  ) {
    em.assign(job, { workerId: null, progress: null, losses, reason, finishedAt: new Date() })
    return
  }
  // Held or cancelled meanwhile, it only loses its worker.
  applyEvent(em, job, 'lose', why)
  em.assign(job, { workerId: null, progress: null, losses })
}

/** Gives up a worker's hold on a job that was cancelled, or held without a process. */
export async function letGo(em: EntityManager, jobId: number, attempt: number, workerId: string): Promise<void> {
  await em.nativeUpdate(
    JobEntity,
    { id: jobId, attempt, workerId, state: { $nin: ['running', 'placing'] } },
    { workerId: null, progress: null },
  )
}

/** Jobs that a worker has in hand, in whatever state a person has put them meanwhile. */
export async function jobsOf(em: EntityManager, workerId: string): Promise<JobRow[]> {
  return em.find(JobEntity, { workerId })
}

/** Jobs that were about to be placed when their worker was lost, now this worker's. */
export async function adoptPlacing(em: EntityManager, worker: { id: string; name: string }): Promise<JobRow[]> {
  return em.transactional(async tx => {
    const jobs = await tx.find(
      JobEntity,
      { state: 'placing', workerId: null },
      {
        populate: ['source', 'deliveryVolume'] as never,
        lockMode: LockMode.PESSIMISTIC_PARTIAL_WRITE,
        lockTableAliases: ['j0'],
      },
    )
    for (const job of jobs) tx.assign(job, { workerId: worker.id, workerName: worker.name })
    return jobs
  })
}

/** A job about to be placed, with its source and delivery volume; null when it is not, or no longer. */
export async function readPlacing(em: EntityManager, jobId: number): Promise<JobRow | null> {
  return em.findOne(
    JobEntity,
    { id: jobId, state: 'placing' },
    { populate: ['source', 'deliveryVolume'] as never, refresh: true },
  )
}

/** Whether the temporary file of a job's attempt is still somebody's. */
export async function needsTemporary(em: EntityManager, jobId: number, attempt: number): Promise<boolean> {
  return (
    (await em.count(JobEntity, { id: jobId, attempt, $or: [{ state: 'placing' }, { workerId: { $ne: null } }] })) > 0
  )
}

/** Whether a job that was released is not over yet. */
export async function isOpen(em: EntityManager, jobId: number): Promise<boolean> {
  return (
    (await em.count(JobEntity, { id: jobId, state: { $in: ['waiting', 'queued', 'running', 'held', 'placing'] } })) > 0
  )
}

/** Loaded rows behind a job's or sample's references. */
export function sourceOf(row: Pick<JobRow, 'source'>): SourceRow {
  return row.source.getEntity() as SourceRow
}

export function sourceVolumeOf(source: SourceRow): VolumeRow {
  return source.volume.getEntity() as VolumeRow
}

export function deliveryVolumeOf(job: JobRow): VolumeRow {
  return job.deliveryVolume.getEntity() as VolumeRow
}

/** A job with its source, both volumes and its sample loaded. */
export async function readJobWithFiles(em: EntityManager, id: number): Promise<JobRow> {
  return found(
    await em.findOne(JobEntity, id, {
      populate: ['source', 'source.volume', 'deliveryVolume', 'sample', 'facts'] as never,
    }),
    'job',
    id,
  )
}
