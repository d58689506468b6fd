import { z } from 'zod'
import { DeliverySpec } from './spec/schema.ts'
import { Moment } from './moments.ts'
import { type Range } from './range.ts'
import { toNumber } from './rational.ts'
import { describeStep, Steps, Treatment, type PictureTreatment } from './treatment/index.ts'

/** Figures of a picture before or after a treatment. Luma is in codes of 255. */
export const PictureFigures = z.object({
  /** Standard deviation of luma noise in even parts, in codes; null when no part is even. */
  noise: z.number().nullable(),
  /** Finest detail across the picture, in pixels of its own width that could hold it; null without any. */
  detail: z.number().nullable(),
  /** Step at the strongest 8-pixel grid against the steps elsewhere: 1 is none. */
  blocking: z.number(),
  /** Change from frame to frame where the source stands still, in codes; null when too little does. */
  wobble: z.number().nullable(),
})
export type PictureFigures = z.infer<typeof PictureFigures>

/** What a trial of one moment took and gave. */
export const TrialMoment = z.object({
  /** Frames of the result; 0 for sound alone. */
  frames: z.int().min(0),
  /** Length of the result, where it is sound alone. */
  soundSeconds: z.number().positive().optional(),
  /** Level of what the codec changed below the treated sound, in dB, where the result is sound alone; null when nothing was. */
  signalToNoise: z.number().nullable().optional(),
  /** Seconds by the clock for treating and encoding, without the seek to the place. */
  seconds: z.number().positive(),
  /** Seconds by the clock for checking it as a job's result is checked; absent in trials of before it was measured. */
  checkSeconds: z.number().min(0).optional(),
  /** Seconds until the first treated frame was there. */
  untilFirstFrame: z.number().min(0),
  /** Seconds of work by step; those of decoding, steps and encoder overlap. */
  steps: z.array(z.object({ name: z.string(), seconds: z.number().min(0) })),
  /** Bytes of the encoded moment. */
  bytes: z.int().min(0),
  /** Likeness of the encoded picture to the treated one, mean over frames: what the spec's compression costs. Null when identical or not comparable. */
  ssim: z.number().nullable(),
  xpsnr: z.number().nullable(),
  /** Null for sound alone. */
  before: PictureFigures.nullable(),
  after: PictureFigures.nullable(),
  /** What the steps that are dear give over the plain way of the same, where there are such: the difference in codes, and detail and blocks against the plain way's (1 is equal). */
  gain: z
    .object({
      over: z.string(),
      difference: z.number().min(0),
      detail: z.number().nullable(),
      blocking: z.number().nullable(),
    })
    .optional(),
  /** Loudness of the first sound track of the source and of the encoded moment in LUFS, null when all is below the gate; absent where either has no sound. */
  loudness: z.object({ before: z.number().nullable(), after: z.number().nullable() }).optional(),
  /** Devices that learned steps ran on. */
  devices: z.record(z.string(), z.string()),
})
export type TrialMoment = z.infer<typeof TrialMoment>

/** Below these a dear step gives nothing that is seen: difference from the plain way in codes, more detail, fewer blocks. */
const leastGain = { difference: 1.2, detail: 1.04, blocking: 0.92 }

/** Whether the dear steps of a trial give nothing over the plain way, in all the moments where they were held against it; null where they were not. */
export function hasNoGain(results: readonly (TrialMoment | null)[]): boolean | null {
  const gains = results.flatMap(result => result?.gain ?? [])
  if (gains.length === 0) return null
  return gains.every(
    ({ difference, detail, blocking }) =>
      difference < leastGain.difference || ((detail ?? 1) < leastGain.detail && (blocking ?? 1) > leastGain.blocking),
  )
}

/**
 * The same treatment with the plain way in place of its dear steps: Lanczos for a learned enlargement, nothing for a learned clean-up, blended frames for
 * those along the motion.
 * @returns null when it has none of them
 */
export function plainWay(treatment: PictureTreatment): { treatment: PictureTreatment; over: string } | null {
  const over: string[] = []
  const steps = treatment.steps.flatMap((step): PictureTreatment['steps'] => {
    if (step.kind === 'rate' && step.between === 'motion') {
      over.push('blended frames')
      return [{ ...step, between: 'blend' }]
    }
    if (step.kind !== 'chosen') return [step]
    if (step.step.kind === 'learned') {
      over.push('Lanczos')
      return [{ kind: 'size', from: step.from, to: step.to, kernel: 'lanczos', why: step.why }]
    }
    if (step.step.kind === 'clean-up') {
      over.push('no clean-up')
      return []
    }
    return [step]
  })
  return over.length === 0 ? null : { treatment: { ...treatment, steps }, over: over.join(', ') }
}

export const TrialState = z.enum(['waiting', 'running', 'ready', 'failed'])
export type TrialState = z.infer<typeof TrialState>

/** A treatment and spec tried on some moments of a source. */
export const TrialRecord = z.object({
  id: z.int().positive(),
  orderId: z.int().positive(),
  lotId: z.int().positive().nullable(),
  sourceId: z.int().positive(),
  label: z.string(),
  steps: Steps,
  treatment: Treatment,
  spec: DeliverySpec,
  moments: z.array(Moment),
  /** One for each moment, null until it is done. */
  results: z.array(TrialMoment.nullable()),
  /** Moments of which a first picture is there, in order. */
  looks: z.int().min(0),
  state: TrialState,
  /** Why it failed, as a sentence. */
  reason: z.string().nullable(),
})
export type TrialRecord = z.infer<typeof TrialRecord>

/** Names of the parts whose times a trial tells apart, in working order. */
export function stepName(treatment: Treatment, key: number | 'decode' | 'other'): string {
  if (key === 'decode') return 'Decode'
  if (key === 'other') return 'Convert and other'
  return describeStep(treatment.steps[key]!)
}

/** Relative widening of what was seen on moments towards a whole source, whose machine will be busier or freer. */
const machinePart = 0.15

export interface TrialForecast {
  /** Null for sound alone. */
  secondsPerFrame: Range | null
  /** For the whole source: treating, encoding and the check. */
  seconds: Range
  bytes: Range
  /** Whether the check's time was measured and is in; it is not in trials of before that. */
  withCheck: boolean
}

/**
 * What a trial says of its whole source. The expected value is that of the typical moment, or the mean of all without one; moments are
 * chosen for being hard, so the range reaches from the cheapest to the dearest of them.
 * @returns null before any moment is done
 */
export function forecastTrial({
  moments,
  results,
  treatment,
}: Pick<TrialRecord, 'moments' | 'results' | 'treatment'>): TrialForecast | null {
  const done = results.flatMap((result, index) => (result ? [{ result, reason: moments[index]!.reason }] : []))
  if (done.length === 0) return null
  const rangeOf = (figure: (entry: (typeof done)[number]) => number, widen: number): Range => {
    const values = done.map(figure)
    const typical = done.filter(({ reason }) => reason === 'typical').map(figure)
    const expected =
      (typical.length > 0 ? typical : values).reduce((sum, value) => sum + value, 0) / (typical.length || values.length)
    return { expected, low: Math.min(...values) * (1 - widen), high: Math.max(...values) * (1 + widen) }
  }
  const times = (range: Range, factor: number): Range => ({
    expected: range.expected * factor,
    low: range.low * factor,
    high: range.high * factor,
  })
  const work = (result: TrialMoment) => result.seconds + (result.checkSeconds ?? 0)
  const withCheck = done.every(({ result }) => result.checkSeconds !== undefined)
  if (treatment.result === null) {
    const perSecond = (figure: (result: TrialMoment) => number, widen: number) =>
      times(
        rangeOf(({ result }) => figure(result) / result.soundSeconds!, widen),
        treatment.seconds,
      )
    return {
      secondsPerFrame: null,
      seconds: perSecond(work, machinePart),
      bytes: perSecond(result => result.bytes, 0.05),
      withCheck,
    }
  }
  const { frameCount, rate } = treatment.result
  const secondsPerFrame = rangeOf(({ result }) => work(result) / result.frames, machinePart)
  const bytesPerSecond = rangeOf(({ result }) => (result.bytes / result.frames) * toNumber(rate), 0.05)
  return {
    secondsPerFrame,
    seconds: times(secondsPerFrame, frameCount),
    bytes: times(bytesPerSecond, frameCount / toNumber(rate)),
    withCheck,
  }
}

/** The forecast of a lot of which the tried source is a part, by its share of the lot's length. */
export function forecastTrialForLot(
  forecast: TrialForecast,
  sourceSeconds: number,
  lotSeconds: number,
): Pick<TrialForecast, 'seconds' | 'bytes'> {
  const factor = lotSeconds / Math.max(0.001, sourceSeconds)
  const times = (range: Range): Range => ({
    expected: range.expected * factor,
    low: range.low * factor,
    high: range.high * factor,
  })
  return { seconds: times(forecast.seconds), bytes: times(forecast.bytes) }
}
