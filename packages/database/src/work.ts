import { LockMode } from '@mikro-orm/core'
import type { EntityManager } from '@mikro-orm/postgresql'
import { isNearlyDone, type Segment } from '@hematine/core'
import { JobEntity, WorkUnitEntity, type JobRow, type WorkUnitRow } from './entities.ts'
import { mostLosses } from './jobs.ts'
import type { TaskQueue } from './queue.ts'

/** Whether a job is in this attempt and this worker's, and runs; it is locked. */
async function isOwn(tx: EntityManager, jobId: number, attempt: number, workerId: string): Promise<boolean> {
  const job = await tx.findOne(JobEntity, jobId, { lockMode: LockMode.PESSIMISTIC_WRITE, refresh: true })
  return job?.attempt === attempt && job.workerId === workerId && job.state === 'running'
}

/**
 * Writes down the units that a job is made in. Those that are there from an attempt before stay as they are, where the work is still the same.
 * @param work fingerprint of all that the result depends on
 * @returns them in order; null when the job is no longer this worker's running one
 */
export async function keepUnits(
  em: EntityManager,
  job: { id: number; attempt: number; workerId: string; work: string },
  segments: readonly Segment[],
): Promise<WorkUnitRow[] | null> {
  return em.transactional(async tx => {
    if (!(await isOwn(tx, job.id, job.attempt, job.workerId))) return null
    const there = await tx.find(WorkUnitEntity, { job: job.id }, { orderBy: { place: 1 } })
    // They stay however the work is forecast now: what is done of them is not made again.
    const isSame = there.length > 0 && there.every(unit => unit.work === job.work)
    if (isSame) {
      // What failed is tried again with its job.
      for (const unit of there)
        if (unit.reason !== null) tx.assign(unit, { reason: null, isAway: false, state: 'idle', losses: 0 })
      return there
    }
    await tx.nativeDelete(WorkUnitEntity, { job: job.id })
    for (const unit of there) tx.getUnitOfWork().unsetIdentity(unit)
    return segments.map(({ firstFrame, frames }, place) =>
      tx.create(WorkUnitEntity, { job: job.id, work: job.work, place, firstFrame, frames, state: 'idle' }),
    )
  })
}

/** The units of a job in order. */
export async function unitsOf(em: EntityManager, jobId: number): Promise<WorkUnitRow[]> {
  return em.find(WorkUnitEntity, { job: jobId }, { orderBy: { place: 1 }, refresh: true })
}

/** Units whose working files are gone, or not whole, are to be made once more. @param some of the job's by their number; all unless said */
export async function forgetUnits(em: EntityManager, jobId: number, some?: readonly number[]): Promise<void> {
  await em.nativeUpdate(
    WorkUnitEntity,
    { job: jobId, state: 'done', ...(some ? { id: { $in: [...some] } } : {}) },
    { state: 'idle', framesDone: 0, seconds: null },
  )
}

/** Asks for a job's units that nobody was asked for yet. @returns false when the job is no longer this worker's running one */
export async function askForUnits(
  em: EntityManager,
  queue: TaskQueue,
  job: { id: number; attempt: number; workerId: string },
): Promise<boolean> {
  return em.transactional(async tx => {
    if (!(await isOwn(tx, job.id, job.attempt, job.workerId))) return false
    const idle = await tx.find(WorkUnitEntity, { job: job.id, state: 'idle' }, { orderBy: { place: 1 } })
    for (const unit of idle) tx.assign(unit, { state: 'waiting', run: unit.run + 1, framesDone: 0 })
    await tx.flush()
    await queue.sendMany(
      'segment',
      // In the order of the picture, so that what is left at a stop lies together.
      idle.map(({ id, run, place }) => ({ payload: { unitId: id, run }, priority: -place })),
      tx,
    )
    return true
  })
}

/** A unit with its job and all that a worker needs, now worked at; null when it is no longer to be done, or its job does not run. */
export async function beginUnit(
  em: EntityManager,
  unitId: number,
  run: number,
  workerId: string,
): Promise<{ unit: WorkUnitRow; job: JobRow } | null> {
  return em.transactional(async tx => {
    const unit = await tx.findOne(WorkUnitEntity, unitId, { lockMode: LockMode.PESSIMISTIC_WRITE })
    if (!unit || unit.run !== run || unit.state !== 'waiting') return null
    const job = await tx.findOne(JobEntity, unit.job.id, {
      populate: ['source', 'source.volume', 'deliveryVolume', 'sample', 'facts'] as never,
    })
    if (job?.state !== 'running') {
      unit.state = 'idle'
      return null
    }
    tx.assign(unit, { state: 'working', workerId, framesDone: 0 })
    return { unit, job }
  })
}

/** The unit in this run, in this worker's hands. */
const inHand = ({ id, run }: Pick<WorkUnitRow, 'id' | 'run'>, workerId: string) => ({
  id,
  run,
  workerId,
  state: 'working' as const,
})

/**
 * Writes how far a unit is.
 * @param seconds of work that it took so far
 * @returns whether it is still wanted: its job runs, or it is nearly done
 */
export async function keepUnitProgress(
  em: EntityManager,
  unit: Pick<WorkUnitRow, 'id' | 'run' | 'frames' | 'job'>,
  workerId: string,
  { framesDone, seconds }: { framesDone: number; seconds: number },
): Promise<boolean> {
  if ((await em.nativeUpdate(WorkUnitEntity, inHand(unit, workerId), { framesDone })) === 0) return false
  const job = await em.findOne(JobEntity, unit.job.id, { fields: ['state'], refresh: true })
  if (job?.state === 'running') return true
  return (job?.state === 'held' || job?.state === 'waiting') && isNearlyDone(unit.frames ?? null, framesDone, seconds)
}

/** A unit lies in its working file. A job that comes forward is not given up for what was lost before. */
export async function finishUnit(
  em: EntityManager,
  unit: Pick<WorkUnitRow, 'id' | 'run' | 'job'>,
  workerId: string,
  made: { frames: number; seconds: number },
): Promise<void> {
  await em.transactional(async tx => {
    const finished = { state: 'done' as const, workerId: null, framesDone: made.frames, seconds: made.seconds }
    if ((await tx.nativeUpdate(WorkUnitEntity, inHand(unit, workerId), finished)) === 0) return
    await tx.nativeUpdate(JobEntity, { id: unit.job.id, losses: { $gt: 0 } }, { losses: 0 })
  })
}

/** A unit cannot be done: its job is told by the unit. */
export async function failUnit(
  em: EntityManager,
  unit: Pick<WorkUnitRow, 'id' | 'run'>,
  workerId: string,
  reason: string,
  isAway: boolean,
): Promise<void> {
  await em.nativeUpdate(WorkUnitEntity, inHand(unit, workerId), { state: 'idle', workerId: null, reason, isAway })
}

/** A unit was given up: its job asks for it again once it runs. */
export async function putDownUnit(
  em: EntityManager,
  unit: Pick<WorkUnitRow, 'id' | 'run'>,
  workerId: string,
): Promise<void> {
  await em.nativeUpdate(WorkUnitEntity, inHand(unit, workerId), { state: 'idle', workerId: null, framesDone: 0 })
}

/** The segments of a job did not fit together: it is made in one go, and says why. */
export async function keepWhole(em: EntityManager, jobId: number, because: string): Promise<void> {
  await em.transactional(async tx => {
    await tx.nativeUpdate(JobEntity, { id: jobId }, { wholeBecause: because })
    await tx.nativeDelete(WorkUnitEntity, { job: jobId })
  })
}

/**
 * A worker no longer has a unit in hand.
 * @param isLost whether it went without a word: a unit that takes down one worker after another is given up
 * @returns whether its task goes back to the queue
 */
export async function loseUnit(
  tx: EntityManager,
  { unitId, run }: { unitId: number; run: number },
  isLost: boolean,
): Promise<boolean> {
  const unit = await tx.findOne(WorkUnitEntity, { id: unitId, run, state: { $in: ['waiting', 'working'] } })
  if (!unit) return false
  const losses = unit.losses + (isLost && unit.state === 'working' ? 1 : 0)
  const isGivenUp = losses >= mostLosses
  tx.assign(unit, {
    state: isGivenUp ? 'idle' : 'waiting',
    workerId: null,
    framesDone: 0,
    losses,
    ...(isGivenUp
      ? {
          reason: `The process or worker that made a part of the picture was lost ${losses} times. The source is probably damaged in a way that the media libraries do not survive, or memory runs out. Look at them, then try again.`,
        }
      : {}),
  })
  return !isGivenUp
}
