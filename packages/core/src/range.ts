import { z } from 'zod'

/** An estimate: the expected value and the limits between which the truth falls four times out of five. */
export const Range = z.object({ expected: z.number(), low: z.number(), high: z.number() })
export type Range = z.infer<typeof Range>

/** Two-sided 80 % quantiles of Student's t for 1, 2, 3 ... degrees of freedom. */
const studentT = [3.078, 1.886, 1.638, 1.533, 1.476, 1.44, 1.415, 1.397, 1.383, 1.372]

/** Quantile of Student's t for an 80 % two-sided interval; 1.282, the normal's, beyond the table. */
export function studentQuantile(degreesOfFreedom: number): number {
  return studentT[degreesOfFreedom - 1] ?? (degreesOfFreedom < 1 ? Number.POSITIVE_INFINITY : 1.282)
}

/** Mean and the standard error of the mean; the error is null with fewer than two values. */
export function meanWithError(values: readonly number[]): { mean: number; error: number | null } {
  const mean = values.reduce((sum, value) => sum + value, 0) / values.length
  if (values.length < 2) return { mean, error: null }
  const variance = values.reduce((sum, value) => sum + (value - mean) ** 2, 0) / (values.length - 1)
  return { mean, error: Math.sqrt(variance / values.length) }
}

/** A range of relative half-width `part` around an expected value, never below zero. */
export function rangeAround(expected: number, part: number): Range {
  return { expected, low: Math.max(0, expected * (1 - part)), high: expected * (1 + part) }
}

/**
 * Sum of estimates whose errors are independent but for a shared relative error (a machine that is slow is slow for all):
 * independent half-widths add in quadrature, the shared one in proportion.
 */
export function sumRanges(ranges: readonly Range[], sharedPart = 0): Range {
  const expected = ranges.reduce((sum, range) => sum + range.expected, 0)
  const below = Math.hypot(...ranges.map(range => range.expected - range.low)) + expected * sharedPart
  const above = Math.hypot(...ranges.map(range => range.high - range.expected)) + expected * sharedPart
  return { expected, low: Math.max(0, expected - below), high: expected + above }
}

/** Sum of two estimates whose errors are independent; unlike `sumRanges`, its lower limit may lie below zero, so that sums of sums are right. */
export function addRanges(a: Range, b: Range): Range {
  const expected = a.expected + b.expected
  return {
    expected,
    low: expected - Math.hypot(a.expected - a.low, b.expected - b.low),
    high: expected + Math.hypot(a.high - a.expected, b.high - b.expected),
  }
}
