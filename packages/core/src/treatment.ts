import { z } from 'zod'
import { completeColour, describeColourTag, targetColour, type FullColourDescription } from './colour.ts'
import type { DeliverySpec } from './delivery.ts'
import { describePixelFormat, type SourceFacts, type VideoFacts } from './facts.ts'
import { describeAspect, displayAspect, fitFrame, type StoredFrame } from './geometry.ts'
import { compare, divide, equal, multiply, rational, Rational, toNumber } from './rational.ts'
import { describeRate, framesIn } from './timing.ts'

const FullColour = z.object({ range: z.enum(['limited', 'full']), primaries: z.string(), transfer: z.string(), matrix: z.string() })
const Frame = z.object({ width: z.int().positive(), height: z.int().positive(), pixelAspect: Rational })

/** One thing done to the picture, in the order of the list. `why` is a sentence for the technician. */
export const TreatmentStep = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('deinterlace'), firstField: z.enum(['top', 'bottom', 'by frame']), to: z.enum(['frame rate', 'field rate']), why: z.string() }),
  z.object({ kind: z.literal('rate'), to: Rational, why: z.string() }),
  z.object({ kind: z.literal('size'), from: Frame, to: Frame, why: z.string() }),
  z.object({ kind: z.literal('colour'), from: FullColour, to: FullColour, why: z.string() }),
])
export type TreatmentStep = z.infer<typeof TreatmentStep>

/** An ordered list of steps and the picture that comes out of it. */
export const Treatment = z.object({
  steps: z.array(TreatmentStep),
  /** What the source's code values mean, with open tags filled by the assumption for its size. */
  sourceColour: FullColour,
  result: z.object({
    frame: Frame,
    rate: Rational,
    scan: z.enum(['progressive', 'top field first', 'bottom field first']),
    pixelFormat: z.string(),
    colour: FullColour,
    frameCount: z.int().min(0),
  }),
})
export type Treatment = z.infer<typeof Treatment>

/** A source that a spec cannot be made from; the message is a sentence for the technician. */
export class CannotTreat extends Error {}

/**
 * The steps that bring a source's picture into a spec's shape, in working order: deinterlace, rate, size, colour.
 * @throws CannotTreat when the source has no picture or the result would break the spec.
 */
export function deriveTreatment(facts: SourceFacts, spec: DeliverySpec): Treatment {
  const video = facts.video
  if (!video) throw new CannotTreat(`${spec.name} needs a picture, and this source has none.`)
  const steps: TreatmentStep[] = []
  const rule = spec.video

  const interlaced = video.scan.kind !== 'progressive'
  let rate: Rational = video.frameRate
  let scan: Treatment['result']['scan'] = 'progressive'
  if (interlaced && rule.scan === 'progressive') {
    const fieldRate = multiply(rate, rational(2))
    const wantsFields = rule.deinterlaceTo === 'field rate' && (rule.maxFrameRate === null || compare(fieldRate, rule.maxFrameRate) <= 0)
    steps.push({
      kind: 'deinterlace', firstField: video.scan.firstField ?? 'by frame', to: wantsFields ? 'field rate' : 'frame rate',
      why: `The source is ${describeScan(video)}; ${spec.name} is progressive.`,
    })
    if (wantsFields) rate = fieldRate
  } else if (interlaced) {
    scan = video.scan.firstField === 'bottom' ? 'bottom field first' : 'top field first'
  }

  const reduced = rateWithin(rate, rule.maxFrameRate)
  if (!equal(reduced, rate)) {
    steps.push({ kind: 'rate', to: reduced, why: `${describeRate(rate)} frames a second is more than the ${describeRate(rule.maxFrameRate!)} that ${spec.name} allows.` })
    rate = reduced
  } else if (video.rateIs === 'variable') {
    steps.push({ kind: 'rate', to: rate, why: `The source's rate varies; ${spec.name} has a constant one.` })
  }

  const pixelFormat = rule.pixelFormat ?? losslessPixelFormat(video.pixelFormat)
  const from: StoredFrame = { width: video.width, height: video.height, pixelAspect: video.pixelAspect }
  const frame = fitFrame(from, rule.frame, rule.pixelFormat === null ? 1 : 2)
  if (scan !== 'progressive' && frame.height !== from.height)
    throw new CannotTreat(`${spec.name} would have to change the height of an interlaced picture, which mixes its fields. Choose a progressive spec.`)
  if (frame.width !== from.width || frame.height !== from.height || !equal(frame.pixelAspect, from.pixelAspect)) {
    steps.push({ kind: 'size', from, to: frame, why: sizeReason(from, frame) })
  }

  const sourceColour = completeColour(video.colour, from, video.isRgb)
  const colour = rule.pixelFormat === null ? sourceColour : targetColour(sourceColour, frame)
  if (!sameColour(sourceColour, colour)) steps.push({ kind: 'colour', from: sourceColour, to: colour, why: colourReason(sourceColour, colour) })

  const seconds = facts.durationSeconds
  const frameCount = equal(rate, video.frameRate) && video.rateIs === 'constant'
    ? video.frameCount
    : video.rateIs === 'constant' ? Math.round(video.frameCount * toNumber(divide(rate, video.frameRate))) : framesIn(seconds ?? 0, rate)
  return { steps, sourceColour, result: { frame, rate, scan, pixelFormat, colour, frameCount } }
}

/** Longest distance between keyframes in frames; 1 when every frame is one. */
export function keyframeDistance(spec: DeliverySpec, treatment: Treatment): number {
  const { keyframeSeconds } = spec.video
  return keyframeSeconds === null ? 1 : Math.max(1, Math.round(keyframeSeconds * toNumber(treatment.result.rate)))
}

/** The largest whole division of a rate that a limit allows: 50 under 30 becomes 25. */
function rateWithin(rate: Rational, limit: Rational | null): Rational {
  if (limit === null) return rate
  let divisor = 1
  while (compare(divide(rate, rational(divisor)), limit) > 0) divisor++
  return divide(rate, rational(divisor))
}

function sameColour(a: FullColourDescription, b: FullColourDescription): boolean {
  return a.matrix === b.matrix && a.primaries === b.primaries && a.range === b.range && a.transfer === b.transfer
}

function sizeReason(from: StoredFrame, to: StoredFrame): string {
  const shape = describeAspect(displayAspect(from))
  const larger = to.width * to.height > from.width * from.height
  if (equal(from.pixelAspect, to.pixelAspect)) return `${larger ? 'Enlarged' : 'Reduced'} to fit, still ${shape}.`
  return `Pixels of ${from.pixelAspect.num}:${from.pixelAspect.den} become ${to.pixelAspect.num}:${to.pixelAspect.den}; the picture stays ${shape}.`
}

function colourReason(from: FullColourDescription, to: FullColourDescription): string {
  if (from.matrix === 'gbr') return 'Red, green and blue become luma and chroma in BT.709.'
  if (from.matrix !== to.matrix) return 'Standard-definition colour (BT.601) becomes high-definition colour (BT.709).'
  return 'The range or the primaries change to what the result states.'
}

/** A step as a technician would say it. */
export function describeStep(step: TreatmentStep): string {
  switch (step.kind) {
    case 'deinterlace': return `Deinterlace to ${step.to === 'field rate' ? 'one frame a field' : 'one frame a frame'}, ${step.firstField === 'by frame' ? 'field order as each frame says' : `${step.firstField} field first`}`
    case 'rate': return `Bring the rate to ${describeRate(step.to)} frames a second`
    case 'size': return `Scale ${step.from.width}x${step.from.height} to ${step.to.width}x${step.to.height} (Lanczos)`
    case 'colour': return `Colour from ${describeColourTag(step.from.matrix)} to ${describeColourTag(step.to.matrix)}`
  }
}

/** What comes out of a treatment: "1920x1080 16:9, 25 fps progressive, 10 bit 4:2:0, BT.709". */
export function describeTreatmentResult({ result }: Treatment): string {
  const { bitDepth, chroma } = describePixelFormat(result.pixelFormat)
  return `${result.frame.width}x${result.frame.height} ${describeAspect(displayAspect(result.frame))}, ${describeRate(result.rate)} fps ${result.scan}, ${bitDepth} bit ${chroma}, ${describeColourTag(result.colour.matrix)}`
}

/** "interlaced, top field first", "progressive", "mixed". */
export function describeScan(video: Pick<VideoFacts, 'scan'>): string {
  const { kind, firstField } = video.scan
  if (kind === 'progressive') return 'progressive'
  const order = firstField === null ? '' : `, ${firstField} field first`
  return kind === 'mixed' ? `partly interlaced${order}` : `interlaced${order}`
}

/**
 * The format in which FFV1 keeps a decoded picture without loss: its own where FFV1 has it, otherwise the nearest one
 * that holds all its values (RGB of 8 bits as packed BGR, of more bits as planes; full-range YUV formats under their common name).
 */
export function losslessPixelFormat(source: string): string {
  const planar: Record<string, string> = {
    rgb24: 'bgr0', bgr24: 'bgr0', pal8: 'bgra', rgb0: 'bgr0', '0rgb': 'bgr0', gbrp: 'bgr0', gbrap: 'bgra', rgba: 'bgra', argb: 'bgra', abgr: 'bgra',
    rgb48le: 'gbrp16le', rgb48be: 'gbrp16le', rgba64le: 'gbrap16le', rgba64be: 'gbrap16le',
    gray16be: 'gray16le', monob: 'gray', monow: 'gray', uyvy422: 'yuv422p', yuyv422: 'yuv422p', nv12: 'yuv420p',
    yuvj420p: 'yuv420p', yuvj422p: 'yuv422p', yuvj444p: 'yuv444p',
  }
  return planar[source] ?? source
}
