import { z } from 'zod'
import { Account } from '../account.ts'
import { ColourDescription } from '../colour.ts'
import { Chapter, TrackRole } from '../facts.ts'
import { Glances } from '../glance.ts'
import { Rational } from '../rational.ts'
import { OnDisk } from './on-disk.ts'

/** Of a track that was to be copied: its packets and the source's, and how many are not the same, or of a picture shown at other times. */
export const Copy = z.object({ packets: z.int(), sourcePackets: z.int(), different: z.int() })
export type Copy = z.infer<typeof Copy>

/** Whether a track was copied, and every packet is the source's own. */
export const isUntouched = (copy: Copy | undefined): boolean =>
  copy !== undefined && copy.different === 0 && copy.packets === copy.sourcePackets

/** How like a track of sound is to what its encoder was given, sample by sample at 24 bits. */
export const SoundLikeness = z.object({
  /** The track as its treated source gives it. */
  treatedSeconds: z.number().min(0),
  sampleRate: z.int().positive(),
  channels: z.int().positive(),
  /** Whether all samples are equal, and the level of the difference below the sound in dB; null for equal or silent ones. */
  identical: z.boolean(),
  signalToNoise: z.number().nullable(),
  /** Seconds of what its encoder was given that never came out again. */
  lostSeconds: z.number().min(0).optional(),
  /** Level of the difference in dBFS, where what it was made of is silent. */
  residue: z.number().optional(),
  /** Of sound that is far from what it should be: by how much it is late, in seconds; null where that cannot be told. Absent where nothing is amiss. */
  late: z.number().nullable().optional(),
})
export type SoundLikeness = z.infer<typeof SoundLikeness>

/** What subtitles say, beside the source's that they are to be. */
const SubtitleMeasurement = z.object({
  codec: z.string(),
  /** Texts, or pictures of text; and those of the source that lie in what is kept of it. */
  count: z.int().min(0),
  sourceCount: z.int().min(0),
  /** How many say other words than the source's, or are other pictures. */
  different: z.int().min(0),
  /** Furthest that one begins from where it should, in seconds. */
  furthest: z.number().min(0),
})
export type SubtitleMeasurement = z.infer<typeof SubtitleMeasurement>

/** A file beside a result. */
export const FileBeside = z.object({
  /** What is added to the result's name without its ending: ".en.srt". */
  added: z.string(),
  bytes: z.int().min(0),
  sha256: z.string().length(64),
})
export type FileBeside = z.infer<typeof FileBeside>

/** A contact sheet, held against the frames of its result. */
export const SheetMeasurement = z.object({
  file: FileBeside,
  width: z.int(),
  height: z.int(),
  /** Frames on it, and how many of them show something else than the result does then. */
  frames: z.int().min(0),
  others: z.int().min(0),
})
export type SheetMeasurement = z.infer<typeof SheetMeasurement>

/** All files that lie beside a result. */
export const filesBesideOf = ({
  subtitleFiles = [],
  sheet,
}: Pick<CheckMeasurement, 'subtitleFiles' | 'sheet'>): FileBeside[] => [
  ...subtitleFiles.flatMap(({ files }) => files),
  ...(sheet ? [sheet.file] : []),
]

const AnyMeasurement = z.object({
  container: z.string(),
  bytes: z.int().min(0),
  sourceBytes: z.int().min(0),
  sha256: z.string().length(64),
  sourceDecodeErrors: z.int().min(0),
  audio: z.array(
    z.object({
      copy: Copy.optional(),
      codec: z.string(),
      channels: z.int(),
      sampleRate: z.int(),
      durationSeconds: z.number().min(0),
      decodeErrors: z.int().min(0),
      /** Of a track that was encoded beside a picture; absent in checks of before it was compared. */
      likeness: SoundLikeness.optional(),
      onDisk: OnDisk.optional(),
    }),
  ),
  /** The subtitle tracks of the result, each beside the source's that it is to be. Absent in checks of before there were any. */
  subtitles: z
    .array(SubtitleMeasurement.extend({ language: z.string().nullable(), roles: z.array(TrackRole) }))
    .optional(),
  /** Those that are files beside it, with the files of each: none for one that says nothing. Absent in checks of before there were any. */
  subtitleFiles: z.array(SubtitleMeasurement.extend({ files: z.array(FileBeside) })).optional(),
  /** Its contact sheet; absent where none was drawn. */
  sheet: SheetMeasurement.optional(),
  /** As the result's file has them; absent in checks of before there were any. */
  chapters: z.array(Chapter).optional(),
  /** What the file says of itself, and its cover; absent in checks of before that was read. */
  tags: z.record(z.string(), z.string()).optional(),
  cover: z.object({ codec: z.string(), width: z.int(), height: z.int(), bytes: z.int() }).nullable().optional(),
  /** Where every picture and second of the source went; absent in checks of before it was drawn up. */
  account: Account.optional(),
  /** What both pictures show by themselves. */
  glances: Glances.optional(),
})

/** What decoding a whole result with a picture, beside its treated source, measured. */
export const PictureCheckMeasurement = AnyMeasurement.extend({
  video: z.object({
    codec: z.string(),
    profile: z.string().nullable(),
    /** As the standard writes it, or null where the stream states none. */
    level: z.string().nullable(),
    width: z.int(),
    height: z.int(),
    pixelAspect: Rational,
    frameRate: Rational,
    pixelFormat: z.string(),
    colour: ColourDescription,
    /** What the container alone says of the colours, where it says something; absent where it was not asked. */
    containerColour: ColourDescription.nullable().optional(),
    interlaced: z.boolean(),
    framesDecoded: z.int().min(0),
    decodeErrors: z.int().min(0),
    durationSeconds: z.number().min(0),
    /** Time of the first frame, in ticks of `timeBase`. */
    startTicks: z.int(),
    timeBase: Rational,
  }),
  copy: Copy.optional(),
  /** The graphics device that encoded it; absent where the processor did. */
  encodedBy: z.string().optional(),
  /** Whether the file holds what was compared; absent where the file itself was decoded and compared. */
  onDisk: OnDisk.optional(),
  /** What its stream asks of a player, where the spec limits that; see `StreamFlow`. */
  flow: z
    .object({ bufferBits: z.number(), dryAtSeconds: z.number().nullable(), busiestSecondBits: z.number() })
    .optional(),
  /** Frames that the treated source gave. */
  treatedFrames: z.int().min(0),
  /** How many of them were compared, where the memory did not hold all, and the first of those that stand in another's place. */
  framesCompared: z.int().min(0).optional(),
  misplaced: z.array(z.int()).optional(),
  /** The first of those that show something else than what they were made of; absent in checks of before it was looked for. */
  strange: z.array(z.int()).optional(),
  /** Sound tracks of the source, with the length that decoded. */
  sourceAudioSeconds: z.array(z.number().min(0)),
  /** Structural similarity of luma, mean over frames and the worst frame; null when nothing could be compared. */
  ssim: z.object({ mean: z.number(), worst: z.number(), worstFrame: z.int() }).nullable(),
  /** Perceptually weighted PSNR of luma in dB (Helmrich and others, 2020), from the mean error over frames; null for identical pictures. */
  xpsnr: z.object({ mean: z.number(), worst: z.number(), worstFrame: z.int() }).nullable(),
  /** Whether every compared frame was identical. */
  identical: z.boolean(),
})
export type PictureCheckMeasurement = z.infer<typeof PictureCheckMeasurement>

/** What decoding a whole result of sound alone, beside its treated source, measured. */
export const SoundCheckMeasurement = AnyMeasurement.extend({
  video: z.null(),
  likeness: z.array(SoundLikeness),
})
export type SoundCheckMeasurement = z.infer<typeof SoundCheckMeasurement>

/** What decoding a whole result, beside its treated source, measured. `video` is null where there is no picture. */
export const CheckMeasurement = z.union([PictureCheckMeasurement, SoundCheckMeasurement])
export type CheckMeasurement = z.infer<typeof CheckMeasurement>

export const Verdict = z.enum(['pass', 'look', 'fail'])
export type Verdict = z.infer<typeof Verdict>

export const CheckLine = z.object({
  name: z.string(),
  expected: z.string(),
  found: z.string(),
  verdict: Verdict,
  /** Why it is not a pass, as a sentence; null on a pass. */
  reason: z.string().nullable(),
})
export type CheckLine = z.infer<typeof CheckLine>

export const Check = z.object({ verdict: Verdict, lines: z.array(CheckLine), measurement: CheckMeasurement })
export type Check = z.infer<typeof Check>
