import { z } from 'zod'

/** An estimate: the expected value and the limits between which the truth falls nine times out of ten. */
export const Range = z.object({ expected: z.number(), low: z.number(), high: z.number() })
export type Range = z.infer<typeof Range>

/** Two-sided 90 % quantiles of Student's t for 1, 2, 3 ... degrees of freedom. */
const studentT = [6.314, 2.92, 2.353, 2.132, 2.015, 1.943, 1.895, 1.86, 1.833, 1.812]
/** The normal distribution's quantile for the same interval: half the width of a range that holds nine of ten, in standard deviations. */
export const normalQuantile = 1.644854

/**
 * Quantile of Student's t for a 90 % two-sided interval, at any whole number of degrees of freedom: tabled up to ten, beyond them by
 * the expansion around the normal's quantile (Abramowitz and Stegun, 26.7.5), which is right to four digits there. Infinite below one.
 */
export function studentQuantile(degreesOfFreedom: number): number {
  if (degreesOfFreedom < 1) return Number.POSITIVE_INFINITY
  const tabled = studentT[degreesOfFreedom - 1]
  if (tabled !== undefined) return tabled
  const [z, n] = [normalQuantile, degreesOfFreedom]
  return (
    z +
    (z ** 3 + z) / (4 * n) +
    (5 * z ** 5 + 16 * z ** 3 + 3 * z) / (96 * n ** 2) +
    (3 * z ** 7 + 19 * z ** 5 + 17 * z ** 3 - 15 * z) / (384 * n ** 3)
  )
}

/** Mean and the standard error of the mean; the error is null with fewer than two values. */
export function meanWithError(values: readonly number[]): { mean: number; error: number | null } {
  const mean = values.reduce((sum, value) => sum + value, 0) / values.length
  if (values.length < 2) return { mean, error: null }
  const variance = values.reduce((sum, value) => sum + (value - mean) ** 2, 0) / (values.length - 1)
  return { mean, error: Math.sqrt(variance / values.length) }
}

/**
 * A range of relative half-width `part` around an expected value. As a factor it goes down no more than twice as far as up: what may be double may be a quarter,
 * and is never nothing.
 */
export function rangeAround(expected: number, part: number): Range {
  return between(expected * (1 - part), expected, expected * (1 + part))
}

/** A range whose lower end was found as a difference, which may be too low. */
function between(low: number, expected: number, high: number): Range {
  return { expected, low: expected > 0 ? Math.max(low, expected / (high / expected) ** 2) : Math.max(0, low), high }
}

/** A range so many times as large. */
export function scaled({ expected, low, high }: Range, factor: number): Range {
  return { expected: expected * factor, low: low * factor, high: high * factor }
}

/** An error that several estimates have in common, relative to each: what was measured of one stands for all of a group. */
export interface SharedError {
  group: string
  part: number
}

/**
 * A sum of estimates that grows one by one and can be read at any time. Errors of one estimate alone add in quadrature; those that a group
 * shares add in proportion within the group, and in quadrature between groups; so do those that all have in common. A sum of one is as sure as that one.
 */
export class RangeSum {
  private expected = 0
  private lowSquares = 0
  private highSquares = 0
  private sharedSquares = 0
  private lowCommon = 0
  private highCommon = 0
  private readonly shared = new Map<string, { sum: number }>()

  /** @param commonPart relative error that all estimates have in common; of those that are surer than that, as much as they have */
  constructor(private readonly commonPart = 0) {}

  /** Adds an estimate; its half-widths hold what it shares as well. */
  add(range: Range, shared: SharedError | null = null): void {
    this.expected += range.expected
    const common = shared ? shared.part * range.expected : 0
    const [below, above] = [range.expected - range.low, range.high - range.expected]
    const belowOfAll = Math.min(below, this.commonPart * range.expected)
    const aboveOfAll = Math.min(above, this.commonPart * range.expected)
    this.lowCommon += belowOfAll
    this.highCommon += aboveOfAll
    this.lowSquares += Math.max(0, below ** 2 - common ** 2 - belowOfAll ** 2)
    this.highSquares += Math.max(0, above ** 2 - common ** 2 - aboveOfAll ** 2)
    if (!shared) return
    let group = this.shared.get(shared.group)
    if (!group) this.shared.set(shared.group, (group = { sum: 0 }))
    this.sharedSquares += common * (2 * group.sum + common)
    group.sum += common
  }

  /** The sum as it is with one estimate more, which is not added to it. */
  rangeWith(range: Range, shared: SharedError | null): Range {
    const sum = new RangeSum(this.commonPart)
    sum.expected = this.expected
    sum.lowSquares = this.lowSquares
    sum.highSquares = this.highSquares
    sum.sharedSquares = this.sharedSquares
    sum.lowCommon = this.lowCommon
    sum.highCommon = this.highCommon
    if (shared) sum.shared.set(shared.group, { sum: this.shared.get(shared.group)?.sum ?? 0 })
    sum.add(range, shared)
    return sum.range()
  }

  /** How much is expected so far. */
  get total(): number {
    return this.expected
  }

  /** The sum as a range; it goes down no further than `rangeAround` does. */
  range(): Range {
    return between(
      this.expected - Math.sqrt(this.lowSquares + this.sharedSquares + this.lowCommon ** 2),
      this.expected,
      this.expected + Math.sqrt(this.highSquares + this.sharedSquares + this.highCommon ** 2),
    )
  }
}
