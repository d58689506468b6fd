import path from 'node:path'
import {
  segmentsOfJob,
  unitsSoFar,
  type Planned,
  type Segment,
  type SegmentLength,
  type SourceFacts,
  type UnitsSoFar,
} from '@hematine/core'
import {
  askForUnits,
  forgetUnits,
  keepUnits,
  listJobs,
  unitsOf,
  type EntityManager,
  type JobRow,
  type TaskQueue,
  type WorkUnitRow,
} from '@hematine/database'
import type { MadeSegment } from '@hematine/media/joining/segmented-picture'
import { exists } from '@hematine/media/volumes/volume-files'
import { workFingerprint } from './finished.ts'

/** Letters of a work's fingerprint that a working file is named by: one of other work is another file. */
const lettersOfWork = 12

/** Name of the working file of a unit, in the work directory of its job's delivery volume. */
export function segmentFile(jobId: number, { place, work }: Pick<WorkUnitRow, 'place' | 'work'>): string {
  return `job-${jobId}-segment-${place}-${work.slice(0, lettersOfWork)}.packets`
}

/** The segments that a job is made in: those that it was begun in, or by its forecast; null where it is made in one go. */
export async function plannedSegments(
  em: EntityManager,
  job: JobRow,
  plan: Planned,
  facts: SourceFacts,
  length: SegmentLength,
): Promise<Segment[] | null> {
  if (job.wholeBecause) return null
  const work = workFingerprint(job)
  const begun = (await unitsOf(em, job.id)).filter(unit => unit.work === work)
  if (begun.length > 0) return begun.map(({ firstFrame, frames }) => ({ firstFrame, frames: frames ?? null }))
  const [record] = await listJobs(em, { ids: [job.id] })
  const segments = segmentsOfJob(plan, facts, record?.forecast ?? null, length)
  return segments.length > 1 ? segments : null
}

/** What a job lends while its segments are made. */
export interface SegmentsOf {
  job: JobRow
  workerId: string
  queue: TaskQueue
  directory: string
  persist<Result>(work: (em: EntityManager) => Promise<Result>): Promise<Result>
  /** Whether its work goes on, is held, or is over for this worker. */
  stands(): 'goes on' | 'held' | 'over'
  onProgress(soFar: UnitsSoFar): void
}

export type Segmented =
  | { kind: 'made'; segments: MadeSegment[]; workSeconds: number }
  | { kind: 'failed'; reason: string; isAway: boolean }
  /** The job is no longer this worker's, or is to be given back. */
  | { kind: 'over' }

/** Between two looks at how far the units are. */
const lookMilliseconds = 500

/** Has a job's segments made, in whatever lanes are free, and waits for them. Those that lie in their working files already are not made again. */
export async function haveSegmentsMade(of: SegmentsOf, segments: readonly Segment[]): Promise<Segmented> {
  const { job, workerId, queue, directory, persist } = of
  const own = { id: job.id, attempt: job.attempt, workerId, work: workFingerprint(job) }
  const kept = await persist(em => keepUnits(em, own, segments))
  if (!kept) return { kind: 'over' }
  const gone: number[] = []
  for (const unit of kept)
    if (unit.state === 'done' && !(await exists(path.join(directory, segmentFile(job.id, unit))))) gone.push(unit.id)
  await persist(em => forgetUnits(em, job.id, gone))
  for (;;) {
    const standing = of.stands()
    if (standing === 'over') return { kind: 'over' }
    const units = await persist(em => unitsOf(em, job.id))
    const soFar = unitsSoFar(units.map(unit => ({ ...unit, frames: unit.frames ?? null, reason: unit.reason ?? null })))
    if (soFar.outcome === 'fail') {
      const { reason, isAway } = units.find(unit => typeof unit.reason === 'string')!
      return { kind: 'failed', reason: reason!, isAway }
    }
    if (soFar.outcome === 'join')
      return {
        kind: 'made',
        segments: units.map(unit => ({
          firstFrame: unit.firstFrame,
          frames: unit.frames ?? null,
          path: path.join(directory, segmentFile(job.id, unit)),
        })),
        workSeconds: units.reduce((sum, unit) => sum + (unit.seconds ?? 0), 0),
      }
    if (standing === 'goes on') {
      of.onProgress(soFar)
      // While a person is about to hold it, it may not be running for a moment.
      if (soFar.idle > 0) await persist(em => askForUnits(em, queue, own))
    }
    await new Promise(resolve => setTimeout(resolve, lookMilliseconds))
  }
}
