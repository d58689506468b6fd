import { z } from 'zod'
import { forecastByLike, likeRate, type KnownLike } from '../forecast/by-like.ts'
import { calibrated, calibrationFor } from '../forecast/calibration.ts'
import {
  forecastJob,
  sharedTimePart,
  type JobExtent,
  type JobForecast,
  type SampleMeasurement,
} from '../forecast/forecast.ts'
import { kindOfWork, type WorkTraits } from '../forecast/kind-of-work.ts'
import { onlyNamed, type PlannedSource } from '../inventory.ts'
import { Range, RangeSum } from '../range.ts'
import { toNumber, type Rational } from '../rational.ts'
import type { Turns } from '../turns.ts'
import { EndsOfOrders, secondsUntil } from './ends-of-orders.ts'
import type { LaneWork } from './lanes.ts'
import { laneWork, sharedSize, type ForecastGround } from './outline.ts'
import { Sharing, sharingOf } from './sharing.ts'
import type { Machine } from './shared-lanes.ts'

/** One way to come by the frames: what rendering one takes, and the draft of a test that shows what is done with it then. */
export const RenderWay = z.object({
  jobId: z.int().positive(),
  /** Of one machine. */
  minutesPerFrame: z.number().positive('must be more than nothing').max(100_000),
})
export type RenderWay = z.infer<typeof RenderWay>

/** Frames that are still to be rendered elsewhere: in shots, one after the other, each by all machines together. */
export const RenderQuestion = z.object({
  shots: z.int().min(1).max(1000),
  /** As they are delivered. A way of which every second frame is made here renders half as many. */
  framesOfShot: z.int().min(1).max(1_000_000),
  machines: z.int().min(1).max(10_000),
  /** How far off the minutes of a frame may be, as a part of them. */
  doubt: z.number().min(0).max(0.9),
  /** Frames as they are wanted. */
  full: RenderWay,
  /** Frames that are quicker to render (smaller, noisier, every second one), and treated afterwards. */
  reduced: RenderWay,
})
export type RenderQuestion = z.infer<typeof RenderQuestion>

/** What a way comes to; times in seconds from when it was worked out. */
const WayOutcome = z.object({
  /** When the last shot is rendered. */
  rendered: Range,
  /** When the last shot is done. */
  end: Range,
  /** How long after the order's due time that is; 0 where it is in time or nobody waits. */
  lateSeconds: z.number().min(0),
  /** Device time here, of all shots, and of one frame, the start of jobs aside. */
  seconds: Range,
  secondsPerFrame: z.number().min(0),
  /** Results of all shots. */
  bytes: Range,
  /** Frames as they are rendered, by those of the test; null where the test's size is not known. */
  renderedBytes: z.number().min(0).nullable(),
  /** When each shot is rendered, and worked on here: expected moments. */
  shots: z.array(z.object({ rendered: z.number(), start: z.number(), end: z.number() })),
})
export type WayOutcome = z.infer<typeof WayOutcome>

export const RenderAnswer = z.object({
  at: z.iso.datetime(),
  lanes: z.int().min(1),
  sharing: Sharing.nullable(),
  /** Device time of what waits before it, of all orders. */
  before: Range,
  full: WayOutcome,
  reduced: WayOutcome,
  /** Minutes of a full frame from which on the reduced way is done sooner, all else as it is; null where it never is. */
  evenMinutes: z.number().nullable(),
})
export type RenderAnswer = z.infer<typeof RenderAnswer>

/** A measured job with a picture, as far as it can stand for frames that are still to be rendered. */
export const RenderTestRecord = z.object({
  jobId: z.int(),
  sourceName: z.string(),
  specName: z.string(),
  /** What is done with its frames. */
  steps: z.array(z.string()),
  /** As they are rendered, and as they are delivered, in pixels. */
  source: z.object({ width: z.int(), height: z.int(), frames: z.int() }),
  result: z.object({ width: z.int(), height: z.int() }),
  /** Device time of one frame here. */
  secondsPerFrame: z.number(),
})
export type RenderTestRecord = z.infer<typeof RenderTestRecord>

/** A measured draft, of whose source's frames there are so many, and so many bytes of them. */
export interface MeasuredTest {
  extent: JobExtent
  measurement: SampleMeasurement
  traits: WorkTraits
  sourceFrames: number
  sourceBytes: number | null
}

/** A test of a way: what its work is known to be. */
export interface RenderTest extends Pick<MeasuredTest, 'sourceFrames' | 'sourceBytes'> {
  known: KnownLike
}

/** A measured draft as a test, by the forecast that is told of it everywhere. */
export function asTest(
  { extent, measurement, traits, sourceFrames, sourceBytes }: MeasuredTest,
  { calibrations }: Pick<ForecastGround, 'calibrations'>,
): RenderTest {
  const raw = forecastJob(measurement, extent)
  const forecast = calibrated(raw, calibrationFor(kindOfWork(traits, 'own'), calibrations))
  return { known: { extent, measurement, forecast }, sourceFrames, sourceBytes }
}

/** What work like a test's is, of so many frames of its result. @returns null where the test has none */
export function likeTest({ known }: RenderTest, frames: number): { extent: JobExtent; forecast: JobForecast } | null {
  const rate = likeRate('like a test', [known])
  if (!rate || known.extent.frames === 0) return null
  const extent = {
    ...known.extent,
    frames,
    durationSeconds: (known.extent.durationSeconds * frames) / known.extent.frames,
  }
  return { extent, forecast: forecastByLike(rate, extent) }
}

/** What a question is answered by. */
export interface RenderGround {
  machine: Machine
  /** What is begun and waits, of all orders, in the order in which it is done. */
  before: readonly { work: LaneWork }[]
  orderId: number
  dueAt: string | null
  full: RenderTest
  reduced: RenderTest
}

/**
 * Holds two ways to the same frames against each other: rendered as they are wanted, or at a reduced cost and treated here. Shots are taken by the lanes as they are
 * rendered, behind what waits already, so each way ends when the slower of rendering and treating lets it.
 * @param at seconds count from then
 * @throws Error where a test has no frames
 */
export function* renderOrTreat(ground: RenderGround, question: RenderQuestion, at: Date): Turns<RenderAnswer> {
  const shots = {
    full: shotOf(ground.full, question.framesOfShot),
    reduced: shotOf(ground.reduced, question.framesOfShot),
  }
  const endOf = (way: 'full' | 'reduced', minutes: number) => endsOf(ground, shots[way], question, minutes, at)
  const outcomes = { full: null as WayOutcome | null, reduced: null as WayOutcome | null }
  let slowing = 1
  for (const way of ['full', 'reduced'] as const) {
    const { minutesPerFrame } = question[way]
    const [middle, soonest, latest] = [0, -question.doubt, question.doubt].map(off =>
      endOf(way, minutesPerFrame * (1 + off)),
    )
    yield
    slowing = Math.max(slowing, middle!.slowing)
    const rendered = middle!.shots.at(-1)!.rendered
    outcomes[way] = {
      ...costOf(ground[way], shots[way], question),
      rendered: { expected: rendered, low: rendered * (1 - question.doubt), high: rendered * (1 + question.doubt) },
      shots: middle!.shots,
      end: { expected: middle!.end.expected, low: soonest!.end.low, high: latest!.end.high },
      lateSeconds: middle!.lateSeconds,
    }
  }
  const before = new RangeSum(sharedTimePart)
  for (const { work } of ground.before) before.add(work.seconds, work.shared)
  const reducedEnd = outcomes.reduced!.end.expected
  return {
    at: at.toISOString(),
    lanes: Math.max(1, ground.machine.lanes),
    sharing: sharingOf(ground.machine, slowing),
    before: before.range(),
    full: outcomes.full!,
    reduced: outcomes.reduced!,
    evenMinutes: yield* minutesUntil(minutes => endOf('full', minutes).end.expected > reducedEnd),
  }
}

/** Minutes are told apart to a thousandth, of a million at most. */
const tolerance = 1e-3
const mostMinutes = 1e6

/** The minutes from which on something is so that stays so with more of them; null where it never is. */
function* minutesUntil(isSo: (minutes: number) => boolean): Turns<number | null> {
  let [low, high] = [0, 1]
  for (; !isSo(high); yield) {
    if (high >= mostMinutes) return null
    ;[low, high] = [high, high * 2]
  }
  while (high - low > tolerance * high && high > tolerance) {
    const middle = (low + high) / 2
    if (isSo(middle)) high = middle
    else low = middle
    yield
  }
  return high > tolerance ? high : 0
}

/** When a shot is rendered, in seconds, if a frame takes so many minutes. @param number of the shot, from 1 */
function renderedAfter(
  { rendered }: Pick<Shot, 'rendered'>,
  { machines }: RenderQuestion,
  minutesPerFrame: number,
  number: number,
): number {
  return (number * rendered * minutesPerFrame * 60) / machines
}

/** When all shots of a way are done, behind what waits. */
function endsOf(
  { machine, before, orderId, dueAt }: RenderGround,
  shot: Shot,
  question: RenderQuestion,
  minutesPerFrame: number,
  at: Date,
): Pick<WayOutcome, 'end' | 'lateSeconds' | 'shots'> & { slowing: number } {
  const ends = new EndsOfOrders({ ...machine, lanes: Math.max(1, machine.lanes) }, at)
  for (const { work: other } of before) ends.place(orderOfOthers, other)
  for (let number = 1; number <= question.shots; number++) {
    const hereFrom = ends.time.openOf(renderedAfter(shot, question, minutesPerFrame, number))
    ends.place(orderId, { ...shot.work, id: -number, hereFrom })
  }
  const { of, places, slowing } = ends.against([[orderId, secondsUntil(dueAt, at)]])
  const { end, lateSeconds } = of(orderId)
  const shots = Array.from({ length: question.shots }, (_, index) => {
    const place = places.get(-1 - index)!
    return {
      rendered: renderedAfter(shot, question, minutesPerFrame, index + 1),
      start: place.start.expected,
      end: place.end.expected,
    }
  })
  return { end: end!, lateSeconds, slowing, shots }
}

/** What waits belongs to others; whose does not matter here. */
const orderOfOthers = 0

/** One shot as lanes take it, by what the test took. */
interface Shot {
  /** Frames that are rendered for it. */
  rendered: number
  work: LaneWork
  forecast: JobForecast
  secondsPerFrame: number
}

/** Device time of one delivered frame of a test, the start of its job aside. @throws Error where it has no frames */
export function secondsOfFrame(test: RenderTest): number {
  return shotOf(test, test.known.extent.frames).secondsPerFrame
}

/** Frames that are rendered for so many that are delivered, as a test's were. */
function framesToRender({ frames }: Pick<JobExtent, 'frames'>, sourceFrames: number, delivered: number): number {
  return Math.max(1, Math.round((delivered * sourceFrames) / frames))
}

/** @param frames that are delivered */
function shotOf(test: RenderTest, frames: number): Shot {
  const told = likeTest(test, frames)
  if (!told || !(test.sourceFrames > 0)) throw new Error('A test without frames says nothing of others.')
  const { known, sourceFrames } = test
  const { startSeconds, onceSeconds = 0 } = known.measurement
  return {
    rendered: framesToRender(known.extent, sourceFrames, frames),
    work: laneWork({ id: -1, state: 'draft', progress: null, extent: told.extent }, told.forecast)!,
    forecast: told.forecast,
    secondsPerFrame: (told.forecast.seconds.expected - startSeconds - onceSeconds) / frames,
  }
}

/** What all shots take here, and what they come to. */
function costOf(
  { sourceFrames, sourceBytes }: RenderTest,
  { rendered, work, forecast, secondsPerFrame }: Shot,
  { shots }: RenderQuestion,
): Pick<WayOutcome, 'seconds' | 'secondsPerFrame' | 'bytes' | 'renderedBytes'> {
  const [seconds, bytes] = [new RangeSum(sharedTimePart), new RangeSum()]
  for (let number = 0; number < shots; number++) {
    seconds.add(work.seconds, work.shared)
    bytes.add(forecast.bytes, sharedSize(forecast))
  }
  return {
    seconds: seconds.range(),
    secondsPerFrame,
    bytes: bytes.range(),
    renderedBytes: sourceBytes === null ? null : (sourceBytes / sourceFrames) * rendered * shots,
  }
}

/** What a test's frames are like, for those that are still to be rendered to be announced by. */
export interface RenderedLike extends Pick<MeasuredTest, 'extent' | 'sourceFrames' | 'sourceBytes'> {
  sourceWidth: number
  sourceHeight: number
  sourceRate: Rational
}

/** Shots of a way as an inventory announces them, each expected when it is rendered. */
export function shotsToAnnounce(
  name: string,
  question: RenderQuestion,
  way: 'full' | 'reduced',
  { extent, sourceFrames, sourceBytes, sourceWidth, sourceHeight, sourceRate }: RenderedLike,
  answer: RenderAnswer,
): PlannedSource[] {
  const frames = framesToRender(extent, sourceFrames, question.framesOfShot)
  const rate = toNumber(sourceRate)
  const digits = Math.max(2, String(question.shots).length)
  return answer[way].shots.map(({ rendered }, index) => ({
    ...onlyNamed(`${name} ${String(index + 1).padStart(digits, '0')}`),
    seconds: frames / rate,
    width: sourceWidth,
    height: sourceHeight,
    framesPerSecond: rate,
    scan: 'progressive',
    bytes: sourceBytes === null ? null : Math.round((sourceBytes / sourceFrames) * frames),
    notes: `still to be rendered, ${question[way].minutesPerFrame} min a frame`,
    expectedAt: new Date(new Date(answer.at).getTime() + rendered * 1000).toISOString(),
  }))
}
