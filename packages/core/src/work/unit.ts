import { copiesSound } from '../sound-copy.ts'
import type { SourceFacts } from '../facts.ts'
import type { JobForecast } from '../forecast/forecast.ts'
import { hasPicture, type Planned } from '../treatment/treatment.ts'
import { segmentsOfJob, type Segment, type SegmentLength } from './segments.ts'

/** A range of a result's frames, or all tracks of its sound, each by itself. */
export type UnitKind = 'segment' | 'sound'

/** A unit that a job is to be made in; one of sound lasts as long as all frames. */
export interface PlannedUnit extends Segment {
  kind: UnitKind
}

/**
 * Whether a job's sound is made by itself: some of it is encoded, and how long it is does not hang on which frames come out.
 * @param facts of the source, with the tracks that are delivered
 */
export function hasSoundUnit(job: Planned, facts: SourceFacts): boolean {
  return (
    hasPicture(job) &&
    job.treatment.evenSound !== true &&
    facts.audio.some(track => !copiesSound(track, facts, job.spec, job.treatment))
  )
}

/** The units that a job is made in; none where it is made in one go. @param facts of the source, with the tracks that are delivered */
export function unitsOfJob(
  job: Planned,
  facts: SourceFacts,
  forecast: Pick<JobForecast, 'seconds' | 'checkSeconds'> | null,
  length?: SegmentLength,
): PlannedUnit[] {
  const segments = segmentsOfJob(job, facts, forecast, length)
  if (segments.length < 2) return []
  const units: PlannedUnit[] = segments.map(segment => ({ kind: 'segment', ...segment }))
  if (!hasPicture(job) || !hasSoundUnit(job, facts)) return units
  // First: one lane alone can make it, while the others have the segments.
  return [{ kind: 'sound', firstFrame: 0, frames: job.treatment.result.frameCount }, ...units]
}

/** What a unit of a job's work is at: not asked for, asked for, in a lane, or in its working file. */
export type UnitState = 'idle' | 'waiting' | 'working' | 'done'

/** A unit as far as its job follows from it. */
export interface Unit extends PlannedUnit {
  state: UnitState
  framesDone: number
  reason: string | null
}

/** How far the units of a job are. */
export interface UnitsSoFar {
  /** Segments that are done, and all; and frames of them. */
  done: number
  total: number
  framesDone: number
  /** Whether sound is still to be made. */
  awaitsSound: boolean
  /** Lanes that make one now. */
  lanes: number
  /** What becomes of their job: more of them are to be done, all are, or it cannot go on. */
  outcome: 'go on' | 'join' | 'fail'
  /** Those that must be asked for; and all that no lane has yet, those among them. */
  idle: number
  open: number
}

/** What becomes of a job from its units. */
export function unitsSoFar(units: readonly Unit[]): UnitsSoFar {
  const count = (state: UnitState) => units.filter(unit => unit.state === state).length
  const segments = units.filter(({ kind }) => kind === 'segment')
  return {
    done: segments.filter(({ state }) => state === 'done').length,
    total: segments.length,
    framesDone: segments.reduce((sum, unit) => sum + unit.framesDone, 0),
    awaitsSound: units.some(({ kind, state }) => kind === 'sound' && state !== 'done'),
    lanes: count('working'),
    outcome: units.some(unit => unit.reason !== null) ? 'fail' : count('done') === units.length ? 'join' : 'go on',
    idle: count('idle'),
    open: count('idle') + count('waiting'),
  }
}

/** On hold, a unit is finished if that takes less than so long, in seconds; else it is given up. */
const finishWithin = 20

/** Whether a unit whose job was put on hold is finished all the same. @param frames that it has; null where nobody knows @param seconds of work so far */
export function isNearlyDone(frames: number | null, framesDone: number, seconds: number): boolean {
  if (frames === null || framesDone === 0) return false
  return ((frames - framesDone) * seconds) / framesDone < finishWithin
}
