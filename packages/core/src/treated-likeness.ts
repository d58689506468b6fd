import { z } from 'zod'
import { CurveState } from './sample-state.ts'
import { toNumber } from './rational.ts'
import { hasPicture, type Planned } from './treatment/index.ts'

/** How like the treated frames of one source are to those of another that shows the same. */
export const TreatedLikeness = z.object({
  frames: z.int().positive(),
  identical: z.boolean(),
  ssim: z.number(),
  /** Mean of the errors of its frames, in dB; null where every frame is identical. */
  xpsnr: z.number().nullable(),
  /** The frame that is least like the other's: its XPSNR in dB, and when it is shown. */
  worst: z.object({ xpsnr: z.number(), seconds: z.number() }).nullable(),
})
export type TreatedLikeness = z.infer<typeof TreatedLikeness>

/** A comparison of two drafts' treated frames, as far as it is. */
export const ComparisonRecord = z.object({
  state: z.union([CurveState, z.literal('none')]),
  /** How much of it is done, 0 to 1, while it is measured. */
  part: z.number().nullable(),
  reason: z.string().nullable(),
  likeness: TreatedLikeness.nullable(),
})
export type ComparisonRecord = z.infer<typeof ComparisonRecord>

/** Why treated frames cannot be compared one by one, as a sentence; null where they can. */
export function whyNotCompared(one: Planned, other: Planned): string | null {
  if (!hasPicture(one) || !hasPicture(other)) return 'Only drafts with a picture can be compared.'
  if (one.treatment.copied || other.treatment.copied)
    return 'A picture that is copied untouched is not treated. Compare drafts of a spec that encodes it.'
  const [a, b] = [one.treatment.result, other.treatment.result]
  const size = ({ frame }: typeof a) => `${frame.width}x${frame.height}`
  if (size(a) !== size(b))
    return `The frames come to ${size(a)} and ${size(b)}. Give the smaller one a step that enlarges it, and draft it again.`
  if (a.pixelFormat !== b.pixelFormat)
    return `The frames come to ${a.pixelFormat} and ${b.pixelFormat}. Draft both with the same spec.`
  const [rate, otherRate] = [toNumber(a.rate), toNumber(b.rate)]
  if (Math.abs(rate - otherRate) > 1e-6)
    return `The frames come at ${Number(rate.toFixed(3))} and ${Number(otherRate.toFixed(3))} a second. Set the rate of the sequences in Intake, or give one a step that changes it.`
  return a.frameCount < 1 || b.frameCount < 1 ? 'One of the two has no frames.' : null
}
