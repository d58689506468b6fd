import type { SourceFacts } from '../facts.ts'
import type { JobForecast } from '../forecast/forecast.ts'
import { runsToMeasure } from '../measurement.ts'
import { outputKind } from '../spec/container.ts'
import { hasPicture, treatedSeconds, type PictureTreatment, type Planned } from '../treatment/treatment.ts'
import { keyframeDistance } from '../treatment/apply.ts'
import type { PictureSpec } from '../spec/schema.ts'
import { leadOf } from './reach.ts'

/** A range of a result's frames that is treated, encoded and compared by itself. */
export interface Segment {
  firstFrame: number
  /** Null for all that are left, of the last one. */
  frames: number | null
}

/** Work that a segment is to take, in seconds: so little that little is lost with it, so much that beginning it costs little. */
export interface SegmentLength {
  least: number
  most: number
}
export const usualSegmentLength: SegmentLength = { least: 20, most: 300 }
/** As a rule a segment is a sixteenth of its job; or a minute, where that is no more than a quarter of it: to begin one costs a second or two. */
const usualSegments = 16
const fewestSegments = 4
const usualSeconds = 60

/**
 * Why a job is made in one go, as the end of a sentence after "... because"; null where it can be made in segments.
 * @param facts of its source
 */
export function whyWhole(job: Planned, facts: Pick<SourceFacts, 'video' | 'jumps'>): string | null {
  if (!hasPicture(job) || !facts.video) return 'it is sound alone'
  const { spec, treatment } = job
  if (treatment.copied) return 'its picture is copied'
  if (outputKind(spec) !== 'moving picture') return 'its pictures are files of their own'
  if (spec.video.encoder === 'hardware') return 'one graphics device encodes the whole of it'
  const { kind } = spec.video.rateControl
  if (kind === 'average rate') return 'its rate is held over its whole length'
  if (kind === 'size cap') return 'its size is known only of the whole'
  if (kind === 'quality target') return 'the setting for its quality is found on the way'
  if (facts.jumps && facts.jumps.length > 0) return "its source's times jump, so no place in it can be found again"
  const lead = leadOf(treatment, facts.video.frameRate)
  return 'because' in lead ? lead.because : null
}

/** In about how many segments a job is made, before they are moved to keyframes: 1 or less where it is short. */
export function segmentCount(
  frames: number,
  workSeconds: number,
  { least, most }: SegmentLength = usualSegmentLength,
): number {
  const some = Math.min(usualSeconds, workSeconds / fewestSegments)
  const each = Math.min(most, Math.max(least, some, workSeconds / usualSegments))
  return Math.min(Math.floor(workSeconds / each), frames)
}

/**
 * The segments of a job, each of about as much work, in order; one for a job that is short. They begin where the spec's longest distance would put a keyframe
 * anyway, and not within the windows that a check looks at closely.
 * @param workSeconds that treating and encoding the whole takes, by forecast
 */
export function segmentsOf(
  { spec, treatment }: { spec: PictureSpec; treatment: PictureTreatment },
  workSeconds: number,
  length: SegmentLength = usualSegmentLength,
): Segment[] {
  const { frameCount } = treatment.result
  const count = segmentCount(frameCount, workSeconds, length)
  const distance = keyframeDistance(spec, treatment)
  const begins = [0]
  for (let index = 1; index < count; index++) {
    const near = (index * frameCount) / count
    const begin = outsideWindows(nearestKeyframe(near, distance, frameCount / count), frameCount)
    if (begin > begins.at(-1)! && begin < frameCount) begins.push(begin)
  }
  return begins.map((firstFrame, index) => ({
    firstFrame,
    frames: index + 1 < begins.length ? begins[index + 1]! - firstFrame : null,
  }))
}

/** Keyframes count where several of them lie within a segment; a shorter one begins with its own. */
function nearestKeyframe(frame: number, distance: number, segment: number): number {
  return distance * 2 <= segment ? Math.round(frame / distance) * distance : Math.round(frame)
}

/** A frame that begins no later than the window that it lies in. */
function outsideWindows(frame: number, frameCount: number): number {
  const window = runsToMeasure(frameCount, 'glance').find(
    ({ first, frames }) => frame > first && frame < first + frames,
  )
  return window?.first ?? frame
}

/** What treating and encoding takes by a job's forecast, in seconds of work; where there is none, about as long as the result plays. */
function encodeSecondsOf(
  { treatment }: Planned,
  forecast: Pick<JobForecast, 'seconds' | 'checkSeconds'> | null,
): number {
  return forecast ? Math.max(0, forecast.seconds.expected - forecast.checkSeconds) : treatedSeconds(treatment)
}

/** The segments that a job is made in; one where it is made in one go. @param facts of its source */
export function segmentsOfJob(
  job: Planned,
  facts: Pick<SourceFacts, 'video' | 'jumps'>,
  forecast: Pick<JobForecast, 'seconds' | 'checkSeconds'> | null,
  length?: SegmentLength,
): Segment[] {
  return hasPicture(job) && whyWhole(job, facts) === null
    ? segmentsOf(job, encodeSecondsOf(job, forecast), length)
    : [{ firstFrame: 0, frames: null }]
}

/** What is known of how a job is made beside its plan. */
interface Making {
  forecast: Pick<JobForecast, 'seconds' | 'checkSeconds'> | null
  /** A sentence on why its segments did not fit together, where they did not. */
  wholeBecause: string | null
  /** Segments that it was begun in; 0 for a job that was not. */
  begun: number
  length?: SegmentLength | undefined
}

/** How a job is made, as a sentence. @param facts of its source */
export function describeMaking(
  job: Planned,
  facts: Pick<SourceFacts, 'video' | 'jumps'>,
  { forecast, wholeBecause, begun, length }: Making,
): string {
  if (wholeBecause) return `In one go. ${wholeBecause}`
  const because = whyWhole(job, facts)
  if (because) return `In one go, because ${because}.`
  const about = segmentsOfJob(job, facts, forecast, length).length
  if (begun === 0 && about === 1) return 'In one go: it is short.'
  const count = begun === 0 ? `about ${about}` : `${begun}`
  return `In ${count} segments, by whichever lanes are free. What is done of them is kept over a stop.`
}
