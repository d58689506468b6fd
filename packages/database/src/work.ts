import { LockMode } from '@mikro-orm/core'
import type { EntityManager } from '@mikro-orm/postgresql'
import { isNearlyDone, type PlannedUnit } from '@hematine/core'
import { JobEntity, WorkUnitEntity, type JobRow, type WorkUnitRow } from './entities.ts'
import { mostLosses } from './jobs.ts'
import type { TaskQueue } from './queue.ts'

/** A job, locked, that is in this attempt and this worker's, and runs; else null. */
async function ownJob(tx: EntityManager, jobId: number, attempt: number, workerId: string): Promise<JobRow | null> {
  const job = await tx.findOne(JobEntity, jobId, { lockMode: LockMode.PESSIMISTIC_WRITE, refresh: true })
  return job?.attempt === attempt && job.workerId === workerId && job.state === 'running' ? job : null
}

/** More than a job has units. */
const unitsApart = 4096

/**
 * How early a unit's task is taken: jobs in their order, so that one is done before the next is half done, and units of a job in theirs, so that what is left
 * at a stop lies together. The queue counts in 32 bits.
 */
function priorityOf({ position }: Pick<JobRow, 'position'>, place: number): number {
  const least = -(2 ** 31)
  return Math.min(-least - 1, Math.max(least, -Math.floor(position) * unitsApart - place))
}

/**
 * Writes down the units that a job is made in. Those that are there from an attempt before stay as they are, where the work is still the same.
 * @param work fingerprint of all that the result depends on
 * @returns them in order; null when the job is no longer this worker's running one
 */
export async function keepUnits(
  em: EntityManager,
  job: { id: number; attempt: number; workerId: string; work: string },
  planned: readonly PlannedUnit[],
): Promise<WorkUnitRow[] | null> {
  return em.transactional(async tx => {
    if (!(await ownJob(tx, job.id, job.attempt, job.workerId))) return null
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
    return planned.map((unit, place) =>
      tx.create(WorkUnitEntity, { job: job.id, work: job.work, place, ...unit, state: 'idle' }),
    )
  })
}

/** The units of a job in order. */
export async function unitsOf(em: EntityManager, jobId: number): Promise<WorkUnitRow[]> {
  return em.find(WorkUnitEntity, { job: jobId }, { orderBy: { place: 1 }, refresh: true })
}

/** Working files of a job are gone, or not whole: all its units are asked for once more, and those that are there and whole are found so. */
export async function forgetUnits(em: EntityManager, jobId: number): Promise<void> {
  await em.nativeUpdate(WorkUnitEntity, { job: jobId, state: 'done' }, { state: 'idle', framesDone: 0, seconds: null })
}

/** Asks for a job's units that nobody was asked for yet. @returns false when the job is no longer this worker's running one */
export async function askForUnits(
  em: EntityManager,
  queue: TaskQueue,
  job: { id: number; attempt: number; workerId: string },
): Promise<boolean> {
  return em.transactional(async tx => {
    const row = await ownJob(tx, job.id, job.attempt, job.workerId)
    if (!row) return false
    const idle = await tx.find(WorkUnitEntity, { job: job.id, state: 'idle' }, { orderBy: { place: 1 } })
    for (const unit of idle) tx.assign(unit, { state: 'waiting', run: unit.run + 1, framesDone: 0 })
    await tx.flush()
    await queue.sendMany(
      'unit',
      idle.map(({ id, run, place }) => ({ payload: { unitId: id, run }, priority: priorityOf(row, place) })),
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
 * A worker no longer has a unit in hand: its job asks for it once more.
 * @param isLost whether it went without a word: a unit that takes down one worker after another is given up
 */
export async function loseUnit(
  tx: EntityManager,
  { unitId, run }: { unitId: number; run: number },
  isLost: boolean,
): Promise<void> {
  const unit = await tx.findOne(WorkUnitEntity, { id: unitId, run, state: { $in: ['waiting', 'working'] } })
  if (!unit) return
  const losses = unit.losses + (isLost && unit.state === 'working' ? 1 : 0)
  tx.assign(unit, { state: 'idle', workerId: null, framesDone: 0, losses })
  if (losses >= mostLosses)
    unit.reason = `The process or worker that made a part of it was lost ${losses} times. The source is probably damaged in a way that the media libraries do not survive, or memory runs out. Look at them, then try again.`
}
