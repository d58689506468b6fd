import { equal, rational, toNumber, type Rational } from './rational.ts'

/** The frame rates of the trade, exactly. */
export const standardRates: readonly Rational[] = [
  [8, 1],
  [10, 1],
  [12, 1],
  [25, 2],
  [15000, 1001],
  [15, 1],
  [16, 1],
  [18, 1],
  [20, 1],
  [24000, 1001],
  [24, 1],
  [25, 1],
  [30000, 1001],
  [30, 1],
  [48, 1],
  [50, 1],
  [60000, 1001],
  [60, 1],
  [100, 1],
  [120000, 1001],
  [120, 1],
].map(([num, den]) => rational(num!, den!))

/** The standard rate within 0.02 % of a measured one, or the measured one itself. 0.02 % keeps 24 and 24000/1001 (0.1 % apart) distinct. */
export function snapRate(measured: Rational): Rational {
  const value = toNumber(measured)
  return standardRates.find(rate => Math.abs(toNumber(rate) / value - 1) < 2e-4) ?? measured
}

/** Number of frames of a constant rate in a length, to the nearest frame. */
export function framesIn(seconds: number, rate: Rational): number {
  return Math.round((seconds * rate.num) / rate.den)
}

/** Start of frame `index` in seconds. */
export function frameTime(index: number, rate: Rational): number {
  return (index * rate.den) / rate.num
}

/** "25", "29.97", "23.976": a rate as the trade writes it, without its unit. */
export function describeRate(rate: Rational): string {
  const value = toNumber(rate)
  if (rate.den === 1) return String(rate.num)
  const digits = equal(rate, rational(24000, 1001)) ? 3 : 2
  return value.toFixed(digits).replace(/0+$/, '').replace(/\.$/, '')
}

/**
 * Timecode of a frame, HH:MM:SS:FF, counting at the rounded rate. With `dropFrame` (29.97 and 59.94 only) two (four) numbers
 * are skipped at each minute but every tenth, and the last colon is a semicolon (SMPTE ST 12-1).
 * @throws RangeError when drop-frame is asked of a rate that has none, or the index is negative.
 */
export function timecode(index: number, rate: Rational, dropFrame = false): string {
  if (index < 0) throw new RangeError(`Frame ${index} has no timecode.`)
  const base = Math.round(toNumber(rate))
  let number = index
  if (dropFrame) {
    if (rate.den !== 1001 || base % 30 !== 0)
      throw new RangeError(`Drop-frame timecode does not exist at ${describeRate(rate)} fps.`)
    const dropped = base / 15
    const perMinute = base * 60 - dropped
    const perTenMinutes = base * 600 - dropped * 9
    const tens = Math.floor(number / perTenMinutes)
    const rest = number % perTenMinutes
    number += dropped * 9 * tens + (rest >= base * 60 ? dropped * (1 + Math.floor((rest - base * 60) / perMinute)) : 0)
  }
  const two = (value: number) => String(value).padStart(2, '0')
  const seconds = Math.floor(number / base)
  return `${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}${dropFrame ? ';' : ':'}${two(number % base)}`
}
