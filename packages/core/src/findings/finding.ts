import { z } from 'zod'

/** What a finding is about. The keys are stored and used in filters; `findingNames` has the words. */
export const FindingKey = z.enum([
  'scan', 'scan-flag', 'pulldown', 'borders', 'aspect', 'cuts', 'variable-rate', 'repeated-frames', 'noise', 'blocking', 'soft', 'flicker', 'shake', 'clipped-highlights', 'illegal-levels',
  'black', 'frozen', 'black-and-white', 'mark', 'decode-errors', 'cut-short', 'unreadable', 'missing-frames',
  'loudness', 'clipped-sound', 'hum', 'silent-channel', 'out-of-phase', 'silence', 'sound-length',
])
export type FindingKey = z.infer<typeof FindingKey>

/** The words for each key, as they stand in lists and filters. */
export const findingNames: Record<FindingKey, string> = {
  'scan': 'scan', 'scan-flag': 'scan flag is wrong', 'pulldown': 'film pulldown', 'borders': 'borders', 'aspect': 'doubtful aspect flag', 'cuts': 'cuts', 'variable-rate': 'uneven frame times',
  'repeated-frames': 'repeated frames', 'noise': 'noise', 'blocking': 'blocking', 'soft': 'soft or enlarged', 'flicker': 'flicker', 'shake': 'shake', 'clipped-highlights': 'clipped highlights', 'illegal-levels': 'levels out of range',
  'black': 'black stretches', 'frozen': 'frozen picture', 'black-and-white': 'black and white', 'mark': 'mark that never moves', 'decode-errors': 'decode errors', 'cut-short': 'cut short', 'unreadable': 'unreadable sectors', 'missing-frames': 'missing frames',
  'loudness': 'loudness', 'clipped-sound': 'clipped sound', 'hum': 'hum', 'silent-channel': 'silent channel', 'out-of-phase': 'channels out of phase', 'silence': 'silence', 'sound-length': 'sound and picture differ in length',
}

export const FindingPlace = z.object({
  seconds: z.number().min(0),
  /** End of a stretch; null for a moment. */
  until: z.number().nullable(),
  /** Part of the picture, in its own pixels; null for all of it. */
  area: z.object({ x: z.int(), y: z.int(), width: z.int(), height: z.int() }).nullable(),
})
export type FindingPlace = z.infer<typeof FindingPlace>

export const Finding = z.object({
  key: FindingKey,
  /** What is wrong, or what it merely is. */
  kind: z.enum(['fault', 'nature']),
  /** A sentence for the technician, with its numbers and units. */
  says: z.string(),
  /** The number that a rule decided by, for sorting and comparing, and its unit. */
  value: z.number().nullable(),
  unit: z.string().nullable(),
  /** How sure the rule is, 0 to 1. */
  sure: z.number().min(0).max(1),
  /** Where to see or hear it, the clearest first, at most eight. */
  places: z.array(FindingPlace),
  /** What to do about it, as a verb with its object; null when nothing needs doing. */
  suggests: z.string().nullable(),
})
export type Finding = z.infer<typeof Finding>

const mostPlaces = 8

/** A finding with what is usual left out. */
export function finding(key: FindingKey, kind: Finding['kind'], says: string, rest: Partial<Omit<Finding, 'key' | 'kind' | 'says' | 'places'>> & { places?: readonly FindingPlace[] } = {}): Finding {
  const { value = null, unit = null, sure = 1, places = [], suggests = null } = rest
  return { key, kind, says, value, unit, sure: Math.min(1, Math.max(0, sure)), places: places.slice(0, mostPlaces), suggests }
}

/** A moment in the source. */
export function moment(seconds: number, area: FindingPlace['area'] = null): FindingPlace {
  return { seconds: Math.max(0, seconds), until: null, area }
}

/** A stretch of the source. */
export function stretch(seconds: number, until: number): FindingPlace {
  return { seconds: Math.max(0, seconds), until, area: null }
}

/** How sure a rule is of a value beyond its limit: just over it 0.6, at twice the limit and above 0.98. */
export function sureBeyond(value: number, limit: number): number {
  return Math.min(0.98, 0.6 + 0.38 * Math.max(0, value / limit - 1))
}

/** The middle of several values; NaN for none. */
export function middle(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted.length === 0 ? Number.NaN : sorted.length % 2 ? sorted[(sorted.length - 1) / 2]! : (sorted[sorted.length / 2 - 1]! + sorted[sorted.length / 2]!) / 2
}
