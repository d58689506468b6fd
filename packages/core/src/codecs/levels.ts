import type { FrameSize } from '../geometry.ts'
import { toNumber, type Rational } from '../rational.ts'
import { describeRate } from '../timing.ts'

/** Limits of a codec level, in the units that its standard counts in. */
export interface CodecLevel {
  level: string
  unitsPerFrame: number
  unitsPerSecond: number
  kilobitsPerSecond: number
  /** Units of decoded pictures that are kept to lean on, where that binds. */
  unitsKept?: number
}

/** Levels of a codec and how its standard counts. */
export interface CodecLevels {
  /** From the lowest on. */
  table: readonly CodecLevel[]
  unitsInFrame(size: FrameSize): number
  /** Longest sides that a level allows. */
  longestSides(level: CodecLevel): FrameSize
  /** Bits that a player of a level keeps ahead; left out where that is not known. */
  bufferBits?(level: CodecLevel): number
  /** Profiles whose rates the table has; left out, all: those that may have more are held to the table all the same. */
  ratesAreOf?: readonly string[]
  /** Level that a number in a stream states; null where streams of the codec state none. */
  statedAs: ((number: number) => string) | null
}

/** A square of a side: both sides are limited alike. */
export const sides = (side: number): FrameSize => ({ width: side, height: side })

/** A row of a standard's table. */
export function levelRow(row: readonly [string, number, number, number, number?]): CodecLevel {
  const [level, unitsPerFrame, unitsPerSecond, kilobitsPerSecond, unitsKept] = row
  return { level, unitsPerFrame, unitsPerSecond, kilobitsPerSecond, ...(unitsKept ? { unitsKept } : {}) }
}

/** Says why a level cannot carry a frame size at a rate, or null when it can. @param name of the codec */
export function levelProblem(
  { name, levels }: { name: string; levels: CodecLevels | null },
  level: string,
  size: FrameSize,
  rate: Rational,
): string | null {
  if (!levels) return `${name} has no levels.`
  const limits = levels.table.find(entry => entry.level === level)
  if (!limits) return `${name} has no level ${level} that Hematine knows.`
  const perFrame = levels.unitsInFrame(size)
  const longest = levels.longestSides(limits)
  const what = `${size.width}x${size.height}`
  if (perFrame > limits.unitsPerFrame || size.width > longest.width || size.height > longest.height)
    return `${name} level ${level} cannot carry ${what}: the frame is too large.`
  if (perFrame * toNumber(rate) > limits.unitsPerSecond)
    return `${name} level ${level} cannot carry ${what} at ${describeRate(rate)} fps: at most ${(limits.unitsPerSecond / perFrame).toFixed(1)}.`
  return null
}

/** The lowest level that carries a frame size at a rate, or null above the highest. */
export function lowestLevel(
  codec: { name: string; levels: CodecLevels | null },
  size: FrameSize,
  rate: Rational,
): string | null {
  return codec.levels?.table.find(entry => levelProblem(codec, entry.level, size, rate) === null)?.level ?? null
}

/** The rate and the buffer that a level allows a profile; null where neither is known. */
export function levelRates(
  levels: CodecLevels,
  { profile, level }: { profile: string | null; level: string | null },
): { peakBitsPerSecond: number; bufferBits: number } | null {
  const limits = levels.table.find(entry => entry.level === level)
  const isOther = levels.ratesAreOf && !(profile !== null && levels.ratesAreOf.includes(profile))
  if (!limits || !levels.bufferBits || isOther) return null
  return { peakBitsPerSecond: limits.kilobitsPerSecond * 1000, bufferBits: levels.bufferBits(limits) }
}
