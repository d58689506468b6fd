import { LockMode } from '@mikro-orm/core'
import type { EntityManager } from '@mikro-orm/postgresql'
import {
  asMeasured, builtInSpecs, CannotTreat, deriveTreatment, describeState, nextState, stepKinds, type Check, type JobDetail, type JobEvent, type JobEventRecord, type JobProgress, type JobRecord, type JobState, type Step,
} from '@hematine/core'
import { jobDetail, jobEventRecord, jobRecord, sourceName } from './as-records.ts'
import { JobEntity, JobEventEntity, SourceEntity, VolumeEntity, type JobRow, type LotRow, type SampleRow, type SourceRow, type TreatmentRow, type VolumeRow } from './entities.ts'
import { lotName } from './lots.ts'
import { found, Problem } from './problem.ts'
import type { TaskQueue } from './queue.ts'
import { ensureSample } from './samples.ts'
import { keepTreatment, treatLots, treatmentName } from './treatments.ts'

const withSource = { populate: ['source', 'sample'] as never }

async function lockJob(em: EntityManager, id: number): Promise<JobRow> {
  return found(await em.findOne(JobEntity, id, { lockMode: LockMode.PESSIMISTIC_WRITE, refresh: true }), 'job', id)
}

function record(em: EntityManager, job: JobRow, event: JobEvent | 'create' | 'move', from: JobState | null, note: string | null): void {
  em.create(JobEventEntity, { job: em.getReference(JobEntity, job.id), event, fromState: from, toState: job.state, note })
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

/** Jobs of an order in plan order, or some of them by number. */
export async function listJobs(em: EntityManager, where: { orderId: number } | { ids: readonly number[] }): Promise<JobRecord[]> {
  const rows = await em.find(JobEntity, 'orderId' in where ? { order: where.orderId } : { id: { $in: [...where.ids] } }, { ...withSource, orderBy: { position: 1, id: 1 } })
  return rows.map(jobRecord)
}

/** Numbers of the jobs whose forecasts come from certain samples. */
export async function jobsWithSamples(em: EntityManager, sampleIds: readonly number[]): Promise<number[]> {
  if (sampleIds.length === 0) return []
  return (await em.find(JobEntity, { sample: { $in: [...sampleIds] } }, { fields: ['id'] })).map(job => job.id)
}

/** One job with its treatment, its check and all that happened to it. */
export async function readJob(em: EntityManager, id: number): Promise<JobDetail> {
  const job = found(await em.findOne(JobEntity, id, withSource), 'job', id)
  return jobDetail(job, await em.find(JobEventEntity, { job: id }, { orderBy: { id: 1 } }))
}

/** The newest events of an order's jobs, newest first. */
export async function listEvents(em: EntityManager, orderId: number, limit: number): Promise<JobEventRecord[]> {
  const rows = await em.find(JobEventEntity, { job: { order: orderId }, event: { $nin: ['dispatch'] } }, { orderBy: { id: -1 }, limit })
  return rows.map(jobEventRecord)
}

export interface JobWish {
  sourceId: number
  specKey: string
}

/**
 * Drafts jobs and asks for what their forecasts need. A wish that cannot be met is refused with a sentence and the others go on.
 * A draft of the same source and spec that exists already is kept instead of a second one, with the treatment that its lot has now.
 */
export async function draftJobs(em: EntityManager, queue: TaskQueue, wishes: readonly JobWish[], deliveryVolumeId: number): Promise<{ jobs: JobRecord[], refused: { sourceId: number, specKey: string, reason: string }[] }> {
  return em.transactional(async tx => {
    const volume = found(await tx.findOne(VolumeEntity, deliveryVolumeId), 'volume', deliveryVolumeId)
    if (volume.role !== 'delivery') throw new Problem(409, 'not-a-delivery-volume', `${volume.name} is a ${volume.role} volume. Choose a delivery volume for the results.`)
    const refused: { sourceId: number, specKey: string, reason: string }[] = []
    const ids: number[] = []
    let position = await lastPosition(tx)
    for (const { sourceId, specKey } of wishes) {
      const refuse = (reason: string) => refused.push({ sourceId, specKey, reason })
      const source = await tx.findOne(SourceEntity, sourceId, { populate: ['lot.treatment'] as never })
      const spec = builtInSpecs.find(entry => entry.key === specKey)
      if (!source || !spec) {
        refuse(source ? `There is no delivery spec ${specKey}.` : `There is no source ${sourceId}.`)
        continue
      }
      if (source.state !== 'ready' || !source.facts) {
        refuse(source.state === 'reading' ? `${sourceName(source)} is still being read. Try again in a moment.` : `${sourceName(source)} cannot be used: ${source.reason}`)
        continue
      }
      try {
        const chosen = (source.lot?.getEntity() as LotRow | undefined)?.treatment?.getEntity() as TreatmentRow | undefined
        const treatment = deriveTreatment(asMeasured(source.facts, source.findings ?? []), spec, chosen?.steps ?? [])
        const sample = await ensureSample(tx, queue, source, treatment, spec)
        const name = chosen ? treatmentName(chosen) : null
        // A draft follows its lot's treatment; what was released runs as it was.
        const twin = await tx.findOne(JobEntity, { source: sourceId, state: 'draft', spec: { key: specKey } as never })
        const job = twin ?? tx.create(JobEntity, { order: source.order, source, sample, deliveryVolume: volume, spec, treatment, treatmentName: name, state: 'draft', position: ++position })
        if (twin) tx.assign(twin, { sample, treatment, treatmentName: name } as never)
        await tx.flush()
        if (!twin) record(tx, job, 'create', null, null)
        ids.push(job.id)
      } catch (error) {
        if (!(error instanceof CannotTreat)) throw error
        refuse(error.message)
      }
    }
    await tx.flush()
    tx.clear()
    return { jobs: await listJobs(tx, { ids }), refused }
  })
}

/**
 * Adds a step to the treatment of the lot that a draft's source is in, and works out the lot's drafts anew. A step of the kind that is there already is
 * replaced, where a treatment may have only one.
 * @returns the drafts, and why some could not be worked out
 * @throws Problem when the job is no draft, or the steps cannot be together
 */
export async function addStep(em: EntityManager, queue: TaskQueue, jobId: number, step: Step): Promise<{ jobs: JobRecord[], refused: string[] }> {
  const job = found(await em.findOne(JobEntity, jobId, { populate: ['source.lot.treatment'] as never }), 'job', jobId)
  if (job.state !== 'draft') throw new Problem(409, 'no-draft', `Job ${jobId} is ${describeState(job.state)}; only drafts can be given a step. Draft it anew.`)
  const lot = (job.source.getEntity() as SourceRow).lot?.getEntity() as LotRow | undefined
  if (!lot) throw new Problem(409, 'no-lot', 'The source is in no lot yet, so there is no treatment to add a step to. Try again when it was measured.')
  const before = lot.treatment?.getEntity() as TreatmentRow | undefined
  const steps = [...(before?.steps ?? []).filter(other => other.kind !== step.kind || stepKinds[step.kind].several), step]
  const treatment = await keepTreatment(em.fork(), before?.name ?? `${lotName(lot)} as found`, steps)
  await treatLots(em.fork(), [lot.id], treatment.id)
  const drafts = await em.fork().find(JobEntity, { state: 'draft', source: { lot: lot.id } as never }, { orderBy: { id: 1 } })
  const jobs: JobRecord[] = []
  const refused: string[] = []
  for (const volume of new Set(drafts.map(draft => draft.deliveryVolume.id))) {
    const answer = await draftJobs(em.fork(), queue, drafts.filter(draft => draft.deliveryVolume.id === volume).map(draft => ({ sourceId: draft.source.id, specKey: draft.spec.key })), volume)
    jobs.push(...answer.jobs)
    refused.push(...answer.refused.map(({ reason }) => reason))
  }
  return { jobs, refused }
}

async function lastPosition(em: EntityManager): Promise<number> {
  const [row] = await em.getConnection().execute<{ last: number | null }[]>('select max(position) as last from job', [], 'all', em.getTransactionContext())
  return row?.last ?? 0
}

/** Measures the sample behind a job's forecast once more. */
export async function measureJobAgain(em: EntityManager, queue: TaskQueue, jobId: number): Promise<JobRecord> {
  await em.transactional(async tx => {
    const job = found(await tx.findOne(JobEntity, jobId, withSource), 'job', jobId)
    const sample = job.sample?.getEntity() as SampleRow | undefined
    if (!sample || sample.state === 'waiting' || sample.state === 'measuring') return
    tx.assign(sample, { state: 'waiting', reason: null })
    await queue.send('sample', { sampleId: sample.id }, tx)
  })
  return (await listJobs(em.fork(), { ids: [jobId] }))[0]!
}

export const jobActions = ['release', 'hold', 'resume', 'cancel', 'retry', 'remove'] as const
export type JobAction = (typeof jobActions)[number]

export interface ActionOutcome {
  id: number
  done: boolean
  /** Why it was not done, as a sentence. */
  reason: string | null
}

const verbs: Record<JobAction, string> = { release: 'released', hold: 'held', resume: 'resumed', cancel: 'cancelled', retry: 'tried again', remove: 'removed' }

/** Does what a person asks of jobs, each in a transaction of its own; one that cannot does not stop the rest. */
export async function actOnJobs(em: EntityManager, ids: readonly number[], action: JobAction): Promise<ActionOutcome[]> {
  const outcomes: ActionOutcome[] = []
  for (const id of ids) {
    outcomes.push(await em.fork().transactional(async tx => {
      const job = await tx.findOne(JobEntity, id, { lockMode: LockMode.PESSIMISTIC_WRITE })
      if (!job) return { id, done: false, reason: `There is no job ${id}. It may have been removed.` }
      const done = action === 'remove' ? removeDraft(tx, job) : act(tx, job, action, action === 'release' || action === 'retry' ? await lastPosition(tx) : 0)
      return { id, done, reason: done ? null : `Job ${id} is ${describeState(job.state)} and cannot be ${verbs[action]}.` }
    }))
  }
  return outcomes
}

function removeDraft(em: EntityManager, job: JobRow): boolean {
  if (job.state !== 'draft') return false
  em.remove(job)
  return true
}

function act(em: EntityManager, job: JobRow, action: Exclude<JobAction, 'remove'>, last: number): boolean {
  if (!applyEvent(em, job, action)) return false
  if (action === 'release' || action === 'retry') {
    job.position = last + 1
    job.releasedAt = new Date()
  }
  if (action === 'retry') em.assign(job, { check: null, reason: null, progress: null, outputPath: null, temporaryPath: null, startedAt: null, finishedAt: null, workSeconds: null, losses: 0 })
  if (action === 'cancel') job.finishedAt = new Date()
  return true
}

/**
 * Moves jobs, in the order given, to just before another one, or to the end.
 * Positions are fractions between the neighbours, so that no other row changes.
 */
export async function moveJobs(em: EntityManager, ids: readonly number[], beforeId: number | null): Promise<JobRecord[]> {
  await em.transactional(async tx => {
    await tx.getConnection().execute('select pg_advisory_xact_lock(7001)', [], 'all', tx.getTransactionContext())
    const jobs = await tx.find(JobEntity, {}, { orderBy: { position: 1, id: 1 } })
    const moving = ids.map(id => found(jobs.find(job => job.id === id) ?? null, 'job', id))
    const others = jobs.filter(job => !ids.includes(job.id))
    const at = beforeId === null ? others.length : others.findIndex(job => job.id === beforeId)
    if (at < 0) throw new Problem(404, 'not-found', `There is no job ${beforeId} to move before. Reload the page.`)
    const low = others[at - 1]?.position ?? (others[at]?.position ?? 1) - 1
    const high = others[at]?.position ?? low + moving.length + 1
    const step = (high - low) / (moving.length + 1)
    // After very many moves to one spot the fractions run out of digits; then all are numbered afresh.
    if (low + step <= low || high - step >= high) [...others.slice(0, at), ...moving, ...others.slice(at)].forEach((job, index) => { job.position = index + 1 })
    else moving.forEach((job, index) => { job.position = low + step * (index + 1) })
    for (const job of moving) record(tx, job, 'move', job.state, beforeId === null ? 'to the end' : `before job ${beforeId}`)
  })
  return listJobs(em.fork(), { ids })
}

/**
 * Hands the next waiting jobs to the queue, so that `freeLanes` can be filled and no more: whatever is not yet handed out follows a new order at once.
 * @returns how many were handed out
 */
export async function dispatchJobs(em: EntityManager, queue: TaskQueue, freeLanes: number): Promise<number> {
  return em.transactional(async tx => {
    await tx.getConnection().execute('select pg_advisory_xact_lock(7002)', [], 'all', tx.getTransactionContext())
    const room = freeLanes - await tx.count(JobEntity, { state: 'queued' })
    if (room <= 0) return 0
    const jobs = await tx.find(JobEntity, { state: 'waiting', workerId: null }, { orderBy: { position: 1, id: 1 }, limit: room, lockMode: LockMode.PESSIMISTIC_PARTIAL_WRITE })
    for (const job of jobs) {
      job.attempt++
      applyEvent(tx, job, 'dispatch')
      await queue.send('job', { jobId: job.id, attempt: job.attempt }, tx)
    }
    return jobs.length
  })
}

/** A job with all that a worker needs, now running and the worker's; or null when it is no longer to be done in this attempt. */
export async function startJob(em: EntityManager, jobId: number, attempt: number, worker: { id: string, name: string }): Promise<JobRow | null> {
  return em.transactional(async tx => {
    const job = await tx.findOne(JobEntity, jobId, { lockMode: LockMode.PESSIMISTIC_WRITE })
    if (!job || job.attempt !== attempt || job.state !== 'queued') return null
    applyEvent(tx, job, 'start', worker.name)
    tx.assign(job, { workerId: worker.id, workerName: worker.name, startedAt: new Date(), progress: null })
    await tx.flush()
    await tx.populate(job, ['source', 'source.volume', 'deliveryVolume', 'sample'] as never)
    return job
  })
}

/** Lets a worker go on with a job whose process it still holds. @returns false when it is no longer its to continue */
export async function continueJob(em: EntityManager, jobId: number, attempt: number, workerId: string): Promise<boolean> {
  return ownJob(em, jobId, attempt, workerId, (tx, job) => job.state === 'waiting' && applyEvent(tx, job, 'continue'))
}

/** Writes how far a running job is. @returns false when it is no longer this worker's running job */
export async function keepProgress(em: EntityManager, jobId: number, attempt: number, workerId: string, progress: JobProgress): Promise<boolean> {
  return await em.nativeUpdate(JobEntity, { id: jobId, attempt, workerId, state: 'running' }, { progress }) > 0
}

/** State of a job that is in a worker's hands in this attempt; null when it no longer is. */
export async function stateInHand(em: EntityManager, jobId: number, attempt: number, workerId: string): Promise<JobState | null> {
  return (await em.findOne(JobEntity, { id: jobId, attempt, workerId }, { fields: ['state'], refresh: true }))?.state ?? null
}

/** Runs a change on a job if it is still in this attempt and this worker's. */
async function ownJob(em: EntityManager, jobId: number, attempt: number, workerId: string, change: (tx: EntityManager, job: JobRow) => boolean): Promise<boolean> {
  return em.transactional(async tx => {
    const job = await lockJob(tx, jobId)
    return job.attempt === attempt && job.workerId === workerId && change(tx, job)
  })
}

/** Keeps the check of a finished result and the name it is about to get. */
export async function beginPlacing(em: EntityManager, jobId: number, attempt: number, workerId: string, result: { check: Check, temporaryPath: string, outputPath: string, workSeconds: number }): Promise<boolean> {
  return ownJob(em, jobId, attempt, workerId, (tx, job) => {
    if (!applyEvent(tx, job, 'place')) return false
    tx.assign(job, result)
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
    if (applyEvent(tx, job, 'finish', job.outputPath)) tx.assign(job, { workerId: null, progress: null, temporaryPath: null, finishedAt: new Date() })
  })
}

/** The job ended without a result that may be handed over. A check that failed is kept, so that its reasons can be read. */
export async function failJob(em: EntityManager, jobId: number, attempt: number, workerId: string | null, reason: string, check: Check | null = null): Promise<void> {
  await em.transactional(async tx => {
    const job = await lockJob(tx, jobId)
    if (job.attempt !== attempt || (job.workerId ?? null) !== workerId) return
    if (applyEvent(tx, job, 'fail', reason)) tx.assign(job, { workerId: null, progress: null, temporaryPath: null, reason, check, finishedAt: new Date() })
  })
}

/** Times that a job is begun again by itself after its process broke off. */
const lossesAllowed = 3

/** The job's process broke off: it waits again. @returns false when that has happened too often */
export async function loseJob(em: EntityManager, jobId: number, attempt: number, workerId: string, why: string): Promise<boolean> {
  return ownJob(em, jobId, attempt, workerId, (tx, job) => {
    if (job.losses >= lossesAllowed) return false
    // Held or cancelled meanwhile, it only loses its worker.
    applyEvent(tx, job, 'lose', why)
    tx.assign(job, { workerId: null, progress: null, losses: job.losses + 1 })
    return true
  })
}

/** Gives up a worker's hold on a job that was cancelled, or held without a process. */
export async function letGo(em: EntityManager, jobId: number, attempt: number, workerId: string): Promise<void> {
  await em.nativeUpdate(JobEntity, { id: jobId, attempt, workerId, state: { $nin: ['running', 'placing'] } }, { workerId: null, progress: null })
}

/** Jobs that a worker has in hand, in whatever state a person has put them meanwhile. */
export async function jobsOf(em: EntityManager, workerId: string): Promise<JobRow[]> {
  return em.find(JobEntity, { workerId })
}

/** Jobs that were about to be placed when their worker was lost, now this worker's. */
export async function adoptPlacing(em: EntityManager, worker: { id: string, name: string }): Promise<JobRow[]> {
  return em.transactional(async tx => {
    const jobs = await tx.find(JobEntity, { state: 'placing', workerId: null }, { populate: ['source', 'deliveryVolume'] as never, lockMode: LockMode.PESSIMISTIC_PARTIAL_WRITE, lockTableAliases: ['j0'] })
    for (const job of jobs) tx.assign(job, { workerId: worker.id, workerName: worker.name })
    return jobs
  })
}

/** A job about to be placed, with its source and delivery volume; null when it is not, or no longer. */
export async function readPlacing(em: EntityManager, jobId: number): Promise<JobRow | null> {
  return em.findOne(JobEntity, { id: jobId, state: 'placing' }, { populate: ['source', 'deliveryVolume'] as never, refresh: true })
}

/** Whether the temporary file of a job's attempt is still somebody's. */
export async function needsTemporary(em: EntityManager, jobId: number, attempt: number): Promise<boolean> {
  return await em.count(JobEntity, { id: jobId, attempt, $or: [{ state: 'placing' }, { workerId: { $ne: null } }] }) > 0
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
  return found(await em.findOne(JobEntity, id, { populate: ['source', 'source.volume', 'deliveryVolume', 'sample'] as never }), 'job', id)
}
