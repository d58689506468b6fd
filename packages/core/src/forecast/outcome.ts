import { z } from 'zod'
import { middle } from '../findings/finding.ts'
import { Range } from '../range.ts'
import type { JobForecast } from './forecast.ts'
import { describeKind } from './kind-of-work.ts'

/** What a job was forecast to take when it was begun: as it was told, and as its samples alone had it. It stays so whatever is learned later. */
export interface Promised {
  /** See `kindOfWork`. */
  kind: string
  forecast: JobForecast
  raw: Pick<JobForecast, 'seconds' | 'bytes'>
}

/** A figure that was told, and what it came to. */
export const Told = z.object({ said: Range, took: z.number().min(0) })
export type Told = z.infer<typeof Told>

/** A finished job against what was forecast of it when it was begun. */
export const ForecastOutcome = z.object({
  id: z.int(),
  jobId: z.int(),
  sourceName: z.string(),
  specName: z.string(),
  /** See `kindOfWork`. */
  kind: z.string(),
  /** Of how many results its ranges were; null for those of its samples alone. */
  heldAgainst: z.int().positive().nullable(),
  finishedAt: z.iso.datetime(),
  seconds: Told,
  bytes: Told,
})
export type ForecastOutcome = z.infer<typeof ForecastOutcome>

export type Figure = 'seconds' | 'bytes'

/** By which part of what was expected a result was off: 0.1 for a tenth more. */
export function offBy({ said, took }: Told): number {
  return said.expected > 0 ? took / said.expected - 1 : 0
}

export function isWithin({ said, took }: Told): boolean {
  return took >= said.low && took <= said.high
}

/** How forecasts of some work did. */
export interface ForecastRecord {
  count: number
  /** By which part results were off (median). */
  off: number
  /** Part of the results that lie within their ranges. */
  within: number
  /** Half-width of the ranges as a part of what was expected (median). */
  width: number
}

/** How forecasts of a figure did. */
export function recordOf(told: readonly Told[]): ForecastRecord {
  if (told.length === 0) return { count: 0, off: 0, within: 0, width: 0 }
  return {
    count: told.length,
    off: middle(told.map(entry => Math.abs(offBy(entry)))),
    within: told.filter(isWithin).length / told.length,
    width: middle(told.map(({ said }) => (said.expected > 0 ? (said.high - said.low) / 2 / said.expected : 0))),
  }
}

/** How forecasts of a kind of work did. */
export interface KindRecord {
  kind: string
  name: string
  seconds: ForecastRecord
  bytes: ForecastRecord
}

/** The same by kind of work, those with most results first. */
export function recordsByKind(outcomes: readonly ForecastOutcome[]): KindRecord[] {
  const byKind = new Map<string, ForecastOutcome[]>()
  for (const outcome of outcomes) byKind.set(outcome.kind, [...(byKind.get(outcome.kind) ?? []), outcome])
  return [...byKind]
    .map(([kind, some]) => ({
      kind,
      name: describeKind(kind),
      seconds: recordOf(some.map(outcome => outcome.seconds)),
      bytes: recordOf(some.map(outcome => outcome.bytes)),
    }))
    .sort((a, b) => b.seconds.count - a.seconds.count || a.name.localeCompare(b.name))
}

/** Results over which coverage is told. */
export const coverageWindow = 20

/**
 * Part of the results within their ranges as work goes on: of each run of `coverageWindow` results in the order in which they were finished.
 * @returns by the number of the last result of each run, from 1; empty with fewer results
 */
export function coverageOver(outcomes: readonly ForecastOutcome[], figure: Figure): { last: number; within: number }[] {
  const inOrder = [...outcomes].sort((a, b) => a.finishedAt.localeCompare(b.finishedAt) || a.id - b.id)
  const hits = inOrder.map(outcome => (isWithin(outcome[figure]) ? 1 : 0))
  let sum = 0
  return hits.flatMap((hit, index) => {
    sum += hit - (index >= coverageWindow ? hits[index - coverageWindow]! : 0)
    return index + 1 >= coverageWindow ? [{ last: index + 1, within: sum / coverageWindow }] : []
  })
}
