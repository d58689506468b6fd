import { z } from 'zod'
import { AssetRef, type AssetKind } from '../asset.ts'
import { FrameSize } from '../geometry.ts'
import { Rational } from '../rational.ts'

/**
 * The steps that a technician can choose: few plain controls each. Numbers of pixels are of the picture that the step is given;
 * times are seconds of the source. Names of values are the words that the interface shows.
 */

const strength = <const Words extends readonly [string, ...string[]]>(...words: Words) => z.enum(words)
const Strength = strength('light', 'medium', 'strong')
export type Strength = z.infer<typeof Strength>
const pixels = z.int().min(0).max(16_384)
const percent = z.number().min(0).max(100)

/** Length of the view with which a path is smoothed by two readings: the deviation of its bell, in seconds. */
export const steadySeconds = { short: 0.25, medium: 0.5, long: 1 }

/** What brings a picture to a new number of frames. */
export const InBetween = z.enum(['repeat', 'blend', 'motion'])
export type InBetween = z.infer<typeof InBetween>

/** How the pixels of an enlarged or reduced picture are worked out from their neighbours. */
export const Kernel = z.enum(['lanczos', 'spline', 'bicubic'])
export type Kernel = z.infer<typeof Kernel>

export const LearnedKind = z.enum(['clean', 'compressed', 'drawn'])
export type LearnedKind = z.infer<typeof LearnedKind>
export const LearnedSize = z.enum(['fast', 'careful'])
export type LearnedSize = z.infer<typeof LearnedSize>

export const Corner = z.enum(['top left', 'top right', 'bottom left', 'bottom right', 'middle'])

export const Step = z.discriminatedUnion('kind', [
  // Scan and time
  z.object({
    kind: z.literal('trim'),
    ranges: z
      .array(z.object({ from: z.number().min(0), to: z.number().positive() }))
      .min(1)
      .max(100),
  }),
  z.object({
    kind: z.literal('deinterlace'),
    to: z.enum(['frame rate', 'field rate']),
    firstField: z.enum(['as found', 'top', 'bottom']),
  }),
  z.object({ kind: z.literal('undo-pulldown') }),
  z.object({ kind: z.literal('drop-repeats'), every: z.int().min(2).max(25) }),
  z.object({ kind: z.literal('speed'), factor: z.number().min(0.1).max(4), between: InBetween, cutThreshold: percent }),
  z.object({ kind: z.literal('more-frames'), times: z.int().min(2).max(5), between: InBetween, cutThreshold: percent }),
  z.object({ kind: z.literal('rate'), to: Rational, between: InBetween, cutThreshold: percent }),
  // Frame
  z.object({ kind: z.literal('crop'), left: pixels, top: pixels, right: pixels, bottom: pixels }),
  z.object({ kind: z.literal('aspect'), display: Rational }),
  z.object({ kind: z.literal('rotate'), degrees: z.literal([90, 180, 270]) }),
  z.object({ kind: z.literal('flip'), way: z.enum(['left to right', 'top to bottom']) }),
  // The picture loses so many pixels at each edge, within which it can be moved.
  // "Two readings" looks ahead with a second reading of the source; `smooth` is how long its view is, and counts there only.
  z.object({
    kind: z.literal('steady'),
    edge: z.int().min(4).max(256),
    method: z.enum(['quick', 'two readings']).default('quick'),
    smooth: strength('short', 'medium', 'long').default('medium'),
  }),
  z.object({
    kind: z.literal('scale'),
    to: z.discriminatedUnion('by', [
      z.object({ by: z.literal('factor'), factor: z.number().min(0.1).max(8) }),
      FrameSize.extend({ by: z.literal('size') }),
    ]),
    kernel: Kernel,
  }),
  z.object({ kind: z.literal('pad'), to: FrameSize }),
  // Clean
  z.object({ kind: z.literal('deblock'), strength: strength('light', 'strong') }),
  z.object({ kind: z.literal('clean-up'), strength: percent }),
  z.object({ kind: z.literal('denoise'), method: z.enum(['fast', 'careful']), strength: Strength }),
  z.object({ kind: z.literal('flicker'), frames: z.int().min(3).max(25) }),
  z.object({ kind: z.literal('deband'), strength: Strength }),
  z.object({ kind: z.literal('sharpen'), strength: Strength }),
  // `radius` is the standard deviation of the blur that is undone, in pixels.
  z.object({ kind: z.literal('unblur'), radius: z.number().min(0.3).max(4), strength: Strength }),
  z.object({ kind: z.literal('dehalo'), strength: Strength }),
  z.object({ kind: z.literal('anti-alias'), along: z.enum(['lines', 'lines and columns']) }),
  z.object({ kind: z.literal('dust'), strength: Strength }),
  z.object({ kind: z.literal('scratches'), strength: Strength }),
  z.object({
    kind: z.literal('soften-mark'),
    x: pixels,
    y: pixels,
    width: z.int().min(3).max(4096),
    height: z.int().min(3).max(4096),
  }),
  // Enlarge
  z.object({
    kind: z.literal('learned'),
    network: LearnedKind,
    size: LearnedSize,
    times: z.literal([2, 4]),
    strength: percent,
  }),
  // Colour
  z.object({
    kind: z.literal('grade'),
    exposure: z.number().min(-3).max(3),
    contrast: z.number().min(-100).max(100),
    saturation: z.number().min(-100).max(100),
    warmth: z.number().min(-100).max(100),
    tint: z.number().min(-100).max(100),
  }),
  // On red, green and blue of full range, as tables for finished pictures expect. Null until one is chosen.
  z.object({ kind: z.literal('lookup-table'), asset: AssetRef.nullable(), strength: percent }),
  z.object({ kind: z.literal('black-and-white') }),
  // `white` is the light that the picture's white gets, in cd/m².
  z.object({ kind: z.literal('high-range'), transfer: z.enum(['PQ', 'HLG']), white: z.number().min(100).max(400) }),
  z.object({ kind: z.literal('grain'), strength: Strength }),
  // Marks
  // The first track of a language, or of all where none is named; `size`: height of its letters, as a part of the frame's, where it is text.
  z.object({
    kind: z.literal('burn-subtitles'),
    language: z.string().max(35),
    which: z.enum(['all', 'forced']),
    size: z.number().min(2).max(15),
  }),
  z.object({
    kind: z.literal('text-mark'),
    text: z.string().trim().min(1).max(200),
    corner: Corner,
    size: z.number().min(1).max(30),
    opacity: percent,
  }),
  z.object({
    kind: z.literal('picture-mark'),
    asset: AssetRef.nullable(),
    corner: Corner,
    size: z.number().min(1).max(100),
    opacity: percent,
  }),
  // Sound
  z.object({ kind: z.literal('keep-tracks'), tracks: z.array(z.int().min(0).max(255)).max(64) }),
  // `track`: the source's track that it is done to, counted from 0; all of them unless said.
  z.object({ kind: z.literal('sound-hum'), hertz: z.literal([50, 60]), track: z.int().min(0).optional() }),
  z.object({ kind: z.literal('sound-denoise'), strength: Strength }),
  z.object({
    kind: z.literal('channels'),
    make: z.enum(['left on both', 'right on both', 'swapped', 'right turned over']),
    track: z.int().min(0).optional(),
  }),
  z.object({ kind: z.literal('speech'), strength: Strength }),
  z.object({ kind: z.literal('sound-delay'), milliseconds: z.int().min(-10_000).max(10_000) }),
  z.object({ kind: z.literal('loudness'), target: z.number().min(-40).max(-8) }),
])
export type Step = z.infer<typeof Step>
export type StepKind = Step['kind']
export type StepOf<Kind extends StepKind> = Extract<Step, { kind: Kind }>

/** Steps as a treatment keeps them. */
export const Steps = z.array(Step).max(60)

export type StepGroup = 'scan and time' | 'frame' | 'clean' | 'enlarge' | 'colour' | 'marks' | 'sound'

interface StepKindInfo {
  name: string
  group: StepGroup
  /** Place in the working order. */
  rank: number
  /** Why it stands where it stands: the end of a sentence after "... because". */
  placed: string
  /** Whether a treatment may have several. */
  several?: true
}

/** Every kind of step in working order. */
export const stepKinds: Record<StepKind, StepKindInfo> = {
  trim: { name: 'Trim', group: 'scan and time', rank: 0, placed: 'what is trimmed off needs no work' },
  deinterlace: { name: 'Deinterlace', group: 'scan and time', rank: 1, placed: 'any other step would mix the fields' },
  'undo-pulldown': {
    name: 'Undo pulldown',
    group: 'scan and time',
    rank: 1,
    placed: 'any other step would mix the fields',
  },
  'drop-repeats': {
    name: 'Drop repeated frames',
    group: 'scan and time',
    rank: 2,
    placed: 'repeats are found by being equal, which cleaning would spoil',
  },
  'soften-mark': {
    name: 'Soften a mark',
    group: 'clean',
    rank: 3,
    placed: 'its region is given in pixels of the source',
    several: true,
  },
  dust: {
    name: 'Repair dust',
    group: 'clean',
    rank: 4,
    placed: 'dust is known by being in one frame only, which cleaning would smear over several',
  },
  scratches: {
    name: 'Repair scratches',
    group: 'clean',
    rank: 5,
    placed: 'scratches are found by being straight and a few pixels wide',
  },
  crop: { name: 'Crop', group: 'frame', rank: 6, placed: 'borders need no work and would mislead the steps after it' },
  aspect: { name: 'Set the aspect', group: 'frame', rank: 7, placed: 'sizes are worked out from it' },
  rotate: { name: 'Rotate', group: 'frame', rank: 8, placed: 'sizes are worked out from it' },
  flip: { name: 'Flip', group: 'frame', rank: 9, placed: 'it costs nothing while the picture is small', several: true },
  deblock: { name: 'Deblock and dering', group: 'clean', rank: 10, placed: 'the blocks lie on the grid of the source' },
  'clean-up': {
    name: 'Clean up, learned',
    group: 'clean',
    rank: 11,
    placed: 'it knows damage at the size of the source',
  },
  denoise: {
    name: 'Denoise',
    group: 'clean',
    rank: 12,
    placed: 'noise would be enlarged and sharpened with the picture',
  },
  'anti-alias': { name: 'Anti-alias', group: 'clean', rank: 13, placed: 'stairs would be enlarged with the picture' },
  dehalo: {
    name: 'Dehalo',
    group: 'clean',
    rank: 14,
    placed: 'halos would be enlarged and sharpened with the picture',
  },
  unblur: {
    name: 'Unblur',
    group: 'clean',
    rank: 15,
    placed: 'the blur is undone best at the size at which it happened, and it would strengthen noise',
  },
  flicker: {
    name: 'Even out flicker',
    group: 'clean',
    rank: 16,
    placed: 'new frames would be mixed from brighter and darker ones',
  },
  steady: {
    name: 'Steady',
    group: 'frame',
    rank: 17,
    placed: 'motion is found best in a clean picture of its own size',
  },
  speed: { name: 'Speed', group: 'scan and time', rank: 18, placed: 'it costs least before enlarging' },
  'more-frames': { name: 'More frames', group: 'scan and time', rank: 19, placed: 'it costs least before enlarging' },
  rate: { name: 'Change the rate', group: 'scan and time', rank: 20, placed: 'it costs least before enlarging' },
  learned: { name: 'Enlarge, learned', group: 'enlarge', rank: 21, placed: 'it wants a clean picture' },
  scale: { name: 'Scale', group: 'enlarge', rank: 22, placed: 'it brings what was enlarged to its size' },
  deband: { name: 'Deband', group: 'clean', rank: 23, placed: 'steps between shades are smoothed at the final size' },
  sharpen: { name: 'Sharpen', group: 'clean', rank: 24, placed: 'how sharp a picture is shows at its final size' },
  grade: {
    name: 'Grade',
    group: 'colour',
    rank: 25,
    placed: "the steps before it are set for the source's own levels",
  },
  'lookup-table': {
    name: 'Lookup table',
    group: 'colour',
    rank: 26,
    placed: 'tables are made for a picture that is graded to normal',
  },
  'black-and-white': {
    name: 'Black and white',
    group: 'colour',
    rank: 27,
    placed: 'the colours decide how bright each shade of grey is',
  },
  pad: { name: 'Pad', group: 'frame', rank: 28, placed: 'bars must stay black' },
  'burn-subtitles': {
    name: 'Burn in subtitles',
    group: 'marks',
    rank: 28.5,
    placed: 'their letters must not be cleaned or scaled',
  },
  'text-mark': {
    name: 'Text mark',
    group: 'marks',
    rank: 29,
    placed: 'its letters must not be cleaned or scaled',
    several: true,
  },
  'picture-mark': {
    name: 'Picture mark',
    group: 'marks',
    rank: 30,
    placed: 'it must not be cleaned or scaled',
    several: true,
  },
  'high-range': {
    name: 'To high dynamic range',
    group: 'colour',
    rank: 31,
    placed: 'all before it is set for standard range',
  },
  grain: { name: 'Grain', group: 'colour', rank: 32, placed: 'any step after it would smear the grain' },
  'keep-tracks': { name: 'Keep tracks', group: 'sound', rank: 33, placed: 'dropped tracks need no work' },
  channels: { name: 'Channels', group: 'sound', rank: 34, placed: 'cleaning listens to all channels' },
  'sound-hum': { name: 'Take out hum', group: 'sound', rank: 35, placed: 'it would be taken for sound' },
  'sound-denoise': { name: 'Denoise the sound', group: 'sound', rank: 36, placed: 'noise would be made louder' },
  speech: { name: 'Clear speech', group: 'sound', rank: 37, placed: 'it lifts quiet words, and noise with them' },
  'sound-delay': { name: 'Move the sound', group: 'sound', rank: 38, placed: 'it changes nothing but the time' },
  loudness: { name: 'Loudness', group: 'sound', rank: 39, placed: 'it measures what the steps before it leave' },
}

/** A step of a kind with the settings that suit most material. */
export function newStep(kind: StepKind): Step {
  switch (kind) {
    case 'trim':
      return { kind, ranges: [{ from: 0, to: 10 }] }
    case 'deinterlace':
      return { kind, to: 'frame rate', firstField: 'as found' }
    case 'drop-repeats':
      return { kind, every: 5 }
    case 'speed':
      return { kind, factor: 0.5, between: 'motion', cutThreshold: 10 }
    case 'more-frames':
      return { kind, times: 2, between: 'motion', cutThreshold: 10 }
    case 'rate':
      return { kind, to: { num: 25, den: 1 }, between: 'repeat', cutThreshold: 10 }
    case 'crop':
      return { kind, left: 8, top: 0, right: 8, bottom: 0 }
    case 'aspect':
      return { kind, display: { num: 4, den: 3 } }
    case 'rotate':
      return { kind, degrees: 90 }
    case 'flip':
      return { kind, way: 'left to right' }
    case 'steady':
      return { kind, edge: 24, method: 'quick', smooth: 'medium' }
    case 'scale':
      return { kind, to: { by: 'factor', factor: 2 }, kernel: 'lanczos' }
    case 'pad':
      return { kind, to: { width: 1920, height: 1080 } }
    case 'deblock':
      return { kind, strength: 'light' }
    case 'clean-up':
      return { kind, strength: 100 }
    case 'denoise':
      return { kind, method: 'fast', strength: 'medium' }
    case 'flicker':
      return { kind, frames: 5 }
    case 'deband':
      return { kind, strength: 'light' }
    case 'sharpen':
      return { kind, strength: 'light' }
    case 'unblur':
      return { kind, radius: 1, strength: 'light' }
    case 'dehalo':
      return { kind, strength: 'medium' }
    case 'anti-alias':
      return { kind, along: 'lines and columns' }
    case 'dust':
      return { kind, strength: 'medium' }
    case 'scratches':
      return { kind, strength: 'medium' }
    case 'speech':
      return { kind, strength: 'medium' }
    case 'soften-mark':
      return { kind, x: 16, y: 16, width: 64, height: 32 }
    case 'learned':
      return { kind, network: 'clean', size: 'fast', times: 2, strength: 100 }
    case 'grade':
      return { kind, exposure: 0, contrast: 0, saturation: 0, warmth: 0, tint: 0 }
    case 'lookup-table':
      return { kind, asset: null, strength: 100 }
    case 'high-range':
      return { kind, transfer: 'PQ', white: 203 }
    case 'picture-mark':
      return { kind, asset: null, corner: 'top right', size: 10, opacity: 80 }
    case 'grain':
      return { kind, strength: 'light' }
    case 'burn-subtitles':
      return { kind, language: '', which: 'all', size: 5 }
    case 'text-mark':
      return { kind, text: 'Skerry Lights', corner: 'bottom right', size: 4, opacity: 60 }
    case 'keep-tracks':
      return { kind, tracks: [0] }
    case 'sound-hum':
      return { kind, hertz: 50 }
    case 'sound-denoise':
      return { kind, strength: 'medium' }
    case 'channels':
      return { kind, make: 'left on both' }
    case 'sound-delay':
      return { kind, milliseconds: 0 }
    case 'loudness':
      return { kind, target: -23 }
    case 'undo-pulldown':
    case 'black-and-white':
      return { kind }
  }
}

/** The assets that steps name, each once. */
export function assetsOf(steps: readonly Step[]): { asset: AssetRef; kind: AssetKind }[] {
  const named = steps.flatMap(step =>
    (step.kind === 'lookup-table' || step.kind === 'picture-mark') && step.asset
      ? [{ asset: step.asset, kind: step.kind === 'picture-mark' ? ('picture' as const) : ('lookup table' as const) }]
      : [],
  )
  return named.filter(({ asset }, index) => named.findIndex(other => other.asset.sha256 === asset.sha256) === index)
}
