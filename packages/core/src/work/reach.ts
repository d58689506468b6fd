import { toNumber, type Rational } from '../rational.ts'
import { steadyRadius } from '../signal/steady.ts'
import type { AppliedStep, PictureTreatment } from '../treatment/treatment.ts'
import { steadySeconds, type InBetween, type Step, type StepKind, type StepOf } from '../treatment/step.ts'

/**
 * How far back a step looks in its picture, which decides whether its work can be begun in the middle. What it looks ahead is read on as it is needed, so
 * that needs no telling.
 *
 * - bounded: a frame is made from so many frames before it at most, in frames of the step's own picture or in seconds
 * - fades: it leans on all frames before it, but after so many what came earlier makes less than a code of difference
 * - whole: what it does to a frame depends on where it began
 */
export type StepReach =
  { kind: 'bounded' | 'fades'; frames: number; seconds?: number } | { kind: 'whole'; because: string }

const alone: StepReach = { kind: 'bounded', frames: 0 }
const bounded = (frames: number, seconds = 0): StepReach => ({ kind: 'bounded', frames, seconds })
const fades = (frames: number): StepReach => ({ kind: 'fades', frames })
const whole = (because: string): StepReach => ({ kind: 'whole', because })

/** Lines that are missing are worked out from the frames beside. */
const deinterlaced = bounded(2)

/** What blends frames holds so many, and the one before for whether the picture was cut. */
const blendedFrames = 4

/**
 * What brings a picture to other numbers of frames. Motion is looked for from where it was found in the frame before, and so on back to the first.
 * @param isWhole whether each frame becomes a whole number of frames, so that what is blended does not depend on where the first one lies
 */
function reachBetween(between: InBetween, isWhole: boolean): StepReach {
  if (between === 'motion') return whole('motion is followed from the first frame on')
  if (between === 'blend' && !isWhole) return whole('frames are blended by their distance from the first frame')
  return between === 'blend' ? bounded(blendedFrames) : alone
}

/**
 * Frames after which a recursive filter in time forgets. It adds to each frame a part of the difference to its last result that shrinks with that difference, so
 * a difference d (in codes) becomes d - d² g / 255, and 255 / (g n) after n frames: g is 17 at the strongest setting, 39 at the medium and 78 at the light one.
 * These leave a third of a code.
 */
const forgetting = { light: 12, medium: 24, strong: 48 }

/** The path of a steadied picture is smoothed over so many of its deviations. */
const deviationsSmoothed = 2

const reaches: { readonly [Kind in StepKind]: (step: StepOf<Kind>) => StepReach } = {
  trim: () => alone,
  deinterlace: () => deinterlaced,
  'undo-pulldown': () =>
    whole('the repeated fields are found by their place in groups that are counted from the first frame'),
  'drop-repeats': () => whole('the repeated frames are found in groups that are counted from the first frame'),
  speed: step => reachBetween(step.between, false),
  'more-frames': step => reachBetween(step.between, true),
  rate: step => reachBetween(step.between, false),
  crop: () => alone,
  aspect: () => alone,
  rotate: () => alone,
  flip: () => alone,
  steady: step =>
    step.method === 'quick' ? bounded(steadyRadius + 1) : bounded(1, deviationsSmoothed * steadySeconds[step.smooth]),
  scale: () => alone,
  pad: () => alone,
  deblock: () => alone,
  'clean-up': () => alone,
  denoise: step => (step.method === 'fast' ? fades(forgetting[step.strength]) : alone),
  flicker: step => bounded(step.frames),
  deband: () => alone,
  sharpen: () => alone,
  unblur: () => alone,
  dehalo: () => alone,
  'anti-alias': () => alone,
  // What was repaired in one frame is what the next is held against.
  dust: () => fades(8),
  scratches: () => alone,
  'soften-mark': () => alone,
  learned: () => alone,
  grade: () => alone,
  'lookup-table': () => alone,
  'black-and-white': () => alone,
  'high-range': () => alone,
  grain: () => whole('its grain is drawn in one go from the first frame on'),
  'burn-subtitles': () => alone,
  'text-mark': () => alone,
  'picture-mark': () => alone,
  'keep-tracks': () => alone,
  'sound-hum': () => alone,
  'sound-denoise': () => alone,
  channels: () => alone,
  speech: () => alone,
  'sound-delay': () => alone,
  loudness: () => alone,
}

/** How far a step looks back. Steps of sound look at no picture: the sound of a job is made in one go. */
const reachOfStep = (step: Step): StepReach => (reaches[step.kind] as (step: Step) => StepReach)(step)

/** Frames after which telling combed frames from whole ones has settled, where each frame is looked at. */
const combedFrames = 48

/** @param rate frames a second of the picture that the step is given */
function reachOfApplied(step: AppliedStep, rate: number): StepReach {
  if (step.kind === 'chosen') return reachOfStep(step.step)
  if (step.kind === 'deinterlace') return step.frames === 'combed' ? fades(combedFrames) : deinterlaced
  if (step.kind === 'rate') {
    const times = toNumber(step.to) / rate
    return reachBetween(step.between ?? 'repeat', Math.abs(times - Math.round(times)) < 1e-9)
  }
  return alone
}

/** Frames that the result's own grid needs before a frame, to know where it lies. */
const gridFrames = 2

/**
 * Seconds of a result that must be treated before a frame, so that it comes out as it does when all before it was treated; or why that cannot be.
 * @param sourceRate frames a second of the source: a step's frames are taken to last as long as those of the slower of source and result
 */
export function leadOf(
  { steps, result, timeline }: Pick<PictureTreatment, 'steps' | 'result' | 'timeline'>,
  sourceRate: Rational,
): { seconds: number } | { because: string } {
  let rate = toNumber(sourceRate)
  const frame = 1 / Math.min(rate * (timeline?.speed ?? 1), toNumber(result.rate))
  let seconds = gridFrames * frame
  for (const step of steps) {
    const reach = reachOfApplied(step, rate)
    if (reach.kind === 'whole') return { because: reach.because }
    seconds += reach.frames * frame + (reach.seconds ?? 0)
    if (step.kind === 'deinterlace' && step.to === 'field rate') rate *= 2
    if (step.kind === 'rate') rate = toNumber(step.to)
  }
  return { seconds }
}
