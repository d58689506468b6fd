import { describeCount, describeDurationRange, type WorkTotals } from '@hematine/core'

/** How much of a sum is known how well, as words beside it; null when all of it was measured. */
export function knownWords({ jobs, measured, byLike, unknown, measuredSeconds }: WorkTotals): string | null {
  if (measured === jobs) return null
  const known =
    measured === 0
      ? `none of ${describeCount(jobs)} measured yet`
      : `${describeCount(measured)} of ${describeCount(jobs)} measured: ${describeDurationRange(measuredSeconds)}`
  if (byLike === 0) return known
  return unknown === 0
    ? `${known}; the rest by their like`
    : `${known}; ${describeCount(byLike)} by their like, ${describeCount(unknown)} not known`
}
