import { z } from 'zod'
import { ColourDescription } from './colour.ts'
import { Rational } from './rational.ts'
import { Arriving } from './sequence.ts'

/** How the lines of a frame were taken: at one moment, or as two fields, and which came first. */
export const Scan = z.object({
  kind: z.enum(['progressive', 'interlaced', 'mixed']),
  firstField: z.enum(['top', 'bottom']).nullable(),
  /** Decoded frames whose flags were read. */
  framesRead: z.int().min(0),
})
export type Scan = z.infer<typeof Scan>

export const VideoFacts = z.object({
  streamIndex: z.int().min(0),
  codec: z.string(),
  profile: z.string().nullable(),
  width: z.int().positive(),
  height: z.int().positive(),
  pixelAspect: Rational,
  /** Frames a second (of frames, not of fields). */
  frameRate: Rational,
  /** Whether the container's average and its base rate agree. */
  rateIs: z.enum(['constant', 'variable']),
  frameCount: z.int().min(0),
  /** Whether the count was read from the container or worked out from length and rate. */
  frameCountFrom: z.enum(['container', 'length', 'files']),
  /** Presentation time of the first decoded frame, in ticks of `timeBase`: time 0 of the source for picture and sound. */
  startTicks: z.int(),
  timeBase: Rational,
  scan: Scan,
  pixelFormat: z.string(),
  bitDepth: z.int().positive(),
  isRgb: z.boolean(),
  chroma: z.string(),
  colour: ColourDescription,
  bitsPerSecond: z.number().positive().nullable(),
})
export type VideoFacts = z.infer<typeof VideoFacts>

export const AudioFacts = z.object({
  streamIndex: z.int().min(0),
  codec: z.string(),
  profile: z.string().nullable(),
  channels: z.int().positive(),
  layout: z.string(),
  sampleRate: z.int().positive(),
  bitsPerSecond: z.number().positive().nullable(),
  /** ISO 639 code as the file states it; null where the container cannot or does not say. */
  language: z.string().nullable(),
  title: z.string().nullable(),
})
export type AudioFacts = z.infer<typeof AudioFacts>

export const SubtitleFacts = z.object({
  /** Null where the disc's tables name the stream, but none of it lies near the beginning. */
  streamIndex: z.int().min(0).nullable(),
  codec: z.string(),
  language: z.string().nullable(),
})
export type SubtitleFacts = z.infer<typeof SubtitleFacts>

/** What is known of a source after it was opened and its first frames were decoded. */
export const SourceFacts = z.object({
  container: z.string(),
  bytes: z.int().min(0),
  durationSeconds: z.number().positive().nullable(),
  bitsPerSecond: z.number().positive().nullable(),
  video: VideoFacts.nullable(),
  audio: z.array(AudioFacts),
  subtitles: z.array(SubtitleFacts),
  /** For a title of a disc: which it is, and where its chapters begin. */
  disc: z.object({ name: z.string(), title: z.int().positive(), angle: z.int().positive(), chapters: z.array(z.number().min(0)) }).optional(),
  /** For sources joined to one: what it is put together from, and when each begins. */
  joined: z.array(z.object({ name: z.string(), from: z.number().min(0) })).optional(),
  /** For a sequence: frames that are missing, as stretches counted from 0; the frame before stands in for them. */
  missingFrames: z.array(z.object({ from: z.int(), to: z.int() })).optional(),
  /** For a sequence whose frames still came when it was read: at what pace. */
  arriving: Arriving.optional(),
  /** Sentences about what is odd in the file, for the technician. */
  remarks: z.array(z.string()),
})
export type SourceFacts = z.infer<typeof SourceFacts>

/** What a library pixel format's name says: bits per component, chroma sampling ("4:2:0", "RGB", "grey") and whether it is RGB. */
export function describePixelFormat(name: string): { bitDepth: number, chroma: string, isRgb: boolean } {
  const isRgb = /^(gb|rgb|bgr|argb|abgr|0rgb|0bgr|pal8|x2rgb)/.test(name)
  const isFloat = /f(16|32)/.exec(name)
  const packed = /^(?:rgb|bgr)(48|24)|^(?:rgba|bgra)(64)/.exec(name)
  const stated = /p(?:f)?(9|10|12|14|16)(?:le|be)?$/.exec(name) ?? /^gray(9|10|12|14|16)/.exec(name) ?? /^p0(10|12|16)/.exec(name)
  const bitDepth = isFloat ? Number(isFloat[1]) : packed?.[1] === '48' || packed?.[2] === '64' ? 16 : stated ? Number(stated[1]) : /^v210/.test(name) ? 10 : 8
  const sampling = /(420|422|444|440|411|410)/.exec(name)?.[1]
  const chroma = isRgb ? 'RGB' : name.startsWith('gray') || name.startsWith('mono') ? 'grey' : sampling ? [...sampling].join(':') : /^(nv12|p0)/.test(name) ? '4:2:0' : '4:2:2'
  return { bitDepth, chroma, isRgb }
}
