import type { Range } from './range.ts'

const sizeUnits = ['bytes', 'kB', 'MB', 'GB', 'TB'] as const

/** Bytes in decimal units with three significant figures at most: "28.9 GB". */
export function describeBytes(bytes: number): string {
  let [value, unit] = [bytes, 0]
  while (value >= 999.5 && unit < sizeUnits.length - 1) {
    value /= 1000
    unit++
  }
  return `${unit === 0 ? Math.round(value) : value >= 99.5 ? Math.round(value) : value.toFixed(1)} ${sizeUnits[unit]}`
}

/** Seconds from which on nobody counts minutes. */
const manyHours = 360_000

/** A length of work or material: "8 s", "4 min 10 s", "5 h 40 min", "212 h". */
export function describeDuration(seconds: number): string {
  if (seconds < 9.95) return `${seconds.toFixed(1)} s`
  const whole = Math.round(seconds)
  if (whole < 60) return `${whole} s`
  if (whole < 3600) return `${Math.floor(whole / 60)} min ${String(whole % 60).padStart(2, '0')} s`
  if (whole >= manyHours) return `${Math.round(whole / 3600)} h`
  const minutes = Math.round(whole / 60)
  return `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, '0')} min`
}

/** Length of material as a clock: "2:14:08", "0:20.5" below a minute keeps tenths. */
export function describeClock(seconds: number): string {
  if (seconds < 59.95) return `0:${seconds.toFixed(1).padStart(4, '0')}`
  const whole = Math.round(seconds)
  const two = (value: number) => String(value).padStart(2, '0')
  return whole < 3600
    ? `${Math.floor(whole / 60)}:${two(whole % 60)}`
    : `${Math.floor(whole / 3600)}:${two(Math.floor(whole / 60) % 60)}:${two(whole % 60)}`
}

/**
 * A range of lengths in the coarsest unit that still tells its ends apart: "6.4-9.0 s", "19-24 s", "74-111 s", "4-13 min", "5 h 40 - 6 h 30 min",
 * "212-900 h", "up to 36 min".
 * Whole units are rounded outwards, so that the range never claims more than it knows.
 */
export function describeDurationRange({ low, high }: Range): string {
  const [first, last] = [describeDuration(low), describeDuration(high)]
  if (first === last) return first
  // Where next to nothing is known, only the far end says something.
  const isOpen = low < high / mostOfOpen
  if (isOpen && high >= 9.95) return `up to ${high < 59.5 ? `${Math.ceil(high)} s` : inMinutes(high)}`
  if (high < 9.95) return `${low.toFixed(1)}-${high.toFixed(1)} s`
  if (high < 59.5 || (low < 120 && high < 300)) return `${Math.floor(low)}-${Math.ceil(high)} s`
  if (low >= 60 && high < 7200) return `${Math.floor(low / 60)}-${Math.ceil(high / 60)} min`
  if (low >= manyHours) return `${Math.floor(low / 3600)}-${Math.ceil(high / 3600)} h`
  return low >= 3600 ? `${first.replace(/ min$/, '')} - ${last}` : `${first} - ${inMinutes(high)}`
}

/** A range that begins below this part of its end says no more than that end. */
const mostOfOpen = 20
/** A minute or longer in whole minutes, rounded up. */
const inMinutes = (seconds: number) => (seconds < 7200 ? `${Math.ceil(seconds / 60)} min` : describeDuration(seconds))

/** A range of sizes: "41 GB (38-45)", "7.6 MB (3.9-11.4)"; all three in the expected value's unit. */
export function describeBytesRange({ expected, low, high }: Range): string {
  const unit = sizeUnits.indexOf(describeBytes(expected).split(' ')[1] as (typeof sizeUnits)[number])
  const digits = unit === 0 || expected / 1000 ** unit >= 9.95 ? 0 : 1
  const inUnit = (bytes: number) => (bytes / 1000 ** unit).toFixed(digits)
  return `${inUnit(expected)} ${sizeUnits[unit]} (${inUnit(low)}-${inUnit(high)})`
}

/** Bits a second: "4.2 Mbit/s". */
export function describeBitRate(bitsPerSecond: number): string {
  return bitsPerSecond >= 1e6
    ? `${(bitsPerSecond / 1e6).toFixed(1)} Mbit/s`
    : `${Math.round(bitsPerSecond / 1000)} kbit/s`
}

const whole = new Intl.NumberFormat('en', { maximumFractionDigits: 0 })

/** A count with its thousands set apart: "12,480". */
export function describeCount(count: number): string {
  return whole.format(count)
}

/** How often, in words: "once", "twice", "3 times". */
export function describeTimes(count: number): string {
  return count === 1 ? 'once' : count === 2 ? 'twice' : `${describeCount(count)} times`
}

/** A count where there is room for three signs: "999", "4k", "12k", "1M". Rounded down, so that it never says more than there is. */
export function describeCountShort(count: number): string {
  if (count < 1000) return String(count)
  return count < 1_000_000 ? `${Math.floor(count / 1000)}k` : `${Math.floor(count / 1_000_000)}M`
}
