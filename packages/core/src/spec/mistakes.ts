import { isHighRange } from '../colour.ts'
import { outputKind, type Container } from './container.ts'
import type { DeliverySpec, PictureSpec } from './schema.ts'
import { describePixelFormat } from '../facts.ts'
import type { Finding } from '../findings/index.ts'
import type { ForecastQuality, JobForecast } from '../forecast/forecast.ts'
import { describeBitRate, describeBytes, describeCount } from '../format.ts'
import { usualNumbering } from './naming.ts'
import { toNumber } from '../rational.ts'
import { describeRate } from '../timing.ts'
import {
  hasPicture,
  planOf,
  stepKinds,
  type AppliedStep,
  type PictureTreatment,
  type Treatment,
} from '../treatment/index.ts'

/** Containers that browsers and phones play, which show fields as combs. */
const playedOnScreens: readonly Container[] = ['mp4', 'webm']
/** Enlarging by less is rounding. */
const leastEnlargement = 1.1
/** ITU-R BT.2100 knows 10 and 12 bits; below, steps of its curves are seen. */
const leastBitsOfHighRange = 10

/**
 * What of a draft looks like a mistake though nothing forbids it, as sentences that say what would be better. What was found and is left in is not among
 * it: that is `leftInBy`.
 */
export function mistakesIn(job: {
  spec: DeliverySpec
  treatment: Treatment
  findings: readonly Finding[]
  /** As far as it is known yet. */
  forecast?: Pick<JobForecast, 'quality'> | null
}): string[] {
  const plan = planOf(job)
  if (!hasPicture(plan)) return []
  return [
    tooFewBits(plan, job.forecast?.quality ?? null),
    filmAsVideo(plan, job.findings),
    shownAgain(plan),
    enlargedWithoutDetail(plan, job.findings),
    fieldsOnScreens(plan),
    bandedRange(plan),
    tooFewDigits(plan),
  ].filter(sentence => sentence !== null)
}

interface Plan {
  spec: PictureSpec
  treatment: PictureTreatment
}

function enlargedWithoutDetail({ spec, treatment }: Plan, findings: readonly Finding[]): string | null {
  const soft = findings.find(finding => finding.key === 'soft')
  // A network is chosen by a person, who has seen what it does.
  const enlarged = treatment.steps.find(
    step =>
      step.kind === 'size' && step.to.width * step.to.height > step.from.width * step.from.height * leastEnlargement,
  )
  if (!soft || enlarged?.kind !== 'size') return null
  const { from, to } = enlarged
  return `${soft.says} Enlarged from ${from.width}x${from.height} to ${to.width}x${to.height}, ${spec.name} takes more bytes and shows no more: a spec that leaves smaller pictures small is enough.`
}

function fieldsOnScreens({ spec, treatment }: Plan): string | null {
  if (treatment.result.scan === 'progressive' || !playedOnScreens.includes(spec.container)) return null
  return `${spec.name} keeps fields, and browsers, phones and projectors, which play its container, show them as combs. Choose a progressive scan for the screen; fields are for editing and broadcast.`
}

function bandedRange({ spec, treatment }: Plan): string | null {
  const { colour, pixelFormat } = treatment.result
  const { bitDepth } = describePixelFormat(pixelFormat)
  if (!isHighRange(colour) || bitDepth >= leastBitsOfHighRange) return null
  return `The source has a high dynamic range, and ${bitDepth} bits of ${spec.name} show its shades as bands. Choose a spec of ${leastBitsOfHighRange} bits.`
}

/** Of rates and caps, which hold no quality: what comes out below this is pointed out (XPSNR, in dB). */
const leastXpsnr = 30
/** Sides of the frame that is named instead, as a part. */
const smaller = 2 / 3

function tooFewBits({ spec, treatment }: Plan, quality: ForecastQuality | null): string | null {
  const { rateControl } = spec.video
  if (rateControl.kind !== 'size cap' && rateControl.kind !== 'average rate') return null
  const xpsnr = quality?.xpsnr ?? Number.POSITIVE_INFINITY
  if (xpsnr >= leastXpsnr) return null
  const { width, height } = treatment.result.frame
  const even = (side: number) => Math.max(2, 2 * Math.round((side * smaller) / 2))
  const limit =
    rateControl.kind === 'size cap'
      ? `A cap of ${describeBytes(rateControl.bytes)}`
      : `A rate of ${describeBitRate(rateControl.bitsPerSecond)}`
  return `${limit} leaves this picture too few bits: in the stretches that were measured it keeps an XPSNR of ${xpsnr.toFixed(1)} dB, and what stays below ${leastXpsnr} dB should be looked at. A frame of ${even(width)}x${even(height)} has ${(1 / smaller ** 2).toFixed(1)} times the bits for each pixel; a shorter item or more bytes help as well.`
}

function filmAsVideo({ treatment }: Plan, findings: readonly Finding[]): string | null {
  const deinterlaced = treatment.steps.some(
    step => step.kind === 'deinterlace' || (step.kind === 'chosen' && step.step.kind === 'deinterlace'),
  )
  if (!deinterlaced || !findings.some(finding => finding.key === 'pulldown')) return null
  return `The source is film in video (3:2 pulldown). Deinterlaced to ${describeRate(treatment.result.rate)} fps it moves unevenly and holds more frames than the film has; Undo pulldown in its treatment brings the film's own frames back.`
}

/** A rate raised by this much stores frames more than once, and not one now and then. */
const raisedRate = 1.2

function shownAgain({ spec, treatment }: Plan): string | null {
  const raised = treatment.steps.find(
    (step): step is Extract<AppliedStep, { kind: 'rate' }> => step.kind === 'rate' && step.from !== undefined,
  )
  if (!raised?.from || toNumber(raised.to) < toNumber(raised.from) * raisedRate) return null
  return `${spec.name} runs at ${describeRate(raised.to)} fps, and this picture has ${describeRate(raised.from)}: frames are stored more than once, and movement is no smoother. A spec that keeps slower rates is enough; ${stepKinds['more-frames'].name} in its treatment makes frames between.`
}

function tooFewDigits({ spec, treatment }: Plan): string | null {
  if (outputKind(spec) !== 'image sequence') return null
  const { first, digits } = spec.numbering ?? usualNumbering
  const last = first + treatment.result.frameCount - 1
  if (String(last).length <= digits) return null
  return `The last of ${describeCount(treatment.result.frameCount)} pictures has the number ${last}, which is longer than ${digits} digits: programs that sort by name put it in the wrong place. Give the spec ${String(last).length} digits.`
}
