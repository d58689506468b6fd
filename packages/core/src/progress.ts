import type { JobProgress, WorkStage } from './job.ts'
import { toNumber, type Rational } from './rational.ts'

/** What is known of a running job at a moment. */
export interface WorkSoFar {
  stage: WorkStage
  /** In frames; in milliseconds of sound where there is no picture. */
  done: number
  total: number
  /** Frames in a second; null where there is no picture. */
  rate: Rational | null
  /** Seconds of work in this stage, without holds. */
  stageSeconds: number
  /** Seconds that the encode took; null while it runs. */
  encodeSeconds: number | null
  bytesWritten: number
  /** Seconds of checking for each second of encoding, from the sample; null when nothing was measured. */
  checkPerEncode: number | null
  /** Seconds of what comes before it (a search, a first pass) for each second of encoding; 0 where nothing does. */
  aheadPerEncode: number
  /** Of a job that is made in segments: see `JobProgress`. */
  segments?: NonNullable<JobProgress['segments']>
}

/** Below this much of a stage the speed so far says too little about the rest. */
const leastPart = 0.02
/** Share of checking in a job whose source was never sampled: plain decoding for the account, against a whole encode. */
const assumedCheckPerEncode = 0.2
/** Share of joining: packets of the units are read and written (`npm run bench:pipeline -- segments`). */
const joinPerEncode = 0.025

/**
 * Progress of a job from what was done so far. The rest of a stage is taken at the stage's mean speed; the stages that still follow are
 * taken in the proportions that the sample showed.
 */
export function progressOf(work: WorkSoFar): JobProgress {
  const { stage, done: unitsDone, total, stageSeconds } = work
  const part = total > 0 ? Math.min(1, unitsDone / total) : 0
  const checkPerEncode = work.checkPerEncode ?? assumedCheckPerEncode
  const unitsPerSecond = stageSeconds > 0 ? unitsDone / stageSeconds : 0
  const stageTotal = part > 0 ? stageSeconds / part : null
  const known = part >= leastPart ? stageTotal : null
  // In parts of one encode: the encode is 1, what comes before and after it as they were seen beside it.
  const { aheadPerEncode } = work
  const join = work.segments ? joinPerEncode : 0
  const whole = aheadPerEncode + 1 + join + checkPerEncode
  const [before, size] =
    stage === 'encode'
      ? [aheadPerEncode, 1]
      : stage === 'join'
        ? [aheadPerEncode + 1, join]
        : stage === 'check'
          ? [aheadPerEncode + 1 + join, checkPerEncode]
          : [0, aheadPerEncode]
  const done = before + part * size
  const secondsLeft =
    known !== null && size > 0
      ? (known / size) * (whole - done)
      : stage === 'check' && work.encodeSeconds !== null
        ? work.encodeSeconds * checkPerEncode
        : null
  return {
    stage,
    ...(work.rate
      ? {
          framesDone: unitsDone,
          framesTotal: total,
          framesPerSecond: unitsPerSecond,
          timesRealTime: unitsPerSecond / toNumber(work.rate),
        }
      : {
          framesDone: 0,
          framesTotal: 0,
          framesPerSecond: 0,
          timesRealTime: unitsPerSecond / 1000,
          sound: { secondsDone: unitsDone / 1000, secondsTotal: total / 1000 },
        }),
    bytesWritten: work.bytesWritten,
    secondsLeft,
    ...(work.segments ? { segments: work.segments } : {}),
    part: Math.min(1, done / whole),
  }
}
