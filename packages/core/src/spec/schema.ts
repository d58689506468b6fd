import { z } from 'zod'
import { FineSettings, pictureCodecs, soundCodecs } from '../codecs/index.ts'
import { FrameRule } from '../geometry.ts'
import { Rational } from '../rational.ts'
import { Container } from './container.ts'
import { Numbering } from './naming.ts'
import { SpecPieces } from './piece.ts'
import { SpecSheet } from './sheet.ts'

/** Codecs by the library's names of their streams; what each is stands in `codecs`. */
export const VideoCodec = z.enum(pictureCodecs.map(codec => codec.key) as [string, ...string[]])
export type VideoCodec = z.infer<typeof VideoCodec>
export const AudioCodec = z.enum(soundCodecs.map(codec => codec.key) as [string, ...string[]])
export type AudioCodec = z.infer<typeof AudioCodec>

/** How a codec is told how many bits to spend. Constant quality values are on the codec's own scale (lower is better). */
export const RateControl = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('constant quality'), value: z.number().min(0).max(63) }),
  z.object({
    kind: z.literal('average rate'),
    bitsPerSecond: z.int().min(50_000).max(2_000_000_000),
    /** Most bits a second, and what a player keeps ahead, in bits: as a disc or a broadcast limits them. */
    peakBitsPerSecond: z.int().positive().max(2_000_000_000).nullable(),
    bufferBits: z.int().positive().max(2_000_000_000).nullable(),
  }),
  z.object({
    kind: z.literal('size cap'),
    /** Most bytes that the whole file may have. */
    bytes: z.int().min(100_000).max(1_000_000_000_000),
  }),
  z.object({
    kind: z.literal('quality target'),
    /** XPSNR of the whole result against the treated source, in dB. */
    xpsnr: z.number().min(25).max(60),
  }),
  z.object({ kind: z.literal('set by profile') }),
  z.object({ kind: z.literal('lossless') }),
])
export type RateControl = z.infer<typeof RateControl>

const SpecLanguages = z.array(z.string().min(2).max(35)).min(1).max(20)

/** Which subtitle tracks are kept, and where. */
export const SpecSubtitles = z.object({
  /** As those of sound. */
  languages: SpecLanguages.optional(),
  commentary: z.literal('left out').optional(),
  /** Which one a player shows by itself: the first forced one, the first of all, or none. */
  shown: z.enum(['forced', 'first', 'none']),
  /** Which become files beside the result instead of tracks in it; left out, none. */
  files: z.enum(['what it cannot hold', 'all']).optional(),
  /** What text is in such files; left out, SubRip. */
  text: z.literal('webvtt').optional(),
})
export type SpecSubtitles = z.infer<typeof SpecSubtitles>

/** What the sound of a result must be. */
export const SpecSound = z.object({
  codec: AudioCodec,
  bitsPerSecondPerChannel: z.int().min(8000).max(640_000).nullable(),
  maxChannels: z.int().positive().max(64),
  sampleRate: z.int().min(8000).max(192_000),
  /** Languages that are kept, in this order; left out, all tracks in theirs. Tracks that state none are kept behind. */
  languages: SpecLanguages.optional(),
  /** Whether tracks on which somebody speaks about the picture stay out; left out, they are kept like others. */
  commentary: z.literal('left out').optional(),
  /** Beside a picture: whether a track that meets the spec as it is, in any codec that the container holds, stays untouched; left out, all are encoded. */
  copied: z.literal('where it fits').optional(),
  /** Beside a picture: whether a track of more than two channels is followed by one of it in stereo, unless its language has one. */
  stereoBeside: z.boolean().optional(),
})
export type SpecSound = z.infer<typeof SpecSound>

/** What of a source's tags its results keep; what is left out is not kept. */
export const SpecTags = z.object({
  /** Its title; or, where it has none, its name. */
  title: z.enum(['as the source', 'or its name']).optional(),
  date: z.literal(true).optional(),
  /** Whatever else it says of itself: who, what, where. */
  others: z.literal(true).optional(),
  cover: z.literal(true).optional(),
})
export type SpecTags = z.infer<typeof SpecTags>

const SpecBase = z.object({
  key: z.string(),
  /** Which version of the spec it is; left out by jobs of before there were versions. */
  version: z.int().positive().optional(),
  name: z.string().trim().min(1, 'is empty').max(60, 'is longer than 60 characters'),
  /** One sentence on what it is for. */
  purpose: z.string().trim().max(300, 'is longer than 300 characters'),
  container: Container,
  audio: SpecSound,
  /** Left out, each source is one result. */
  pieces: SpecPieces.optional(),
  /** Whether chapters of the source stay; left out, they do not. */
  keepsChapters: z.boolean().optional(),
  /** Left out, results say nothing of themselves. */
  tags: SpecTags.optional(),
  /** What results are called, with the parts of `nameParts` in braces and "/" between folders; left out, the source's name and `nameSuffix`. */
  namePattern: z.string().trim().min(1, 'is empty').max(200, 'is longer than 200 characters').optional(),
  /** Added to the source's name before the ending. */
  nameSuffix: z
    .string()
    .regex(/^[\p{L}\p{N} _.,()+-]{0,40}$/u, 'holds more than 40 signs, or one that no file name should have'),
})

/** What a result with a picture must be. */
export const PictureSpec = SpecBase.extend({
  /** Null leaves the sound out. */
  audio: SpecSound.nullable(),
  /** Left out, no subtitles are kept. */
  subtitles: SpecSubtitles.optional(),
  /** Drawn beside each result; left out, none is. */
  sheet: SpecSheet.optional(),
  /** Of image sequences; usually `usualNumbering`. */
  numbering: Numbering.optional(),
  /** Pixels to an inch that pictures state for print; left out, none. */
  dotsPerInch: z.int().min(1).max(9600).optional(),
  /** Of pictures in files of their own: whether what a camera said of them stays (Exif); left out, it does not. */
  keepsCameraData: z.boolean().optional(),
  video: z.object({
    /**
     * Whether a picture that nothing has to be done to stays untouched, packet by packet: where its codec, profile, level and samples are the spec's, or in any
     * codec that the container holds; left out, all are encoded. What is encoded all the same is by the rest of this.
     */
    copied: z.enum(['where it fits', 'in any codec']).optional(),
    codec: VideoCodec,
    /** Whether a graphics device encodes; left out, the processor does, whose pictures are the same wherever they are made. */
    encoder: z.literal('hardware').optional(),
    profile: z.string().nullable(),
    /** Level as the standard writes it ("4.1"), where the codec has levels and the spec limits them. */
    level: z.string().nullable(),
    /** Pixel format of the result, or null for the source's own. */
    pixelFormat: z.string().nullable(),
    scan: z.enum(['progressive', 'as source']),
    /** What interlaced material becomes: one frame a frame, or one frame a field (smoother, twice the frames). */
    deinterlaceTo: z.enum(['frame rate', 'field rate']),
    frame: FrameRule,
    maxFrameRate: Rational.nullable(),
    /** Whether every result runs at `maxFrameRate`; left out, slower material keeps its own rate. */
    holdsFrameRate: z.literal(true).optional(),
    rateControl: RateControl,
    /** The encoder's speed setting, in its own words; null where it has none. */
    effort: z.string().nullable(),
    /** What is set besides, one level down. */
    fine: FineSettings.optional(),
    /** Longest distance between keyframes; null means every frame is one. */
    keyframeSeconds: z.number().positive().max(60).nullable(),
  }),
})
export type PictureSpec = z.infer<typeof PictureSpec>

/** What sound taken out of a source into a file of its own must be. */
export const SoundSpec = SpecBase.extend({
  video: z.null(),
  /** `sampleRate` null is the track's own. */
  audio: SpecSound.extend({ sampleRate: z.int().min(8000).max(192_000).nullable() }),
})
export type SoundSpec = z.infer<typeof SoundSpec>

/** What a result must be. */
export const DeliverySpec = z.union([PictureSpec, SoundSpec])
export type DeliverySpec = z.infer<typeof DeliverySpec>

/** The sound of a spec that has one. @throws TypeError for a spec without */
export function soundOf<Sound extends { codec: string }>({
  name,
  audio,
}: {
  name: string
  audio: Sound | null
}): Sound {
  if (audio === null) throw new TypeError(`${name} has no sound.`)
  return audio
}

/** A spec as a person writes it: its key and version are given to it when it is kept. */
export const SpecDraft = z.union([
  PictureSpec.omit({ key: true, version: true }),
  SoundSpec.omit({ key: true, version: true }),
])
export type SpecDraft = z.infer<typeof SpecDraft>

/** A spec as a file that travels from one installation to another. */
export const SpecFile = z.object({ kind: z.literal('hematine delivery spec'), format: z.literal(1), spec: SpecDraft })
export type SpecFile = z.infer<typeof SpecFile>

/** "Small MP4", from its second version on "Small MP4 v2". */
export function specTitle({ name, version = 1 }: Pick<DeliverySpec, 'name' | 'version'>): string {
  return version > 1 ? `${name} v${version}` : name
}
