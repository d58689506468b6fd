import { z } from 'zod'

export const JobState = z.enum([
  'draft',
  'waiting',
  'queued',
  'running',
  'held',
  'placing',
  'done',
  'failed',
  'cancelled',
])
export type JobState = z.infer<typeof JobState>

/**
 * What can happen to a job.
 * release: a person lets it go · dispatch: handed to the queue · start: a worker took it · continue: a worker went on with a held one ·
 * hold, resume, cancel, retry: a person · place: checked, about to be put in its place · finish: in its place · fail · lose: its worker is gone
 */
export const JobEvent = z.enum([
  'release',
  'dispatch',
  'start',
  'continue',
  'hold',
  'resume',
  'cancel',
  'retry',
  'place',
  'finish',
  'fail',
  'lose',
])
export type JobEvent = z.infer<typeof JobEvent>

const transitions: Record<JobState, Partial<Record<JobEvent, JobState>>> = {
  draft: { release: 'waiting', cancel: 'cancelled' },
  waiting: { dispatch: 'queued', continue: 'running', hold: 'held', cancel: 'cancelled', fail: 'failed' },
  queued: { start: 'running', hold: 'held', cancel: 'cancelled', lose: 'waiting', fail: 'failed' },
  running: { hold: 'held', cancel: 'cancelled', place: 'placing', fail: 'failed', lose: 'waiting' },
  held: { resume: 'waiting', cancel: 'cancelled' },
  // Once checked, a result is a moment away from its place; only success, failure or another worker's taking over remain.
  placing: { finish: 'done', fail: 'failed', lose: 'placing' },
  done: {},
  failed: { retry: 'waiting', cancel: 'cancelled' },
  cancelled: { retry: 'waiting' },
}

/** The state after an event, or null when the event means nothing in this state. */
export function nextState(state: JobState, event: JobEvent): JobState | null {
  return transitions[state][event] ?? null
}

/** Events a person may cause in a state. */
export function allowedActions(state: JobState): JobEvent[] {
  return (['release', 'hold', 'resume', 'cancel', 'retry'] as const).filter(event => nextState(state, event) !== null)
}

/** Whether a worker has it in hand. */
export function isInHand(state: JobState): boolean {
  return state === 'queued' || state === 'running' || state === 'placing'
}

/** Whether nothing more will happen unless a person acts. */
export function isSettled(state: JobState): boolean {
  return state === 'done' || state === 'failed' || state === 'cancelled' || state === 'draft'
}

const words: Record<JobState, string> = {
  draft: 'draft',
  waiting: 'waiting',
  queued: 'next',
  running: 'working',
  held: 'held',
  placing: 'placing',
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
}

/** One word for a state. */
export function describeState(state: JobState): string {
  return words[state]
}

/** What a job is in the middle of: finding a setting, learning what its frames need, encoding them, joining its segments, or checking the result. */
export const WorkStage = z.enum(['search', 'first pass', 'encode', 'join', 'check'])
export type WorkStage = z.infer<typeof WorkStage>

/** How far a running job is. `stage` tells what is being done now. */
export const JobProgress = z.object({
  stage: WorkStage,
  framesDone: z.int().min(0),
  framesTotal: z.int().min(0),
  framesPerSecond: z.number().min(0),
  /** Seconds of material done and expected, where there is no picture to count; frames are 0 then. */
  sound: z.object({ secondsDone: z.number().min(0), secondsTotal: z.number().min(0) }).optional(),
  /** Seconds of material per second of work. */
  timesRealTime: z.number().min(0),
  bytesWritten: z.int().min(0),
  /** Seconds of work left in the whole job, encode and check; null while too little is known. */
  secondsLeft: z.number().min(0).nullable(),
  /** Of a job that is made in segments: how many are done, whether sound is still to be made beside them, and lanes that work at them now. */
  segments: z
    .object({
      done: z.int().min(0),
      total: z.int().positive(),
      awaitsSound: z.boolean().default(false),
      lanes: z.int().min(0).default(1),
    })
    .optional(),
  /** Part of the whole job's work done, 0 to 1. */
  part: z.number().min(0).max(1),
})
export type JobProgress = z.infer<typeof JobProgress>

/** Lanes that a job has at the moment: as many as make units of it, or one. */
export function lanesOf({ progress }: { progress: JobProgress | null }): number {
  return progress?.segments && progress.stage === 'encode' ? progress.segments.lanes : 1
}
