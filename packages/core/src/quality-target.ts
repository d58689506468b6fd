import type { QualityScale } from './codecs/picture-codec.ts'

/** A whole result's XPSNR may be off its target by so much, in dB. */
export const targetTolerance = 0.5
/** Results, or sets of stretches, that are made at most. */
const mostAttempts = 7
/** What a step of one on a codec's scale is worth in dB, before two results show it. */
const usualSlope = 0.5

/** A quality on a codec's scale and what it came to. */
export interface QualityAttempt {
  value: number
  /** In dB; infinite where every frame is identical. */
  xpsnr: number
}

export type QualityStep = { kind: 'keep'; attempt: QualityAttempt } | { kind: 'try'; value: number }

/**
 * What follows from the results made so far: one within the tolerance is kept; otherwise another value of the scale is tried, between those
 * that are too good and too bad where there are both. Where none comes nearer, the nearest that is good enough is kept, else the best.
 * @param target in dB
 * @param tolerance in dB: less than that of a result while only stretches are tried
 */
export function nextQualityStep(
  target: number,
  scale: QualityScale,
  attempts: readonly QualityAttempt[],
  tolerance = targetTolerance,
): QualityStep {
  const last = attempts.at(-1)
  if (!last) throw new RangeError('The first value is not decided by attempts.')
  const off = ({ xpsnr }: QualityAttempt) => Math.abs(xpsnr - target)
  const nearest = attempts.reduce((best, attempt) => (off(attempt) < off(best) ? attempt : best))
  if (off(nearest) <= tolerance) return { kind: 'keep', attempt: nearest }
  const [good, bad] = [leastGood(target, attempts), mostBad(target, attempts)]
  const kept = { kind: 'keep', attempt: keptQuality(target, attempts) } as const
  if (attempts.length >= mostAttempts) return kept
  const value = onScale(scale, between(target, good, bad, attempts))
  return attempts.some(attempt => attempt.value === value) ? kept : { kind: 'try', value }
}

/** Which of the results made so far would be kept if no other came: the coarsest that is good enough, else the best. */
export function keptQuality(target: number, attempts: readonly QualityAttempt[]): QualityAttempt {
  return (leastGood(target, attempts) ?? mostBad(target, attempts))!
}

// On the scale, more is worse.
const leastGood = (target: number, attempts: readonly QualityAttempt[]) =>
  attempts
    .filter(attempt => attempt.xpsnr >= target)
    .reduce<QualityAttempt | null>((most, attempt) => (most && most.value >= attempt.value ? most : attempt), null)
const mostBad = (target: number, attempts: readonly QualityAttempt[]) =>
  attempts
    .filter(attempt => attempt.xpsnr < target)
    .reduce<QualityAttempt | null>((least, attempt) => (least && least.value <= attempt.value ? least : attempt), null)

/** Where on the scale the target should be, as far as the results on either side of it tell. */
function between(
  target: number,
  good: QualityAttempt | null,
  bad: QualityAttempt | null,
  attempts: readonly QualityAttempt[],
): number {
  if (good && bad) {
    const span = good.xpsnr - bad.xpsnr
    const part = Number.isFinite(span) && span > 0 ? (good.xpsnr - target) / span : 0.5
    return good.value + part * (bad.value - good.value)
  }
  const from = (good ?? bad)!
  const slope = slopeOf(attempts)
  // Identical frames are infinitely good: half a dozen steps are taken at a time.
  const missing = Number.isFinite(from.xpsnr) ? from.xpsnr - target : 6 * slope
  return from.value + missing / slope
}

/** What a step on the scale was worth between the last two results, within reason. */
function slopeOf(attempts: readonly QualityAttempt[]): number {
  const [before, last] = attempts.slice(-2)
  if (!before || !last || before.value === last.value) return usualSlope
  const slope = (before.xpsnr - last.xpsnr) / (last.value - before.value)
  return Number.isFinite(slope) ? Math.min(1.5, Math.max(0.15, slope)) : usualSlope
}

function onScale({ best, worst, step }: QualityScale, value: number): number {
  return Math.min(worst, Math.max(best, Math.round(value / step) * step))
}

/** XPSNR of several stretches together: the mean is of errors, weighted by frames, and not of decibels. Infinite where all are identical. */
export function togetherXpsnr(stretches: readonly { frames: number; xpsnr: number }[]): number {
  const frames = stretches.reduce((sum, stretch) => sum + stretch.frames, 0)
  const error = stretches.reduce((sum, stretch) => sum + stretch.frames * 10 ** (-stretch.xpsnr / 10), 0) / frames
  return error > 0 ? -10 * Math.log10(error) : Number.POSITIVE_INFINITY
}
