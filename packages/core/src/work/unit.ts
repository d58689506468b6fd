import type { Segment } from './segments.ts'

/** What a unit of a job's work is at: not asked for, asked for, in a lane, or in its working file. */
export type UnitState = 'idle' | 'waiting' | 'working' | 'done'

/** A unit as far as its job follows from it. */
export interface Unit extends Segment {
  state: UnitState
  framesDone: number
  reason: string | null
}

/** How far the units of a job are. */
export interface UnitsSoFar {
  done: number
  total: number
  framesDone: number
  /** What becomes of their job: more of them are to be done, all are, or it cannot go on. */
  outcome: 'go on' | 'join' | 'fail'
  /** Those that must be asked for; and all that no lane has yet, those among them. */
  idle: number
  open: number
}

/** What becomes of a job from its units. */
export function unitsSoFar(units: readonly Unit[]): UnitsSoFar {
  const count = (state: UnitState) => units.filter(unit => unit.state === state).length
  const done = count('done')
  return {
    done,
    total: units.length,
    framesDone: units.reduce((sum, unit) => sum + unit.framesDone, 0),
    outcome: units.some(unit => unit.reason !== null) ? 'fail' : done === units.length ? 'join' : 'go on',
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
