import { z } from 'zod'
import { ColourDescription } from './colour.ts'
import { Rational } from './rational.ts'
import { Course, Gap, Jump } from './course.ts'
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
  /** Level as the standard writes it; absent where the stream states none, or its codec is none that Hematine delivers. */
  level: z.string().optional(),
  width: z.int().positive(),
  height: z.int().positive(),
  pixelAspect: Rational,
  /** Frames a second (of frames, not of fields): the rate that most pictures keep. */
  frameRate: Rational,
  /** Whether pictures keep that rate throughout, but for single gaps. */
  rateIs: z.enum(['constant', 'variable']),
  /** Pictures a second over the whole length; absent where the packets were not counted. */
  averageRate: z.number().positive().optional(),
  /** Pictures that the source holds. */
  frameCount: z.int().min(0),
  /** Counted packet by packet, read from the container, worked out from length and rate, or a file each. The second and third are estimates. */
  frameCountFrom: z.enum(['packets', 'container', 'length', 'files']),
  /** Frames of `frameRate` from the first picture to the end of the last: more than pictures where there are gaps and repeats. */
  slots: z.int().min(0).optional(),
  /** Packets without data, each of which shows the last picture once more. */
  repeats: z.int().min(0).optional(),
  /** Stretches in which no new picture comes although the rate is constant; the first of them by their places. */
  gaps: z.object({ count: z.int().min(0), seconds: z.number().min(0), places: z.array(Gap) }).optional(),
  /** How the file says that the picture is to be turned and mirrored; sizes here are those of the picture the right way up. */
  turned: z.string().optional(),
  /** What the file says is to be cut off the stored picture, in pixels; sizes here are those of what is left. */
  cutOff: z
    .object({ left: z.int().min(0), top: z.int().min(0), right: z.int().min(0), bottom: z.int().min(0) })
    .optional(),
  /** Presentation time of the first decoded frame, in ticks of `timeBase`: time 0 of the source for picture and sound. */
  startTicks: z.int(),
  timeBase: Rational,
  scan: Scan,
  pixelFormat: z.string(),
  bitDepth: z.int().positive(),
  /** Whether samples have a part that says how opaque they are. */
  hasAlpha: z.boolean().optional(),
  isRgb: z.boolean(),
  chroma: z.string(),
  colour: ColourDescription,
  /** Name of the profile (ICC) that a picture's colours are by, where its file has one. */
  profileName: z.string().optional(),
  bitsPerSecond: z.number().positive().nullable(),
})
export type VideoFacts = z.infer<typeof VideoFacts>

/** Where a chapter begins, in seconds from the first picture, and what it is called. */
export const Chapter = z.object({ from: z.number().min(0), title: z.string().nullable() })
export type Chapter = z.infer<typeof Chapter>

/** What a track is for beside being there: shown or heard by itself, only what must be read, spoken about the picture, and so on. */
export const TrackRole = z.enum([
  'default',
  'forced',
  'commentary',
  'hearing impaired',
  'visually impaired',
  'original',
  'dub',
])
export type TrackRole = z.infer<typeof TrackRole>

export const AudioFacts = z.object({
  streamIndex: z.int().min(0),
  /** Its place among all tracks of the source, from 0, where some were left out. */
  position: z.int().min(0).optional(),
  /** Of a track that is delivered once more, mixed down. */
  mixed: z.literal('stereo').optional(),
  codec: z.string(),
  profile: z.string().nullable(),
  channels: z.int().positive(),
  layout: z.string(),
  sampleRate: z.int().positive(),
  bitsPerSecond: z.number().positive().nullable(),
  /** When its first sample is heard, in seconds from the picture's first frame; below 0 before it. */
  startSeconds: z.number().optional(),
  /** When its last sample ends, counted likewise; absent where its packets were not all read. */
  endSeconds: z.number().optional(),
  /** ISO 639 code as the file states it; null where the container cannot or does not say. */
  language: z.string().nullable(),
  title: z.string().nullable(),
  /** Absent where none is stated. */
  roles: z.array(TrackRole).optional(),
})
export type AudioFacts = z.infer<typeof AudioFacts>

export const SubtitleFacts = z.object({
  /** Null where the disc's tables name the stream, but none of it lies near the beginning. */
  streamIndex: z.int().min(0).nullable(),
  codec: z.string(),
  language: z.string().nullable(),
  title: z.string().nullable().optional(),
  roles: z.array(TrackRole).optional(),
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
  disc: z
    .object({
      name: z.string(),
      title: z.int().positive(),
      angle: z.int().positive(),
      chapters: z.array(z.number().min(0)),
    })
    .optional(),
  /** As a file has them; absent where it has none, or is no file. */
  chapters: z.array(Chapter).optional(),
  /** What a file says of itself as a whole, by names in lower case; absent where it says nothing. */
  tags: z.record(z.string(), z.string()).optional(),
  /** A still picture that a file carries beside what it plays. */
  cover: z
    .object({ streamIndex: z.int().min(0), codec: z.string(), width: z.int(), height: z.int(), bytes: z.int().min(0) })
    .optional(),
  /** For sources joined to one: what it is put together from, and when each begins. */
  joined: z.array(z.object({ name: z.string(), from: z.number().min(0) })).optional(),
  /** For a sequence: frames that are missing, as stretches counted from 0; the frame before stands in for them. */
  missingFrames: z.array(z.object({ from: z.int(), to: z.int() })).optional(),
  /** For a sequence whose frames still came when it was read: at what pace. */
  arriving: Arriving.optional(),
  /** What the container promises, where its packets were counted: frames of the picture, and seconds. */
  promised: z.object({ frames: z.int().min(0).nullable(), seconds: z.number().nullable() }).optional(),
  /** Places where the stated times jump although the material goes on. */
  jumps: z.array(Jump).optional(),
  /** How the times of its streams are brought into one line, for those that need it. */
  courses: z.array(Course).optional(),
  /** Sentences about what is odd in the file, for the technician. */
  remarks: z.array(z.string()),
})
export type SourceFacts = z.infer<typeof SourceFacts>

/** Whether the number of a source's pictures is an estimate. */
export function isEstimated(video: Pick<VideoFacts, 'frameCountFrom'>): boolean {
  return video.frameCountFrom === 'container' || video.frameCountFrom === 'length'
}

/** Frames of a source's rate over its length. */
export function spannedFrames(video: Pick<VideoFacts, 'frameCount' | 'slots'>): number {
  return video.slots ?? video.frameCount
}

/** Formats whose names do not follow the usual rule: the fewest bits a component has, and how they are told. */
const packedDepths: [pattern: RegExp, bitDepth: number][] = [
  [/^(rgb|bgr)(4|8)(_byte)?$/, 1],
  [/^mono[wb]/, 1],
  [/^(rgb|bgr)444/, 4],
  [/^(rgb|bgr)5(55|65)/, 5],
  [/^pal8/, 8],
  [/^x2(rgb|bgr)10/, 10],
  [/^(rgb|bgr)48/, 16],
  [/^(rgb|bgr)a64/, 16],
  [/^(xv|vuy|v)30|^y210|^v210/, 10],
  [/^xv36|^y212/, 12],
  [/^(xyz12|p012)/, 12],
  [/^(ayuv64|y216)/, 16],
]

/** What a library pixel format's name says: bits per component, chroma sampling ("4:2:0", "RGB", "grey"), whether it is RGB and whether it has alpha. */
export function describePixelFormat(name: string): {
  bitDepth: number
  chroma: string
  isRgb: boolean
  hasAlpha: boolean
} {
  const isRgb = /^(gb|rgb|bgr|argb|abgr|0rgb|0bgr|pal8|x2rgb|x2bgr|bayer)/.test(name)
  const isFloat = /f(16|32)/.exec(name)
  const stated =
    /p(?:f)?(9|10|12|14|16)(?:le|be)?$/.exec(name) ??
    /^gray(9|10|12|14|16)/.exec(name) ??
    /^[pn][0-4]?(10|12|16)/.exec(name) ??
    /^p[024](10|12|16)/.exec(name)
  const packed = packedDepths.find(([pattern]) => pattern.test(name))
  const bitDepth = isFloat ? Number(isFloat[1]) : packed ? packed[1] : stated ? Number(stated[1]) : 8
  const sampling = /(420|422|444|440|411|410)/.exec(isRgb ? '' : name)?.[1]
  const chroma = isRgb
    ? 'RGB'
    : /^(gray|mono|ya)/.test(name)
      ? 'grey'
      : sampling
        ? [...sampling].join(':')
        : /^(nv12|nv21|p0)/.test(name)
          ? '4:2:0'
          : /^(nv24|nv42|p4|xv|vuy|ayuv)/.test(name)
            ? '4:4:4'
            : '4:2:2'
  return { bitDepth, chroma, isRgb, hasAlpha: /^(yuva|gbrap|rgba|bgra|argb|abgr|ya8|ya16|ayuv|vuya|pal8)/.test(name) }
}
