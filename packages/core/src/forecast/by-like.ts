import {
  leastSizePart,
  leastTimePart,
  underCap,
  type JobExtent,
  type JobForecast,
  type SampleMeasurement,
} from './forecast.ts'
import { rangeAround, studentQuantile, type Range } from '../range.ts'

/** How many sources of a group of like work are measured to stand for all of it. */
export const standIns = 3

/** A measured source of a group: what its own work is, and what was forecast of it from its own stretches. */
export interface KnownLike {
  extent: JobExtent
  measurement: Pick<SampleMeasurement, 'startSeconds' | 'onceSeconds'>
  forecast: JobForecast
}

/** What the measured sources of a group say of the others: rates for each unit of work, and how far they are from one another. */
export interface LikeRate {
  group: string
  /** How many were measured. */
  count: number
  /** What a job takes whatever its length. */
  startSeconds: number
  secondsPerUnit: number
  checkSecondsPerUnit: number
  bytesPerUnit: number
  time: LikeSpread
  size: LikeSpread
  /** Mean of those of which it was measured, each by its time. */
  busyCores?: number
}

/** Relative half-widths for nine times out of ten: of one job's forecast, and of the part that all of the group share. */
export interface LikeSpread {
  each: number
  shared: number
}

/** With one source measured, nothing is known of how far the others are from it. */
const loneTimePart = 0.65
const loneSizePart = { 'by quality': 0.75, 'by format': 0.13 }

/** Work in units that time and size grow with: millions of pixels of the result, or seconds of sound. */
export function unitsOf(extent: Pick<JobExtent, 'frames' | 'pixels' | 'durationSeconds'>): number {
  return extent.frames > 0 ? (extent.frames * extent.pixels) / 1e6 : extent.durationSeconds
}

/** What measured sources say of the rest of their group; null without any. */
export function likeRate(group: string, known: readonly KnownLike[]): LikeRate | null {
  const usable = known.filter(entry => unitsOf(entry.extent) > 0)
  if (usable.length === 0) return null
  const startSeconds = mean(usable.map(({ measurement }) => measurement.startSeconds + (measurement.onceSeconds ?? 0)))
  const rates = usable.map(({ extent, forecast }) => ({
    seconds: Math.max(0, forecast.seconds.expected - startSeconds) / unitsOf(extent),
    checkSeconds: forecast.checkSeconds / unitsOf(extent),
    bytes: forecast.bytes.expected / unitsOf(extent),
    timePart: relativeWidth(forecast.seconds),
    sizePart: relativeWidth(forecast.bytes),
  }))
  const { sizeIs } = usable[0]!.extent
  const busy = usable.filter(({ forecast }) => forecast.busyCores !== undefined && forecast.seconds.expected > 0)
  const busySeconds = busy.reduce((sum, { forecast }) => sum + forecast.seconds.expected, 0)
  const processorSeconds = busy.reduce((sum, { forecast }) => sum + forecast.busyCores! * forecast.seconds.expected, 0)
  return {
    group,
    count: usable.length,
    startSeconds,
    secondsPerUnit: mean(rates.map(rate => rate.seconds)),
    checkSecondsPerUnit: mean(rates.map(rate => rate.checkSeconds)),
    bytesPerUnit: mean(rates.map(rate => rate.bytes)),
    time: spreadOf(
      rates.map(rate => rate.seconds),
      rates.map(rate => rate.timePart),
      leastTimePart,
      loneTimePart,
    ),
    size: spreadOf(
      rates.map(rate => rate.bytes),
      rates.map(rate => rate.sizePart),
      leastSizePart[sizeIs],
      loneSizePart[sizeIs],
    ),
    ...(busySeconds > 0 ? { busyCores: processorSeconds / busySeconds } : {}),
  }
}

/** The forecast of a job whose source was not measured, from those of its group that were. */
export function forecastByLike(rate: LikeRate, extent: JobExtent): JobForecast {
  const units = unitsOf(extent)
  return {
    seconds: rangeAround(rate.startSeconds + rate.secondsPerUnit * units, rate.time.each),
    bytes: underCap(rangeAround(rate.bytesPerUnit * units, rate.size.each), extent.capBytes),
    checkSeconds: rate.checkSecondsPerUnit * units,
    quality: null,
    ...(rate.busyCores === undefined ? {} : { busyCores: rate.busyCores }),
    carried: { from: rate.count, group: rate.group, timePart: rate.time.shared, sizePart: rate.size.shared },
    measuredFrom: `not this source: ${rate.count === 1 ? 'one' : rate.count} of its lot ${rate.count === 1 ? 'was' : 'were'} measured with the same spec and treatment, and ${rate.count === 1 ? 'stands' : 'stand'} for the rest`,
  }
}

/**
 * Prediction interval of one more value of a normal sample whose variance is estimated, and confidence interval of its mean, both relative
 * to the mean; each measured value's own width is added in quadrature.
 */
export function spreadOf(
  values: readonly number[],
  ownParts: readonly number[],
  least: number,
  lone: number,
): LikeSpread {
  const middle = mean(values)
  const own = Math.max(least, mean(ownParts))
  const count = values.length
  if (count === 1 || middle === 0) return { each: Math.max(own, lone), shared: Math.max(own, lone) * 0.8 }
  const variance = values.reduce((sum, value) => sum + (value - middle) ** 2, 0) / (count - 1)
  const deviation = (studentQuantile(count - 1) * Math.sqrt(variance)) / middle
  return {
    each: Math.hypot(deviation * Math.sqrt(1 + 1 / count), own),
    shared: Math.hypot(deviation / Math.sqrt(count), own / Math.sqrt(count)),
  }
}

function relativeWidth({ expected, high }: Range): number {
  return expected > 0 ? (high - expected) / expected : 0
}

function mean(values: readonly number[]): number {
  return values.reduce((sum, value) => sum + value, 0) / values.length
}

/**
 * Which of a group to measure so that they stand for it: spread over the lengths of the work, the middle one first.
 * @returns indexes into the units, at most `most`
 */
export function chooseStandIns(units: readonly number[], most: number): number[] {
  const order = units.map((_, index) => index).sort((a, b) => units[a]! - units[b]! || a - b)
  if (order.length <= most) return order
  const places = Array.from({ length: most }, (_, index) => Math.floor(((index + 0.5) * order.length) / most))
  const middle = (order.length - 1) / 2
  return places.sort((a, b) => Math.abs(a - middle) - Math.abs(b - middle)).map(place => order[place]!)
}
