import { z } from 'zod'
import type { DeliverySpec, PictureSpec, SoundSpec } from '../spec/schema.ts'
import { Rational, toNumber } from '../rational.ts'
import { InBetween, Kernel, Step } from './step.ts'
import { Timeline } from './timeline.ts'

const FullColour = z.object({
  range: z.enum(['limited', 'full']),
  primaries: z.string(),
  transfer: z.string(),
  matrix: z.string(),
})
const Frame = z.object({ width: z.int().positive(), height: z.int().positive(), pixelAspect: Rational })

/** One thing done to the picture, in the order of the list, with all that it depends on worked out. `why` is a sentence for the technician. */
export const AppliedStep = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('deinterlace'),
    firstField: z.enum(['top', 'bottom', 'by frame']),
    to: z.enum(['frame rate', 'field rate']),
    /** 'combed' looks at each frame and leaves whole ones as they are; absent in treatments of before that is all frames. */
    frames: z.enum(['all', 'combed']).optional(),
    why: z.string(),
  }),
  z.object({
    kind: z.literal('rate'),
    /** The rate before it, of a step that the spec wants. */
    from: Rational.optional(),
    to: Rational,
    between: InBetween.optional(),
    cutThreshold: z.number().optional(),
    why: z.string(),
  }),
  z.object({ kind: z.literal('size'), from: Frame, to: Frame, kernel: Kernel.optional(), why: z.string() }),
  z.object({ kind: z.literal('colour'), from: FullColour, to: FullColour, why: z.string() }),
  /** A step that a person chose, or one of the same kind that the spec wants, with the picture before and after it. */
  z.object({ kind: z.literal('chosen'), step: Step, from: Frame, to: Frame, why: z.string() }),
])
export type AppliedStep = z.infer<typeof AppliedStep>

/** The subtitle track of a source that is burnt into its picture. */
export const BurntSubtitles = z.object({
  /** Its place among the source's subtitle tracks, from 0, and its stream; null for one of a title that begins late. */
  position: z.int().min(0),
  streamIndex: z.int().min(0).nullable(),
  codec: z.string(),
  /** Of pictures of text: only those that must be shown. */
  onlyForced: z.boolean(),
})
export type BurntSubtitles = z.infer<typeof BurntSubtitles>

/** A treatment worked out for one source and a spec with a picture: the steps and the picture that comes out of them. */
export const PictureTreatment = z.object({
  steps: z.array(AppliedStep),
  /** Set where the picture is the source's own, packet by packet: nothing is done to it. */
  copied: z.literal(true).optional(),
  /** What the source's code values mean, with open tags filled by the assumption for its size. */
  sourceColour: FullColour,
  /** Absent where the result runs as its source does. */
  timeline: Timeline.optional(),
  /** Absent where nothing is burnt in. */
  burnt: BurntSubtitles.optional(),
  /** What is done to the sound, in order; absent when nothing is. */
  sound: z.array(Step).optional(),
  /** Tracks of the source that are delivered, counted from 0, in the order of delivery, where the spec decides it: those of its languages, or none. */
  tracks: z.array(z.int().min(0)).optional(),
  /** Whether sound is filled with silence, or ends, where the picture does; absent where it has its own length. */
  evenSound: z.literal(true).optional(),
  /** Tracks of the source, counted from 0, behind each of which one of it in stereo is delivered. */
  stereo: z.array(z.int().min(0)).optional(),
  result: z.object({
    frame: Frame,
    rate: Rational,
    scan: z.enum(['progressive', 'top field first', 'bottom field first']),
    pixelFormat: z.string(),
    colour: FullColour,
    /** Whether colours that are stored for groups of pixels lie in their middle; absent where they lie beside the left ones. */
    centredChroma: z.boolean().optional(),
    frameCount: z.int().min(0),
    /** Whether the number of frames comes from an estimate of the source's. */
    isEstimate: z.boolean().optional(),
  }),
  /** Sentences on what becomes of what the spec cannot carry, or has a rule for. */
  notes: z.array(z.string()).optional(),
})
export type PictureTreatment = z.infer<typeof PictureTreatment>

/** A treatment worked out for one source and a spec of sound alone. */
export const SoundTreatment = z.object({
  /** Nothing is done to a picture. */
  steps: z.array(AppliedStep).max(0),
  timeline: Timeline.optional(),
  sound: z.array(Step).optional(),
  result: z.null(),
  /** Tracks of the source that are delivered, counted from 0. */
  tracks: z.array(z.int().min(0)).min(1),
  /** Expected length of the result, from the source's. */
  seconds: z.number().min(0),
  /** Sentences on what is left out, and why. */
  leftOut: z.array(z.string()),
})
export type SoundTreatment = z.infer<typeof SoundTreatment>

/** A treatment worked out for one source and spec. `result` is null where there is no picture. */
export const Treatment = z.union([PictureTreatment, SoundTreatment])
export type Treatment = z.infer<typeof Treatment>

/** A spec with a picture and the treatment for it. */
export interface WithPicture {
  spec: PictureSpec
  treatment: PictureTreatment
}
/** A spec of sound alone and the treatment for it. */
export interface SoundAlone {
  spec: SoundSpec
  treatment: SoundTreatment
}
export type Planned = WithPicture | SoundAlone

/** A kept spec and its treatment as what they are together. @throws TypeError when one has a picture and the other has none */
export function planOf({ spec, treatment }: { spec: DeliverySpec; treatment: Treatment }): Planned {
  if (spec.video !== null && treatment.result !== null) return { spec, treatment }
  if (spec.video === null && treatment.result === null) return { spec, treatment }
  throw new TypeError(`The treatment was not worked out for ${spec.name}: one has a picture and the other has none.`)
}

/** Whether what is planned has a picture; otherwise it is sound alone. */
export function hasPicture<Plan extends Planned>(plan: Plan): plan is Extract<Plan, WithPicture> {
  return plan.treatment.result !== null
}

/** What sound steps add to the length of sound by moving it, in seconds; below 0 for what they cut off. */
export function soundDelay({ sound }: Pick<Treatment, 'sound'>): number {
  return (sound ?? []).reduce((sum, step) => (step.kind === 'sound-delay' ? sum + step.milliseconds / 1000 : sum), 0)
}

/** Expected length of a result in seconds. */
export function treatedSeconds(treatment: Treatment): number {
  return treatment.result === null ? treatment.seconds : treatment.result.frameCount / toNumber(treatment.result.rate)
}
