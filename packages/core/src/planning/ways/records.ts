import { z } from 'zod'
import { Range } from '../../range.ts'
import { Sharing } from '../sharing.ts'
import { Way } from './lot-ways.ts'

const lotNumber = z.int().positive().nullable()

/** Which ways are asked for. */
export const WaysAsked = z.object({
  /** Specs of which each lot is to have one; null for all that the order is drafted with. */
  specKeys: z.array(z.string()).max(50).nullable().default(null),
  /** Most bytes of the order's drafts together: what there is room for on their volumes, a number, or null for as many as come. */
  bytes: z
    .union([z.literal('room'), z.number().min(0)])
    .nullable()
    .default('room'),
  /** When all is to be done; null where nobody waits. */
  dueAt: z.iso.datetime().nullable().default(null),
  /** How much a lot's likeness counts beside the others', for each second of it; 1 unless said. */
  weights: z
    .array(z.object({ lotId: lotNumber, weight: z.number().min(0).max(10) }))
    .max(2000)
    .default([]),
  /** Ways that a person chose. */
  chosen: z
    .array(z.object({ lotId: lotNumber, specKey: z.string() }))
    .max(2000)
    .default([]),
})
export type WaysAsked = z.infer<typeof WaysAsked>

/** What some of the order's jobs come to together. */
export const Together = z.object({
  jobs: z.int().min(0),
  seconds: Range,
  bytes: Range,
})

/** A choice as a point of the trade-off. */
export const TradeOff = z.object({
  /** Spec of each lot that has a choice, in their order. */
  specKeys: z.array(z.string()),
  seconds: z.number(),
  bytes: z.number(),
  likeness: z.number(),
})
export type TradeOff = z.infer<typeof TradeOff>

/** An order's lots, the ways in which they can be done, and the one of each that is the best within the limits. */
export const Ways = z.object({
  /** ISO 8601 in UTC; seconds count from then. */
  at: z.iso.datetime(),
  lanes: z.int().min(0),
  sharing: Sharing.nullable(),
  /** Bytes that there is room for where the order's drafts go, beside all that is released; null where nobody knows, or there are none. */
  room: z.number().min(0).nullable(),
  /** All specs of pictures that the order is drafted with. */
  specs: z.array(z.object({ specKey: z.string(), specName: z.string(), drafts: z.int().positive() })),
  lots: z.array(
    z.object({
      lotId: lotNumber,
      name: z.string(),
      sources: z.int().positive(),
      /** Name of its first source. */
      sourceName: z.string(),
      material: z.number().min(0),
      weight: z.number().min(0),
      ways: z.array(Way),
      /** Spec of the way that is chosen; null where there is none to choose. */
      chosen: z.string().nullable(),
      /** Whether a person chose it. */
      isByHand: z.boolean(),
    }),
  ),
  /** The order's other drafts, which come with whatever is chosen. */
  besides: Together,
  /** What is chosen, with those. */
  chosen: Together.extend({
    /** Mean of the lots that have a choice, by their lengths and weights, in dB; null without any. */
    likeness: z.number().nullable(),
    /** When the order is done; null where nothing is known, or there is no lane. */
    end: Range.nullable(),
    lateSeconds: z.number().min(0),
    overBytes: z.number().min(0),
  }),
  /** No choice within the limits has a greater likeness; null where there is none within them. */
  mostLikeness: z.number().nullable(),
  /** Where no choice keeps both limits: how much more of one would do alone, the other kept; null where no amount does. */
  missing: z.object({ bytes: z.number().nullable(), seconds: z.number().nullable() }).nullable(),
  tradeOffs: z.array(TradeOff),
  /** Drafts of ways that could be chosen and are not, by number. */
  others: z.array(z.int()),
})
export type Ways = z.infer<typeof Ways>
