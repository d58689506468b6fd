import { z } from 'zod'
import { spreadOf } from './forecast/by-like.ts'
import { meanWithError, Range, rangeAround, RangeSum, studentQuantile } from './range.ts'
import type { CurvePoint } from './rate-curve.ts'

/**
 * What a lot comes to when all of its items are equally like their treated sources. Under a cap for the whole lot this is the choice whose worst item is as good
 * as can be: bytes that one item has beyond the common level are bytes that the worst one lacks.
 */

/** An item of a lot: its curve, where one was measured, and the work that its size grows with. */
export interface LotItem {
  name: string
  units: number
  /** Best first; empty where none was measured. */
  points: readonly CurvePoint[]
  /** What it weighs at one likeness, where its own stretches were measured for a forecast. */
  forecast?: { xpsnr: number; bytes: Range } | null
}

const ItemSize = z.object({ name: z.string(), bytes: z.number() })

/** All items of a lot at one likeness. */
export const LotLevel = z.object({
  /** Of every item, in dB. */
  xpsnr: z.number(),
  /** Sum of all results. */
  bytes: Range,
  /** Of the items that were measured themselves. */
  smallest: ItemSize,
  largest: ItemSize,
})
export type LotLevel = z.infer<typeof LotLevel>

/** Levels that are told, in dB, and how far they lie apart: what a spec can hold as a measured quality. */
const levels = { least: 25, most: 60, step: 0.5 }
/** By how much a result may miss a measured quality, in dB; see the quality target of specs. */
const missed = 0.5
/** With one item measured, nothing is known of how far the others are from it. */
const loneSpread = 0.75
/** Sizes by quality are known no better than this. */
const leastSpread = 0.05

/** Sizes by likeness, coarsest first, each better than the one before. */
type Rising = readonly { xpsnr: number; bytes: Range }[]

/** The points of a curve that differ from their source at all. */
function rising(points: readonly CurvePoint[]): Rising {
  const known: { xpsnr: number; bytes: Range }[] = []
  for (const { xpsnr, bytes } of [...points].reverse())
    if (xpsnr !== null && xpsnr > (known.at(-1)?.xpsnr ?? Number.NEGATIVE_INFINITY)) known.push({ xpsnr, bytes })
  return known
}

function sizeOn(known: Rising, xpsnr: number): Range {
  const after = known.findIndex(point => point.xpsnr >= xpsnr)
  if (after === 0) return known[0]!.bytes
  if (after < 0) return known.at(-1)!.bytes
  const [a, b] = [known[after - 1]!, known[after]!]
  const part = (xpsnr - a.xpsnr) / (b.xpsnr - a.xpsnr)
  const mixed = (key: keyof Range) => a.bytes[key] * (b.bytes[key] / Math.max(1, a.bytes[key])) ** part
  return { expected: mixed('expected'), low: mixed('low'), high: mixed('high') }
}

/**
 * The size of an item at a likeness, between its measured points: as many decibels more take about the same factor of bytes. Below its coarsest point it is
 * that of the coarsest, which is too much rather than too little.
 */
export function sizeAtLikeness(points: readonly CurvePoint[], xpsnr: number): Range {
  return sizeOn(rising(points), xpsnr)
}

/** A size at a quality that is found by measuring, and may be missed a little. */
function targetedSize(known: Rising, xpsnr: number): Range {
  const { expected, low, high } = sizeOn(known, xpsnr)
  const [less, more] = [-missed, missed].map(by => sizeOn(known, xpsnr + by).expected)
  return {
    expected,
    low: Math.max(0, expected - Math.hypot(expected - low, expected - less!)),
    high: expected + Math.hypot(high - expected, more! - expected),
  }
}

/** How much of it a curve has at a likeness, as a logarithm. */
const logSize = (known: Rising, xpsnr: number) => Math.log(Math.max(1, sizeOn(known, xpsnr).expected))

/**
 * A size at another likeness than the one it is known at: it changes by the factor that the curves of others change by. How far these are from each other tells
 * how sure that is; of a single one, half of the change is taken to be open.
 * @param factors of the others, as logarithms
 */
function carriedSize({ expected, low, high }: Range, factors: readonly number[]): Range {
  const { mean, error } = meanWithError(factors)
  const count = factors.length
  const open =
    error === null
      ? Math.abs(mean) / 2
      : studentQuantile(count - 1) * error * Math.sqrt(count) * Math.sqrt(1 + 1 / count)
  const carried = expected * Math.exp(mean)
  return {
    expected: carried,
    low: Math.max(0, carried * (1 - Math.hypot((expected - low) / expected, 1 - Math.exp(-open)))),
    high: carried * (1 + Math.hypot((high - expected) / expected, Math.exp(open) - 1)),
  }
}

/** The items of a lot by what is known of them, with what does not change from level to level. */
interface Sorted {
  measured: { name: string; units: number; known: Rising }[]
  /** `logs`: what each measured curve has at the likeness of the forecast. */
  forecast: { name: string; units: number; bytes: Range; logs: number[] }[]
  otherUnits: number[]
}

function sorted(items: readonly LotItem[]): Sorted {
  const there = items.filter(item => item.units > 0).map(item => ({ ...item, known: rising(item.points) }))
  // Two points at least tell a size for a likeness.
  const measured = there.filter(({ known }) => known.length >= 2)
  const rest = there.filter(({ known }) => known.length < 2)
  return {
    measured,
    forecast: rest.flatMap(({ name, units, forecast }) =>
      forecast
        ? [{ name, units, bytes: forecast.bytes, logs: measured.map(({ known }) => logSize(known, forecast.xpsnr)) }]
        : [],
    ),
    otherUnits: rest.filter(({ forecast }) => !forecast).map(({ units }) => units),
  }
}

function levelOf({ measured, forecast, otherUnits }: Sorted, xpsnr: number): LotLevel {
  const logs = measured.map(({ known }) => logSize(known, xpsnr))
  const sizes = [
    ...measured.map(({ known, ...item }) => ({ ...item, bytes: targetedSize(known, xpsnr) })),
    ...forecast.map(({ logs: from, ...item }) => ({
      ...item,
      bytes: carriedSize(
        item.bytes,
        logs.map((log, index) => log - from[index]!),
      ),
    })),
  ]
  const sum = new RangeSum()
  for (const { bytes } of sizes) sum.add(bytes)
  if (otherUnits.length > 0) {
    const rates = sizes.map(({ bytes, units }) => bytes.expected / units)
    const widths = sizes.map(({ bytes }) => (bytes.high - bytes.expected) / bytes.expected)
    const { each, shared } = spreadOf(rates, widths, leastSpread, loneSpread)
    const perUnit = rates.reduce((all, rate) => all + rate, 0) / rates.length
    for (const units of otherUnits) sum.add(rangeAround(perUnit * units, each), { group: 'lot', part: shared })
  }
  const bySize = sizes.map(({ name, bytes }) => ({ name, bytes: bytes.expected })).sort((a, b) => a.bytes - b.bytes)
  return { xpsnr, bytes: sum.range(), smallest: bySize[0]!, largest: bySize.at(-1)! }
}

/**
 * What a lot comes to at each likeness that its measured curves reach, from the coarsest on. Items that only a forecast was measured of follow the shape of
 * those curves; those that were not measured at all are taken for like the others, by their work. Empty where no curve was measured.
 */
export function lotLevels(items: readonly LotItem[]): LotLevel[] {
  const known = sorted(items)
  const ends = known.measured.map(item => item.known)
  if (ends.length === 0) return []
  // What lies beyond the best point of a curve is not known; what lies below its coarsest is no more than that.
  const best = Math.min(levels.most, ...ends.map(points => points.at(-1)!.xpsnr))
  const worst = Math.max(levels.least, Math.min(...ends.map(points => points[0]!.xpsnr)))
  const [from, to] = [Math.ceil(worst / levels.step), Math.floor(best / levels.step)]
  return Array.from({ length: Math.max(0, to - from + 1) }, (_, index) => levelOf(known, (from + index) * levels.step))
}

/**
 * The best of a lot's levels that keeps a cap for the whole lot, at the upper end of what its results may come to.
 * @returns null where the coarsest may be larger
 */
export function levelUnder(known: readonly LotLevel[], capBytes: number): LotLevel | null {
  return known.findLast(level => level.bytes.high <= capBytes) ?? null
}
