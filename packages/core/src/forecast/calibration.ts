import { middle } from '../findings/finding.ts'
import type { Range } from '../range.ts'
import type { JobForecast } from './forecast.ts'
import { basisOf } from './kind-of-work.ts'

/** Results of a kind that ranges are worked out from: at least, and at most, the newest. */
export const leastOutcomes = 20
export const mostOutcomes = 200
/** Results that may lie outside a range, half of them to either side. */
const outside = 0.1
/** Half-widths are not taken for smaller than this, as logarithms: what is copied byte by byte has next to none. */
const leastHalfWidth = 0.005

/** How far results are from what was forecast of them, in half-widths of those forecasts (see `forecastError`). */
export interface ErrorShape {
  low: number
  middle: number
  high: number
}

/** What finished work of a kind says of the forecasts of its kind. */
export interface Calibration {
  /** Results that it was made of. */
  count: number
  seconds: ErrorShape
  bytes: ErrorShape
}

/** By kind of work, and by the basis alone for kinds that have too few results of their own. */
export type Calibrations = ReadonlyMap<string, Calibration>

const halfWidth = ({ expected, high }: Range) => Math.max(leastHalfWidth, Math.log(high / expected))

/**
 * By how many of its half-widths a result was above what was forecast, both as logarithms: twice as long and half as long are equally far off.
 * @returns null where there is nothing to compare
 */
export function forecastError(forecast: Range, took: number): number | null {
  if (!(forecast.expected > 0) || !(took > 0) || !Number.isFinite(forecast.high)) return null
  return Math.log(took / forecast.expected) / halfWidth(forecast)
}

/**
 * The range of errors that the next result of the kind lies in nine times out of ten, whatever their distribution, as long as it comes from the same one:
 * split conformal prediction with errors in units of each forecast's own width (Lei and others, Distribution-Free Predictive Inference for Regression, 2018),
 * a twentieth to either side. Of n errors the limits are those of rank floor(0.05 (n + 1)) and ceil(0.95 (n + 1)); the middle is their median.
 * @returns null with fewer than `leastOutcomes`, whose ranks would lie outside
 */
export function errorShape(errors: readonly number[]): ErrorShape | null {
  const count = errors.length
  if (count < leastOutcomes) return null
  const sorted = [...errors].sort((a, b) => a - b)
  const ranked = (rank: number) => sorted[rank - 1]!
  return {
    low: ranked(Math.floor((outside / 2) * (count + 1))),
    middle: middle(errors),
    high: ranked(Math.ceil((1 - outside / 2) * (count + 1))),
  }
}

/** What finished work of a kind says; null while there is too little of it. */
export function calibrationOf(
  outcomes: readonly { seconds: { raw: Range; took: number }; bytes: { raw: Range; took: number } }[],
): Calibration | null {
  const newest = outcomes.slice(-mostOutcomes)
  const shapeOf = (key: 'seconds' | 'bytes') =>
    errorShape(newest.flatMap(outcome => forecastError(outcome[key].raw, outcome[key].took) ?? []))
  const [seconds, bytes] = [shapeOf('seconds'), shapeOf('bytes')]
  return seconds && bytes ? { count: newest.length, seconds, bytes } : null
}

/** A range as results of its kind say that it is. */
export function calibratedRange(range: Range, shape: ErrorShape): Range {
  if (!(range.expected > 0)) return range
  const width = halfWidth(range)
  const at = (error: number) => range.expected * Math.exp(error * width)
  return { expected: at(shape.middle), low: at(shape.low), high: at(shape.high) }
}

/** What is known of the forecasts of a kind: from its own results, else from all of its basis; null where there are too few of both. */
export function calibrationFor(kind: string, calibrations: Calibrations): Calibration | null {
  return calibrations.get(kind) ?? calibrations.get(basisOf(kind)) ?? null
}

const relativeWidth = ({ expected, high }: Range) => (expected > 0 ? (high - expected) / expected : 0)

/** A forecast with its ranges as finished work of its kind says that they are; as it is while there is too little of that. */
export function calibrated(forecast: JobForecast, calibration: Calibration | null): JobForecast {
  if (!calibration) return forecast
  const seconds = calibratedRange(forecast.seconds, calibration.seconds)
  const bytes = calibratedRange(forecast.bytes, calibration.bytes)
  const scaled = (part: number, before: Range, now: Range) =>
    relativeWidth(before) > 0 ? (part * relativeWidth(now)) / relativeWidth(before) : part
  return {
    ...forecast,
    seconds,
    bytes,
    checkSeconds:
      forecast.seconds.expected > 0 ? (forecast.checkSeconds * seconds.expected) / forecast.seconds.expected : 0,
    carried: forecast.carried && {
      ...forecast.carried,
      timePart: scaled(forecast.carried.timePart, forecast.seconds, seconds),
      sizePart: scaled(forecast.carried.sizePart, forecast.bytes, bytes),
    },
    heldAgainst: calibration.count,
  }
}
