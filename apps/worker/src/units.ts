import path from 'node:path'
import {
  unitsOfJob,
  unitsSoFar,
  type Planned,
  type PlannedUnit,
  type SegmentLength,
  type SourceFacts,
  type UnitsSoFar,
} from '@hematine/core'
import {
  askForUnits,
  keepUnits,
  listJobs,
  unitsOf,
  type EntityManager,
  type JobRow,
  type TaskQueue,
  type WorkUnitRow,
} from '@hematine/database'
import type { MadeParts } from '@hematine/media/delivering/deliver'
import { workFingerprint } from './finished.ts'

/** Letters of a work's fingerprint that a working file is named by: one of other work is another file. */
const lettersOfWork = 12

/** What the working files of a unit are called, in the work directory of its job's delivery volume. */
export function unitFile(jobId: number, { kind, place, work }: Pick<WorkUnitRow, 'kind' | 'place' | 'work'>): string {
  return `job-${jobId}-${kind}-${place}-${work.slice(0, lettersOfWork)}.packets`
}

/**
 * The units that a job is made in: those that it was begun in, or by its forecast; none where it is made in one go.
 * @param facts of the source, with the tracks that are delivered
 */
export async function plannedUnits(
  em: EntityManager,
  job: JobRow,
  plan: Planned,
  facts: SourceFacts,
  length: SegmentLength,
): Promise<PlannedUnit[]> {
  if (job.wholeBecause) return []
  const work = workFingerprint(job)
  const begun = (await unitsOf(em, job.id)).filter(unit => unit.work === work)
  if (begun.length > 0)
    return begun.map(({ kind, firstFrame, frames }) => ({ kind, firstFrame, frames: frames ?? null }))
  const [record] = await listJobs(em, { ids: [job.id] })
  return unitsOfJob(plan, facts, record?.forecast ?? null, length)
}

/** What a job lends while its units are made. */
export interface UnitsOf {
  job: JobRow
  workerId: string
  queue: TaskQueue
  directory: string
  persist<Result>(work: (em: EntityManager) => Promise<Result>): Promise<Result>
  /** Whether its work goes on, is held, or is over for this worker. */
  stands(): 'goes on' | 'held' | 'over'
  onProgress(soFar: UnitsSoFar): void
  /** Told when all units are asked for: lanes can take them. */
  onAsked(): void
}

export type InUnits =
  | { kind: 'made'; made: MadeParts; workSeconds: number }
  | { kind: 'failed'; reason: string; isAway: boolean }
  /** The job is no longer this worker's, or is to be given back. */
  | { kind: 'over' }

/** Between two looks at how far the units are. */
const lookMilliseconds = 500

/** Has a job's units made, in whatever lanes are free, and waits for them. Those that are done already are not made again. */
export async function haveUnitsMade(of: UnitsOf, planned: readonly PlannedUnit[]): Promise<InUnits> {
  const { job, workerId, queue, directory, persist } = of
  const own = { id: job.id, attempt: job.attempt, workerId, work: workFingerprint(job) }
  if (!(await persist(em => keepUnits(em, own, planned)))) return { kind: 'over' }
  for (;;) {
    const standing = of.stands()
    if (standing === 'over') return { kind: 'over' }
    const units = await persist(em => unitsOf(em, job.id))
    const soFar = unitsSoFar(units.map(unit => ({ ...unit, frames: unit.frames ?? null, reason: unit.reason ?? null })))
    if (soFar.outcome === 'fail') {
      const { reason, isAway } = units.find(unit => typeof unit.reason === 'string')!
      return { kind: 'failed', reason: reason!, isAway }
    }
    if (soFar.outcome === 'join') {
      const pathOf = (unit: WorkUnitRow) => path.join(directory, unitFile(job.id, unit))
      const sound = units.find(({ kind }) => kind === 'sound')
      return {
        kind: 'made',
        made: {
          segments: units
            .filter(({ kind }) => kind === 'segment')
            .map(unit => ({ firstFrame: unit.firstFrame, frames: unit.frames ?? null, path: pathOf(unit) })),
          sound: sound ? pathOf(sound) : null,
        },
        workSeconds: units.reduce((sum, unit) => sum + (unit.seconds ?? 0), 0),
      }
    }
    if (standing === 'goes on') {
      of.onProgress(soFar)
      // While a person is about to hold it, it may not be running for a moment.
      if (soFar.idle === 0 || (await persist(em => askForUnits(em, queue, own)))) of.onAsked()
    }
    await new Promise(resolve => setTimeout(resolve, lookMilliseconds))
  }
}
