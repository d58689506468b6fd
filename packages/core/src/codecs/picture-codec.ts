import { z } from 'zod'
import type { FullColourDescription } from '../colour.ts'
import type { FrameSize } from '../geometry.ts'
import { equal, rational, type Rational } from '../rational.ts'
import { describeRate } from '../timing.ts'
import type { CodecLevels } from './levels.ts'

/** A profile of a codec: what samples it holds and what it is for, in plain words. */
export interface CodecProfile {
  key: string
  /** Names under which streams of the profile state it, in lower case and without spaces. */
  statedAs: readonly string[]
  /** The library's names; the first is proposed. Null where it holds any that the codec does. */
  pixelFormats: readonly string[]
  /** The format that its pictures are decoded to, where that is another one than they are handed over in. */
  decodesAs?: string
  says: string
}

/** A setting of how much an encoder tries. */
export interface CodecEffort {
  value: string
  says: string
}

/** What a picture can be told to be, where an encoder spends its bits by that. */
export const pictureKinds = ['film', 'drawn', 'grain'] as const

/** Settings of an encoder one level down. What is left out is as the effort sets it. */
export const FineSettings = z.object({
  /** Frames between two that the next ones lean on (B frames). */
  betweenFrames: z.int().min(0).max(16).optional(),
  /** Frames that one can lean on; a level may allow fewer. */
  references: z.int().min(1).max(16).optional(),
  /** Whether no frame leans on one of the group before (closed GOP), so that each group can be cut out. */
  closedGroups: z.literal(true).optional(),
  suits: z.enum(pictureKinds).optional(),
})
export type FineSettings = z.infer<typeof FineSettings>

/** Which fine settings an encoder has, and what is offered of each. */
export interface CodecFine {
  betweenFrames?: readonly number[]
  references?: readonly number[]
  /** Whether groups can be closed that are open otherwise. */
  closedGroups?: boolean
  suits?: readonly (typeof pictureKinds)[number][]
}

/** How a codec spends bits at a quality that is held. Numbers are on its own scale, where lower is better. */
export interface QualityScale {
  best: number
  worst: number
  usual: number
  step: number
}

/** Settings of an encoder: its own options by name, and what the library sets for every encoder. */
export interface EncoderSettings {
  options: Record<string, string>
  /** Held quality of encoders that count in quantisers. */
  quantiser?: number
  bitsPerSecond?: number
  peakBitsPerSecond?: number
  bufferBits?: number
  /** Frames between two that the next ones lean on; null leaves it to the encoder. */
  betweenFrames?: number
}

/** What is chosen of a codec in a spec. */
export interface CodecChoice {
  profile: string | null
  level: string | null
  effort: string | null
  rateControl: RateChoice
  /** Only of codecs that a size can be kept of. */
  pass?: EncodingPass | undefined
  fine?: FineSettings | undefined
  /** For print; null where none is stated. */
  dotsPerInch?: number | null | undefined
}
export type RateChoice =
  | { kind: 'constant quality'; value: number }
  | { kind: 'average rate'; bitsPerSecond: number; peakBitsPerSecond: number | null; bufferBits: number | null }
  | { kind: 'set by profile' }
  | { kind: 'lossless' }
/** A cap on the size and a quality as it is measured are brought about by what codecs know. */
export type RateKind = RateChoice['kind'] | 'size cap' | 'quality target'

/** One of two passes over the same frames: the first writes what it learned of them to a file, the second reads it. */
export interface EncodingPass {
  number: 1 | 2
  statistics: string
}

/** Everything that Hematine knows of a picture codec as one to deliver in. */
export interface PictureCodec {
  /** The library's name of streams in it, unless `streamName` says another one. */
  key: string
  /** The library's name of what its files hold, where that is a codec of its own. */
  streamName?: string
  /** As written in the trade. */
  name: string
  says: string
  /** The library's name of the encoder. */
  encoder: string
  profiles: readonly CodecProfile[]
  /** Formats that it holds whatever the profile. */
  pixelFormats: readonly string[]
  rates: readonly RateKind[]
  quality: QualityScale | null
  efforts: readonly CodecEffort[]
  /** Whether every frame stands alone, so that there is no distance of keyframes to choose. */
  everyFrameAlone: boolean
  levels: CodecLevels | null
  /** Whether fields can be coded as such. */
  keepsFields: boolean
  /** Matrices (H.273) that its streams can state; null for any. */
  matrices: readonly string[] | null
  /** The colours that its pictures have, where they are not those of video: made of the source's. */
  colourOf: ((source: FullColourDescription) => FullColourDescription) | null
  /** Whether colours for groups of pixels lie in their middle, and not beside the left ones. */
  centresChroma: boolean
  /** Whether its files can say that their pictures are of high dynamic range. */
  keepsHighRange: boolean
  /** Multiples that sides of its pictures are cut to, since its encoder takes no others; left out, none. */
  cutsSidesTo?: number
  /** Why a frame rate cannot be coded in a profile, as a sentence; null when it can. */
  rateProblem(rate: Rational, profile: string | null): string | null
  /** Why a frame size cannot be coded in a profile, as a sentence; null when it can. */
  sizeProblem(size: FrameSize, profile: string | null): string | null
  /** Which settings its encoder has one level down; left out, none. */
  fine?: CodecFine
  /** What its files can say beside the picture; nothing of codecs whose pictures are no files. */
  remarks: readonly FileRemark[]
  /** Puts into a finished file what its encoder leaves out; only of codecs whose pictures are files. */
  finish?: (file: Uint8Array, about: AboutFile) => Uint8Array
  /** Puts what its encoder makes into a file that holds it; of codecs without, what the encoder makes is the file. */
  wrap?: (packet: Uint8Array, about: AboutFile) => Uint8Array
  /** Plain words as the encoder's settings. */
  settings(choice: CodecChoice, size: FrameSize, rate: Rational): EncoderSettings
}

/** The source's own primaries and curve, but for linear light: files that hold codes to be shown mean the curve of sRGB (IEC 61966-2-1) by them. */
export const asShown = (source: FullColourDescription): FullColourDescription =>
  source.transfer === 'linear' ? { ...source, transfer: 'iec61966-2-1' } : source

/** Red, green and blue from black to white. */
export const asRgb = (source: FullColourDescription): FullColourDescription => ({
  ...asShown(source),
  range: 'full',
  matrix: 'gbr',
})

/** What codecs have in common whose every picture stands alone. */
const eachAlone = {
  everyFrameAlone: true,
  levels: null,
  matrices: null,
  rateProblem: () => null,
  sizeProblem: () => null,
  centresChroma: false,
  remarks: [],
} as const

/** Of single pictures. */
export const pictureFile = { ...eachAlone, keepsFields: false, keepsHighRange: false } as const

/** Of moving pictures that are cut at any frame; their size follows from their format unless they say otherwise. */
export const editedFrames = {
  ...eachAlone,
  quality: null,
  efforts: [],
  colourOf: null,
  keepsHighRange: true,
} as const

/** What a picture in a file of its own can say. */
export type FileRemark = 'dots per inch' | 'camera data' | 'colour profile'

/** What is to be said in a picture's file. */
export interface AboutFile {
  dotsPerInch: number | null
  /** Camera data from its TIFF header on (Exif 2.32), or null. */
  exif: Uint8Array | null
  /** Profile of its colours (ICC.1), or null; only handed to formats whose encoders leave it out. */
  profile: Uint8Array | null
  frame: FrameSize
  colour: FullColourDescription
}

/** Bits of an average rate as settings. */
export function rateSettings(rate: RateChoice): Omit<EncoderSettings, 'options'> {
  if (rate.kind !== 'average rate') return {}
  return {
    bitsPerSecond: rate.bitsPerSecond,
    ...(rate.peakBitsPerSecond === null ? {} : { peakBitsPerSecond: rate.peakBitsPerSecond }),
    ...(rate.bufferBits === null ? {} : { bufferBits: rate.bufferBits }),
  }
}

/** A quality that is held, as an option of encoders that count in rate factors. */
export const rateFactor = (rate: RateChoice): Record<string, string> =>
  rate.kind === 'constant quality' ? { crf: String(rate.value) } : {}

/** No size, or rate, is refused. */
export const anySize = (): null => null
export const anyRate = (): null => null

/** A size of which both sides must be even. */
export const evenSides =
  (name: string) =>
  ({ width, height }: FrameSize): string | null =>
    width % 2 === 0 && height % 2 === 0 ? null : `${name} in 4:2:0 needs even sides, not ${width}x${height}.`

/** The rates of television and film. */
const televisionRates: readonly Rational[] = [
  rational(24_000, 1001),
  rational(24),
  rational(25),
  rational(30_000, 1001),
  rational(30),
  rational(50),
  rational(60_000, 1001),
  rational(60),
]

/** A rate of television and film. */
export const televisionRate =
  (name: string) =>
  (rate: Rational): string | null =>
    televisionRates.some(other => equal(rate, other))
      ? null
      : `${name} runs at ${televisionRates.map(describeRate).join(', ')} fps, not at ${describeRate(rate)}.`

/** Fine settings of the library's own encoders of MPEG. */
export const closable = (betweenFrames: readonly number[]): CodecFine => ({ betweenFrames, closedGroups: true })

/** Closed groups as those encoders are told of them: none begins at a change of scene, which they cannot do both. */
export const closed = (fine: FineSettings | undefined): Record<string, string> =>
  fine?.closedGroups ? { flags: '+cgop', sc_threshold: '1000000000' } : {}
