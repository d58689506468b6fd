import { z } from 'zod'

/** What a finding is about. The keys are stored and used in filters; `findingNames` has the words. */
export const FindingKey = z.enum([
  'kind',
  'scan',
  'scan-flag',
  'pulldown',
  'borders',
  'aspect',
  'cuts',
  'variable-rate',
  'gaps',
  'jumps',
  'size-change',
  'repeated-frames',
  'noise',
  'blocking',
  'soft',
  'flicker',
  'shake',
  'clipped-highlights',
  'illegal-levels',
  'black',
  'frozen',
  'black-and-white',
  'mark',
  'decode-errors',
  'cut-short',
  'unreadable',
  'missing-frames',
  'loudness',
  'clipped-sound',
  'hum',
  'silent-channel',
  'out-of-phase',
  'silence',
  'sound-length',
])
export type FindingKey = z.infer<typeof FindingKey>

/** The words for each key, as they stand in lists and filters. */
export const findingNames: Record<FindingKey, string> = {
  kind: 'kind of picture',
  gaps: 'gaps in time',
  jumps: 'jumps in time',
  'size-change': 'frames change size',
  scan: 'scan',
  'scan-flag': 'scan flag is wrong',
  pulldown: 'film pulldown',
  borders: 'borders',
  aspect: 'doubtful aspect flag',
  cuts: 'cuts',
  'variable-rate': 'uneven frame times',
  'repeated-frames': 'repeated frames',
  noise: 'noise',
  blocking: 'blocking',
  soft: 'soft or enlarged',
  flicker: 'flicker',
  shake: 'shake',
  'clipped-highlights': 'clipped highlights',
  'illegal-levels': 'levels out of range',
  black: 'black stretches',
  frozen: 'frozen picture',
  'black-and-white': 'black and white',
  mark: 'mark that never moves',
  'decode-errors': 'decode errors',
  'cut-short': 'cut short',
  unreadable: 'unreadable sectors',
  'missing-frames': 'missing frames',
  loudness: 'loudness',
  'clipped-sound': 'clipped sound',
  hum: 'hum',
  'silent-channel': 'silent channel',
  'out-of-phase': 'channels out of phase',
  silence: 'silence',
  'sound-length': 'sound and picture differ in length',
}

export const FindingPlace = z.object({
  seconds: z.number().min(0),
  /** End of a stretch; null for a moment. */
  until: z.number().nullable(),
  /** Part of the picture, in its own pixels; null for all of it. */
  area: z.object({ x: z.int(), y: z.int(), width: z.int(), height: z.int() }).nullable(),
})
export type FindingPlace = z.infer<typeof FindingPlace>

/** The typed values that a finding's sentence is made from, and that rules, suggestions and lots go by; each where it applies. */
export const FindingData = z.object({
  /** How the picture was scanned, and which field comes first. */
  scan: z.enum(['progressive', 'interlaced', 'mixed']).optional(),
  firstField: z.enum(['top', 'bottom']).nullable().optional(),
  /** How strong a fault is. */
  weight: z.enum(['light', 'clear', 'heavy']).optional(),
  /** Base frequency of a hum. */
  hertz: z.union([z.literal(50), z.literal(60)]).optional(),
  /** Sound track, counted from 0, and its channel. */
  track: z.int().min(0).optional(),
  channel: z.enum(['left', 'right']).optional(),
  /** Pixels of black at each edge, brought to even numbers. */
  crop: z.object({ left: z.int(), top: z.int(), right: z.int(), bottom: z.int() }).optional(),
  /** Every how many frames one repeats the one before; null without a pattern. */
  every: z.int().nullable().optional(),
  /** What kind of picture it is. */
  picture: z.enum(['filmed', 'drawn', 'screen', 'slides']).optional(),
})
export type FindingData = z.infer<typeof FindingData>

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
  data: FindingData.optional(),
})
export type Finding = z.infer<typeof Finding>

const mostPlaces = 8

/** A finding with what is usual left out. */
export function finding(
  key: FindingKey,
  kind: Finding['kind'],
  says: string,
  rest: Partial<Omit<Finding, 'key' | 'kind' | 'says' | 'places'>> & { places?: readonly FindingPlace[] } = {},
): Finding {
  const { value = null, unit = null, sure = 1, places = [], suggests = null, data } = rest
  return {
    key,
    kind,
    says,
    value,
    unit,
    sure: Math.min(1, Math.max(0, sure)),
    places: places.slice(0, mostPlaces),
    suggests,
    ...(data ? { data } : {}),
  }
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

/** How sure a rule is, in words: never certainty. */
export function describeSure(sure: number): string {
  return sure > 0.99 ? 'over 99 %' : `${Math.round(sure * 100)} %`
}

/** The middle of several values; NaN for none. */
export function middle(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted.length === 0
    ? Number.NaN
    : sorted.length % 2
      ? sorted[(sorted.length - 1) / 2]!
      : (sorted[sorted.length / 2 - 1]! + sorted[sorted.length / 2]!) / 2
}
