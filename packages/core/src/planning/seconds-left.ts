import type { JobProgress } from '../job.ts'
import { normalQuantile, scaled, type Range } from '../range.ts'

/** Seconds in which a process begins and fills its encoder: until then its speed says little of the rest. */
const beginningSeconds = 10
/** How unlike what is left of a job may be to what was done of it, while nearly all is left; a standard deviation, as a logarithm. */
const unevenDeviation = 0.15
/** What is never known better. */
const leastDeviation = 0.02

/**
 * What is left of a running job: as its speed so far says, within a range that is wide in the beginning and becomes narrow; until that is surer than what was told
 * of it beforehand, what was told of it. Widths were taken from running jobs whose ends were known after (docs/measurements.md, "Running jobs").
 * @param told how long the whole takes as it is worked at now, by its forecast, in seconds
 * @returns seconds as it is worked at now; null while nothing is known
 */
export function secondsLeft({ part, secondsLeft: seen }: JobProgress, told: Range | null): Range | null {
  const left = 1 - part
  if (seen === null) return told && scaled(told, left)
  const elapsed = left > 0 ? (seen * part) / left : Number.POSITIVE_INFINITY
  const deviation = Math.hypot(beginningSeconds / elapsed, unevenDeviation * left, leastDeviation)
  if (told && told.expected > 0 && Math.log(told.high / told.expected) / normalQuantile < deviation)
    return scaled(told, left)
  const factor = Math.exp(normalQuantile * Math.min(1, deviation))
  return { expected: seen, low: seen / factor, high: seen * factor }
}
