import { z } from 'zod'

/** An exact fraction. `den` is positive; `num` may be zero. Used for rates, aspects and time bases. */
export const Rational = z.object({ num: z.int(), den: z.int().positive() })
export type Rational = z.infer<typeof Rational>

function greatestCommonDivisor(a: number, b: number): number {
  while (b !== 0) [a, b] = [b, a % b]
  return Math.abs(a)
}

/**
 * The fraction num/den in lowest terms with a positive denominator.
 * @throws RangeError when den is zero or a part is not an integer.
 */
export function rational(num: number, den = 1): Rational {
  if (!Number.isInteger(num) || !Number.isInteger(den))
    throw new RangeError(`A fraction needs whole numbers, not ${num}/${den}.`)
  if (den === 0) throw new RangeError('A fraction cannot have zero below the line.')
  const divisor = greatestCommonDivisor(num, den) || 1
  const sign = den < 0 ? -1 : 1
  // The "+ 0" turns a negative zero into zero.
  return { num: (sign * num) / divisor + 0, den: (sign * den) / divisor }
}

/** Product of two fractions, in lowest terms. */
export function multiply(a: Rational, b: Rational): Rational {
  return rational(a.num * b.num, a.den * b.den)
}

/** Quotient of two fractions, in lowest terms. */
export function divide(a: Rational, b: Rational): Rational {
  return rational(a.num * b.den, a.den * b.num)
}

/** The value as a number, for display and arithmetic that ends in a range. */
export function toNumber(value: Rational): number {
  return value.num / value.den
}

/** Negative, zero or positive as a is less than, equal to or greater than b. */
export function compare(a: Rational, b: Rational): number {
  return a.num * b.den - b.num * a.den
}

/** Whether two fractions have the same value. */
export function equal(a: Rational, b: Rational): boolean {
  return compare(a, b) === 0
}

/**
 * The fraction nearest to a value with a denominator of at most `maxDen` (continued fractions).
 * @throws RangeError when the value is not finite.
 */
export function nearestRational(value: number, maxDen = 1001): Rational {
  if (!Number.isFinite(value)) throw new RangeError(`Cannot write ${value} as a fraction.`)
  let [beforeNum, beforeDen, num, den] = [0, 1, 1, 0]
  let rest = value
  for (;;) {
    const whole = Math.floor(rest)
    const [nextNum, nextDen] = [whole * num + beforeNum, whole * den + beforeDen]
    if (nextDen > maxDen) break
    ;[beforeNum, beforeDen, num, den] = [num, den, nextNum, nextDen]
    if (Math.abs(rest - whole) < 1e-9) break
    rest = 1 / (rest - whole)
  }
  return rational(num, den)
}
