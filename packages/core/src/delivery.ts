import { z } from 'zod'
import {
  levelProblem,
  lowestLevel,
  pictureCodec,
  pictureCodecs,
  soundCodec,
  soundCodecs,
  type PictureCodec,
} from './codecs/index.ts'
import {
  Container,
  containerFacts,
  containerRateProblem,
  describeContainer,
  holdsOneTrack,
  outputKind,
} from './container.ts'
import { describePixelFormat } from './facts.ts'
import { describeBitRate, describeBytes } from './format.ts'
import { FrameRule } from './geometry.ts'
import { describeLanguage, readLanguages } from './languages.ts'
import { describePattern, Numbering, patternProblems, pictureName, usualNumbering } from './naming.ts'
import { Rational } from './rational.ts'
import { describeRate } from './timing.ts'

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

/** Which subtitle tracks are kept as tracks of the result. */
export const SpecSubtitles = z.object({
  /** As those of sound. */
  languages: SpecLanguages.optional(),
  commentary: z.literal('left out').optional(),
  /** Which one a player shows by itself: the first forced one, the first of all, or none. */
  shown: z.enum(['forced', 'first', 'none']),
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

const SpecBase = z.object({
  key: z.string(),
  /** Which version of the spec it is; left out by jobs of before there were versions. */
  version: z.int().positive().optional(),
  name: z.string().trim().min(1, 'is empty').max(60, 'is longer than 60 characters'),
  /** One sentence on what it is for. */
  purpose: z.string().trim().max(300, 'is longer than 300 characters'),
  container: Container,
  audio: SpecSound,
  /** Whether chapters of the source stay; left out, they do not. */
  keepsChapters: z.boolean().optional(),
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

const hdBox = { maxWidth: 1920, maxHeight: 1080 }
const uhdBox = { maxWidth: 4096, maxHeight: 2304 }
const anySize = { maxWidth: 16384, maxHeight: 16384 }

const small: Omit<PictureSpec, 'key' | 'name' | 'container' | 'audio'> = {
  purpose: 'Small files for viewing copies and storage; 10 bit keeps skies and fog free of steps.',
  video: {
    codec: 'hevc',
    profile: 'main10',
    level: null,
    pixelFormat: 'yuv420p10le',
    scan: 'progressive',
    deinterlaceTo: 'field rate',
    frame: { ...uhdBox, enlarge: false, squarePixels: false },
    maxFrameRate: { num: 60, den: 1 },
    rateControl: { kind: 'constant quality', value: 24 },
    effort: 'fast',
    keyframeSeconds: 10,
  },
  nameSuffix: '-small',
}

const openWeb: Omit<PictureSpec, 'key' | 'name' | 'container'> = {
  purpose: 'For web pages, free of licence fees: every current browser plays it.',
  video: {
    codec: 'av1',
    profile: 'main',
    level: null,
    pixelFormat: 'yuv420p10le',
    scan: 'progressive',
    deinterlaceTo: 'frame rate',
    frame: { ...hdBox, enlarge: false, squarePixels: true },
    maxFrameRate: { num: 60, den: 1 },
    rateControl: { kind: 'constant quality', value: 32 },
    effort: '9',
    keyframeSeconds: 5,
  },
  audio: { codec: 'opus', bitsPerSecondPerChannel: 64_000, maxChannels: 2, sampleRate: 48_000 },
  nameSuffix: '-web',
}

/** Pictures that everything shows. */
const screenVideo: Omit<PictureSpec['video'], 'rateControl'> = {
  codec: 'h264',
  profile: 'main',
  level: '4',
  pixelFormat: 'yuv420p',
  scan: 'progressive',
  deinterlaceTo: 'frame rate',
  frame: { ...hdBox, enlarge: false, squarePixels: true },
  maxFrameRate: { num: 30, den: 1 },
  effort: 'fast',
  keyframeSeconds: 2,
}
const forScreens: Pick<PictureSpec, 'container' | 'audio' | 'subtitles' | 'keepsChapters'> = {
  container: 'mp4',
  subtitles: { shown: 'forced' },
  keepsChapters: true,
  audio: { codec: 'aac', bitsPerSecondPerChannel: 64_000, maxChannels: 2, sampleRate: 48_000 },
}

const television: Pick<PictureSpec, 'container' | 'audio'> = {
  container: 'mpg',
  audio: { codec: 'ac3', bitsPerSecondPerChannel: 96_000, maxChannels: 2, sampleRate: 48_000 },
}
/** Main profile at main level, below the rates of discs (ITU-T H.262, table 8-13, allows 15 Mbit/s and a buffer of 1,835,008 bits). */
const televisionVideo = (lines: number, rate: Rational): PictureSpec['video'] => ({
  codec: 'mpeg2video',
  profile: 'main',
  level: 'main',
  pixelFormat: 'yuv420p',
  scan: 'progressive',
  deinterlaceTo: 'frame rate',
  frame: {
    maxWidth: 720,
    maxHeight: lines,
    enlarge: true,
    squarePixels: false,
    exactly: 'padded',
    shownAs: 'nearer',
  },
  maxFrameRate: rate,
  holdsFrameRate: true,
  rateControl: {
    kind: 'average rate',
    bitsPerSecond: 6_000_000,
    peakBitsPerSecond: 8_000_000,
    bufferBits: 1_835_008,
  },
  effort: null,
  keyframeSeconds: 0.5,
})

/** Every value as it is, whatever the source is like. */
const exact: PictureSpec['video'] = {
  codec: 'ffv1',
  profile: 'version 3',
  level: null,
  pixelFormat: null,
  scan: 'as source',
  deinterlaceTo: 'frame rate',
  frame: { ...anySize, enlarge: false, squarePixels: false },
  maxFrameRate: null,
  rateControl: { kind: 'lossless' },
  effort: null,
  keyframeSeconds: null,
}

/** The specs for moving pictures that ship with Hematine. */
export const pictureSpecs: readonly PictureSpec[] = [
  {
    key: 'playback-box',
    name: 'Playback box MP4',
    purpose: 'Plays on set-top boxes, televisions and projectors; small pictures are enlarged to full height.',
    container: 'mp4',
    video: {
      codec: 'h264',
      profile: 'high',
      level: '4.1',
      pixelFormat: 'yuv420p',
      scan: 'progressive',
      deinterlaceTo: 'frame rate',
      frame: { ...hdBox, enlarge: true, squarePixels: true },
      maxFrameRate: { num: 30, den: 1 },
      rateControl: { kind: 'constant quality', value: 20 },
      effort: 'veryfast',
      keyframeSeconds: 2,
    },
    audio: { codec: 'aac', bitsPerSecondPerChannel: 80_000, maxChannels: 2, sampleRate: 48_000 },
    subtitles: { shown: 'forced' },
    keepsChapters: true,
    nameSuffix: '-box',
  },
  {
    ...small,
    key: 'small-mp4',
    name: 'Small MP4',
    container: 'mp4',
    audio: { codec: 'aac', bitsPerSecondPerChannel: 64_000, maxChannels: 2, sampleRate: 48_000 },
    subtitles: { shown: 'forced' },
    keepsChapters: true,
  },
  {
    ...small,
    key: 'small-mkv',
    name: 'Small MKV',
    container: 'mkv',
    audio: { codec: 'opus', bitsPerSecondPerChannel: 56_000, maxChannels: 6, sampleRate: 48_000 },
    subtitles: { shown: 'forced' },
    keepsChapters: true,
  },
  {
    key: 'editing-master',
    name: 'Editing master MOV',
    purpose: 'Opens in editing programs and cuts at any frame; fields and pixel shape stay as they are.',
    container: 'mov',
    video: {
      codec: 'prores',
      profile: '422',
      level: null,
      pixelFormat: 'yuv422p10le',
      scan: 'as source',
      deinterlaceTo: 'frame rate',
      frame: { ...uhdBox, enlarge: false, squarePixels: false },
      maxFrameRate: null,
      rateControl: { kind: 'set by profile' },
      effort: null,
      keyframeSeconds: null,
    },
    audio: { codec: 'pcm_s24le', bitsPerSecondPerChannel: null, maxChannels: 16, sampleRate: 48_000 },
    nameSuffix: '-edit',
  },
  {
    key: 'archive-master',
    name: 'Archive master MKV',
    purpose: 'Keeps every picture exactly, with a checksum in each frame; large.',
    container: 'mkv',
    video: exact,
    audio: { codec: 'flac', bitsPerSecondPerChannel: null, maxChannels: 8, sampleRate: 48_000 },
    subtitles: { shown: 'forced' },
    keepsChapters: true,
    nameSuffix: '-archive',
  },
  {
    key: 'untouched-mkv',
    name: 'Untouched MKV',
    purpose:
      'Puts picture and sound into MKV as they are, in next to no time; what cannot stay is kept exactly, as FFV1 and FLAC.',
    container: 'mkv',
    video: { copied: 'in any codec', ...exact },
    audio: {
      codec: 'flac',
      bitsPerSecondPerChannel: null,
      maxChannels: 8,
      sampleRate: 48_000,
      copied: 'where it fits',
    },
    subtitles: { shown: 'forced' },
    keepsChapters: true,
    nameSuffix: '-untouched',
  },
  { ...openWeb, key: 'open-web-webm', name: 'Open web WebM', container: 'webm' },
  { ...openWeb, key: 'open-web-mp4', name: 'Open web MP4', container: 'mp4' },
  {
    key: 'editing-mxf',
    name: 'Editing master MXF',
    purpose: 'Opens in editing programs and broadcast equipment, high definition and above; cuts at any frame.',
    container: 'mxf',
    video: {
      codec: 'dnxhd',
      profile: 'hqx',
      level: null,
      pixelFormat: 'yuv422p10le',
      scan: 'progressive',
      deinterlaceTo: 'frame rate',
      frame: { ...uhdBox, enlarge: false, squarePixels: true },
      maxFrameRate: { num: 60, den: 1 },
      rateControl: { kind: 'set by profile' },
      effort: null,
      keyframeSeconds: null,
    },
    audio: { codec: 'pcm_s24le', bitsPerSecondPerChannel: null, maxChannels: 16, sampleRate: 48_000 },
    nameSuffix: '-edit',
  },
  {
    ...television,
    key: 'television-625',
    name: 'Television MPG 625',
    purpose:
      'For disc and television equipment of 625 lines: exactly 720x576 at 25 fps, black where the picture has none.',
    video: televisionVideo(576, { num: 25, den: 1 }),
    nameSuffix: '-tv625',
  },
  {
    ...television,
    key: 'television-525',
    name: 'Television MPG 525',
    purpose:
      'For disc and television equipment of 525 lines: exactly 720x480 at 29.97 fps, black where the picture has none.',
    video: televisionVideo(480, { num: 30_000, den: 1001 }),
    nameSuffix: '-tv525',
  },
  {
    ...forScreens,
    key: 'web-mp4',
    name: 'Web MP4',
    purpose: 'For web pages that everything has to show, old phones too; larger than the open web specs.',
    video: { ...screenVideo, rateControl: { kind: 'constant quality', value: 22 } },
    nameSuffix: '-page',
  },
  {
    ...forScreens,
    key: 'mail-mp4',
    name: 'Mail MP4',
    purpose: 'Fits into a mail: at most 20 MB with its sound, whatever its length; long items look coarse.',
    video: {
      ...screenVideo,
      frame: { maxWidth: 1280, maxHeight: 720, enlarge: false, squarePixels: true },
      rateControl: { kind: 'size cap', bytes: 20_000_000 },
    },
    nameSuffix: '-mail',
  },
]

const asFile: Pick<
  PictureSpec['video'],
  'level' | 'scan' | 'deinterlaceTo' | 'frame' | 'maxFrameRate' | 'keyframeSeconds'
> = {
  level: null,
  scan: 'progressive',
  deinterlaceTo: 'frame rate',
  frame: { ...anySize, enlarge: false, squarePixels: true },
  maxFrameRate: null,
  keyframeSeconds: null,
}
const besidePictures: SpecSound = {
  codec: 'pcm_s24le',
  bitsPerSecondPerChannel: null,
  maxChannels: 16,
  sampleRate: 48_000,
}

/** The specs for pictures in files of their own that ship with Hematine. */
export const pictureFileSpecs: readonly PictureSpec[] = [
  {
    key: 'frames-png',
    name: 'Frames PNG',
    purpose: 'Every frame as a picture of 16 bits in a folder, the sound beside them; for grading and further work.',
    container: 'images',
    video: {
      ...asFile,
      codec: 'png',
      profile: '16 bit',
      pixelFormat: 'rgb48be',
      rateControl: { kind: 'lossless' },
      effort: '1',
    },
    audio: besidePictures,
    numbering: usualNumbering,
    nameSuffix: '-frames',
  },
  {
    key: 'frames-exr',
    name: 'Frames EXR',
    purpose: 'Every frame in linear light as half floats, the sound beside them; for compositing.',
    container: 'images',
    video: {
      ...asFile,
      codec: 'exr',
      profile: 'half',
      pixelFormat: 'gbrpf32le',
      rateControl: { kind: 'set by profile' },
      effort: null,
    },
    audio: besidePictures,
    numbering: { first: 1001, digits: 4 },
    nameSuffix: '-linear',
  },
  {
    key: 'still-png',
    name: 'Still PNG',
    purpose: 'A still kept exactly, in 8 bits, that opens everywhere.',
    container: 'png',
    video: {
      ...asFile,
      codec: 'png',
      profile: '8 bit',
      pixelFormat: 'rgb24',
      rateControl: { kind: 'lossless' },
      effort: '6',
    },
    audio: null,
    keepsCameraData: true,
    nameSuffix: '-still',
  },
  {
    key: 'still-print',
    name: 'Still TIFF for print',
    purpose: 'A still kept exactly, in 16 bits, at 300 dots per inch.',
    container: 'tif',
    video: {
      ...asFile,
      codec: 'tiff',
      profile: '16 bit',
      pixelFormat: 'rgb48le',
      rateControl: { kind: 'lossless' },
      effort: 'deflate',
    },
    audio: null,
    dotsPerInch: 300,
    nameSuffix: '-print',
  },
  {
    key: 'still-web',
    name: 'Still JPEG for web',
    purpose: 'A small still for pages and mail, at most 2048 pixels at its longer side.',
    container: 'jpg',
    video: {
      ...asFile,
      codec: 'mjpeg',
      profile: '4:2:0',
      pixelFormat: 'yuv420p',
      frame: { maxWidth: 2048, maxHeight: 2048, enlarge: false, squarePixels: true },
      rateControl: { kind: 'constant quality', value: 4 },
      effort: null,
    },
    audio: null,
    nameSuffix: '-web',
  },
]

/** The specs for sound alone that ship with Hematine. */
export const soundSpecs: readonly SoundSpec[] = [
  {
    key: 'sound-wav',
    name: 'Sound WAV',
    purpose: 'One sound track as a file of its own, uncompressed, for cutting and mixing.',
    container: 'wav',
    video: null,
    audio: { codec: 'pcm_s24le', bitsPerSecondPerChannel: null, maxChannels: 16, sampleRate: 48_000 },
    nameSuffix: '-sound',
  },
  {
    key: 'sound-flac',
    name: 'Sound FLAC',
    purpose: 'One sound track kept exactly, at its own rate, in less room than WAV takes.',
    container: 'flac',
    video: null,
    audio: { codec: 'flac', bitsPerSecondPerChannel: null, maxChannels: 8, sampleRate: null },
    nameSuffix: '-sound',
  },
  {
    key: 'sound-m4a',
    name: 'Sound M4A',
    purpose: 'One sound track for listening, small; browsers play it.',
    container: 'm4a',
    video: null,
    audio: { codec: 'aac', bitsPerSecondPerChannel: 80_000, maxChannels: 2, sampleRate: 48_000 },
    nameSuffix: '-sound',
  },
  {
    key: 'sound-archive-mka',
    name: 'Sound archive MKA',
    purpose: 'Every sound track kept exactly, in one file, with languages and titles.',
    container: 'mka',
    video: null,
    audio: { codec: 'flac', bitsPerSecondPerChannel: null, maxChannels: 8, sampleRate: null },
    nameSuffix: '-sound',
  },
]

/** The delivery specs that ship with Hematine. */
export const builtInSpecs: readonly DeliverySpec[] = [...pictureSpecs, ...pictureFileSpecs, ...soundSpecs]

/** Sentences on what does not make sense in a spec; empty when it does. */
export function specProblems(spec: DeliverySpec): string[] {
  const { audio, container } = spec
  return [
    ...patternProblems(spec),
    ...(audio === null ? [] : soundProblems(audio, container)),
    ...(spec.video === null ? [] : [...pictureProblems(spec), ...subtitleProblems(spec)]),
    ...(audio?.stereoBeside && outputKind(spec) !== 'moving picture'
      ? ['Stereo is made beside other tracks only in moving pictures: leave that out.']
      : []),
    ...(audio?.copied && outputKind(spec) !== 'moving picture'
      ? ['Sound is copied untouched only beside a moving picture: leave that out.']
      : []),
    ...(spec.video?.copied && outputKind(spec) !== 'moving picture'
      ? ['A picture is copied untouched only into a moving picture: leave that out.']
      : []),
    ...(spec.video?.copied && spec.video.rateControl.kind === 'quality target'
      ? ['A measured quality is that of a picture that is encoded: leave the copying out, or hold another quality.']
      : []),
    ...(containerFacts(container).encodedOnly && (audio?.copied || spec.video?.copied)
      ? [
          `Nothing is copied untouched into ${containerFacts(container).name}: leave that out, or choose MKV, MP4 or MOV.`,
        ]
      : []),
    ...(spec.keepsChapters && !containerFacts(container).chapters
      ? [`${containerFacts(container).name} gets no chapters here: leave them out, or choose MKV, MP4 or MOV.`]
      : []),
  ]
}

function noLanguages(tags: readonly string[] | undefined): string[] {
  return (tags ?? [])
    .filter(tag => readLanguages(tag).unknown.length > 0)
    .map(tag => `${tag} is no language. Write its code, as en, de or fr.`)
}

function subtitleProblems({ subtitles, container }: PictureSpec): string[] {
  if (!subtitles) return []
  const holds = containerFacts(container)
  return [
    ...noLanguages(subtitles.languages),
    ...(holds.subtitles.length === 0
      ? [`${holds.name} gets no subtitles here: leave them out, or choose MKV, MP4, MOV or WebM.`]
      : []),
  ]
}

function soundProblems(audio: NonNullable<DeliverySpec['audio']>, container: Container): string[] {
  const holds = containerFacts(container)
  const sound = soundCodec(audio.codec)
  if (holds.sound.length === 0) return [`${holds.name} holds a picture alone: leave the sound out.`]
  const problems = noLanguages(audio.languages)
  if (!holds.sound.includes(audio.codec))
    problems.push(
      `${holds.name} does not carry ${sound.name} sound. It carries ${listed(holds.sound.map(key => soundCodec(key).name))}.`,
    )
  if (sound.sampleRates && (audio.sampleRate === null || !sound.sampleRates.includes(audio.sampleRate)))
    problems.push(
      `${sound.name} runs at ${listed(sound.sampleRates.map(String))} samples a second, not at ${audio.sampleRate ?? 'any'}.`,
    )
  if (holds.soundRates && (audio.sampleRate === null || !holds.soundRates.includes(audio.sampleRate)))
    problems.push(
      `Sound in ${holds.name} runs at ${listed(holds.soundRates.map(String))} samples a second, not at ${audio.sampleRate ?? 'any'}.`,
    )
  if (audio.maxChannels > sound.mostChannels)
    problems.push(`${sound.name} holds at most ${sound.mostChannels} channels, not ${audio.maxChannels}.`)
  if (sound.usualBits === null && audio.bitsPerSecondPerChannel !== null)
    problems.push(`${sound.name} has no bit rate to choose.`)
  if (sound.usualBits !== null && audio.bitsPerSecondPerChannel === null)
    problems.push(`${sound.name} needs a bit rate; ${sound.usualBits / 1000} kbit/s a channel is usual.`)
  return problems
}

/** What pictures in files of their own cannot be, or say. */
function fileProblems(spec: PictureSpec, codec: PictureCodec): string[] {
  const { dotsPerInch, keepsCameraData, video } = spec
  return [
    ...(outputKind(spec) !== 'moving picture' && !video.frame.squarePixels
      ? [`${codec.name} files show every pixel as a square: choose square pixels, or the picture would be distorted.`]
      : []),
    ...(dotsPerInch !== undefined && !codec.remarks.includes('dots per inch')
      ? [`${codec.name} states no dots per inch.`]
      : []),
    ...(keepsCameraData && !codec.remarks.includes('camera data') ? [`${codec.name} holds no camera data here.`] : []),
  ]
}

/** What does not make sense in the frame and the rate that a spec wants. */
function shapeProblems(spec: PictureSpec): string[] {
  const { frame, holdsFrameRate, maxFrameRate, pixelFormat } = spec.video
  const isFilm = outputKind(spec) === 'moving picture'
  const unit = frame.multiple ?? (isFilm && pixelFormat !== null ? 2 : 1)
  const box = `${frame.maxWidth}x${frame.maxHeight}`
  return [
    ...(frame.exactly && (frame.maxWidth % unit !== 0 || frame.maxHeight % unit !== 0)
      ? [`A frame of exactly ${box} has sides that are no multiples of ${unit}: change it.`]
      : []),
    ...(frame.exactly && Math.max(frame.maxWidth, frame.maxHeight) > 8192
      ? [`A frame of exactly ${box} is larger than 8192 pixels: choose a smaller one.`]
      : []),
    ...(frame.shownAs && !frame.exactly
      ? ['A stated shape belongs to an exact frame: make it exact, or leave the shape out.']
      : []),
    ...(frame.shownAs && frame.squarePixels
      ? [
          `A frame of ${box} that is shown as ${frame.shownAs === 'nearer' ? '4:3 or 16:9' : frame.shownAs} has pixels of its own shape: leave square pixels out.`,
        ]
      : []),
    ...(frame.exactly && !frame.shownAs && !frame.squarePixels
      ? [`A frame of exactly ${box} has square pixels, or is shown as 4:3 or 16:9: say which.`]
      : []),
    ...(frame.exactly === 'cropped' && !frame.enlarge
      ? ['A frame without bars enlarges smaller pictures: allow that, or pad with black.']
      : []),
    ...(holdsFrameRate && maxFrameRate === null ? ['A rate that is held has to be named.'] : []),
  ]
}

function pictureProblems(spec: PictureSpec): string[] {
  const { video, container } = spec
  const holds = containerFacts(container)
  const codec = pictureCodec(video.codec)
  const problems: string[] = []
  if (!holds.picture.includes(video.codec))
    problems.push(
      holds.picture.length === 0
        ? `${holds.name} holds sound alone.`
        : `${holds.name} does not carry ${codec.name}. It carries ${listed(holds.picture.map(key => pictureCodec(key).name))}.`,
    )
  const profile = codec.profiles.find(entry => entry.key === video.profile)
  if (codec.profiles.length > 0 && !profile)
    problems.push(`${codec.name} has the profiles ${listed(codec.profiles.map(entry => entry.key))}.`)
  const formats = profile ? profile.pixelFormats : codec.pixelFormats
  if (video.pixelFormat !== null && formats.length > 0 && !formats.includes(video.pixelFormat))
    problems.push(
      `${codec.name}${profile ? ` ${profile.key}` : ''} holds ${listed(formats)}, not ${video.pixelFormat}.`,
    )
  if (video.pixelFormat === null && formats.length > 0)
    problems.push(`${codec.name} does not hold every kind of samples; choose ${listed(formats)}.`)
  const { rateControl } = video
  if (!codec.rates.includes(rateControl.kind))
    problems.push(`${codec.name} has no rate control "${rateControl.kind}"; it has ${listed(codec.rates)}.`)
  if (rateControl.kind === 'constant quality' && codec.quality) {
    const { best, worst } = codec.quality
    if (rateControl.value < best || rateControl.value > worst)
      problems.push(
        `The quality of ${codec.name} goes from ${best} (best) to ${worst}, so ${rateControl.value} is none.`,
      )
  }
  if (rateControl.kind === 'average rate') {
    const { bitsPerSecond, peakBitsPerSecond, bufferBits } = rateControl
    if (peakBitsPerSecond !== null && peakBitsPerSecond < bitsPerSecond)
      problems.push('The peak rate is below the average rate.')
    if ((peakBitsPerSecond === null) !== (bufferBits === null))
      problems.push('A peak rate needs the size of the buffer that it is meant for, and the other way round.')
  }
  if (video.effort !== null && !codec.efforts.some(entry => entry.value === video.effort))
    problems.push(
      codec.efforts.length === 0
        ? `${codec.name} has no setting of effort.`
        : `${codec.name} knows the efforts ${listed(codec.efforts.map(entry => entry.value))}.`,
    )
  if (codec.everyFrameAlone !== (video.keyframeSeconds === null))
    problems.push(
      codec.everyFrameAlone
        ? `Every frame of ${codec.name} stands alone, so there is no distance of keyframes.`
        : `${codec.name} needs a distance of keyframes.`,
    )
  problems.push(...fileProblems(spec, codec), ...shapeProblems(spec))
  const rateProblem =
    video.holdsFrameRate && video.maxFrameRate
      ? (codec.rateProblem(video.maxFrameRate, video.profile) ?? containerRateProblem(container, video.maxFrameRate))
      : null
  const sizeProblem = video.frame.exactly
    ? codec.sizeProblem({ width: video.frame.maxWidth, height: video.frame.maxHeight }, video.profile)
    : null
  problems.push(...[rateProblem, sizeProblem].filter(problem => problem !== null))
  if (video.scan === 'as source' && !codec.keepsFields)
    problems.push(`${codec.name} does not code fields: choose a progressive scan.`)
  if (video.level !== null) {
    const largest = { width: video.frame.maxWidth, height: video.frame.maxHeight }
    const rate = video.maxFrameRate ?? { num: 60, den: 1 }
    const problem = levelProblem(codec, video.level, largest, rate)
    const higher = problem ? lowestLevel(codec, largest, rate) : null
    if (problem) problems.push(higher === null ? problem : `${problem} Level ${higher} carries it.`)
  }
  return problems
}

/** "a, b and c". */
function listed(words: readonly string[]): string {
  return words.length < 2 ? (words[0] ?? 'nothing') : `${words.slice(0, -1).join(', ')} and ${words.at(-1)}`
}

/** Name of a video codec as written in the trade. */
export function describeVideoCodec(codec: VideoCodec): string {
  return pictureCodec(codec).name
}

/** Name of a sound codec as written in the trade. */
export function describeAudioCodec(codec: AudioCodec): string {
  return soundCodec(codec).name
}

/** One line on what a spec makes: "HEVC main10, MP4, AAC", "FLAC, MKA, no picture". */
export function describeSpec(spec: DeliverySpec): string {
  const { video, audio, container } = spec
  if (video === null)
    return [...new Set([describeAudioCodec(audio.codec), describeContainer(container)]), 'no picture'].join(', ')
  return [
    (video.copied ? 'untouched or ' : '') +
      describeVideoCodec(video.codec) +
      (video.profile ? ` ${video.profile}` : '') +
      (video.level ? ` level ${video.level}` : ''),
    ...(outputKind(spec) === 'still' ? [] : [describeContainer(container)]),
    ...(audio === null
      ? outputKind(spec) === 'still'
        ? ['a still']
        : ['no sound']
      : [describeAudioCodec(audio.codec)]),
  ].join(', ')
}

/** A spec line by line, in plain words. */
export function describeSpecLines(spec: DeliverySpec): [name: string, value: string][] {
  const { audio, container } = spec
  return [
    ['container', describeContainer(container)],
    ...pictureLines(spec),
    [
      'sound',
      audio === null
        ? 'none'
        : `${describeAudioCodec(audio.codec)}, ${audio.sampleRate === null ? 'rate as the source' : `${audio.sampleRate / 1000} kHz`}, at most ${audio.maxChannels} channels${audio.bitsPerSecondPerChannel ? `, ${audio.bitsPerSecondPerChannel / 1000} kbit/s a channel` : ''}`,
    ],
    ...(audio?.languages
      ? [['languages', `${audio.languages.map(describeLanguage).join(', ')}, in this order`] as [string, string]]
      : []),
    ...(audio?.copied
      ? [['untouched', 'sound that fits as it is, in any codec that the container holds'] as [string, string]]
      : []),
    ...(audio?.stereoBeside ? [['stereo', 'made beside tracks of more than two channels'] as [string, string]] : []),
    ...(audio?.commentary ? [['commentary', 'stays out'] as [string, string]] : []),
    ...(holdsOneTrack(container) ? [['tracks', 'the first that is kept'] as [string, string]] : []),
    ...(spec.video !== null && spec.subtitles
      ? [['subtitles', describeSubtitleRule(spec.subtitles)] as [string, string]]
      : []),
    ...(spec.keepsChapters ? [['chapters', 'as the source'] as [string, string]] : []),
    ...(spec.video !== null && outputKind(spec) === 'image sequence'
      ? [['pictures', pictureName('source name', spec, spec.numbering ?? usualNumbering, 0)] as [string, string]]
      : []),
    ...(spec.video !== null && spec.dotsPerInch !== undefined
      ? [['print', `${spec.dotsPerInch} dots per inch`] as [string, string]]
      : []),
    [outputKind(spec) === 'image sequence' ? 'folder' : 'file name', describePattern(spec)],
  ]
}

/** "English, German, in this order; the first forced track shown". */
function describeSubtitleRule({ languages, commentary, shown }: SpecSubtitles): string {
  const shownWords = { forced: 'the first forced one is shown', first: 'the first is shown', none: 'none is shown' }
  return [
    languages ? `${languages.map(describeLanguage).join(', ')}, in this order` : 'all',
    ...(commentary ? ['without commentary'] : []),
    `${shownWords[shown]} by itself`,
  ].join('; ')
}

function describeSamples(pixelFormat: string): string {
  const { bitDepth, chroma } = describePixelFormat(pixelFormat)
  return `${bitDepth} bit ${/f(16|32)/.test(pixelFormat) ? 'float ' : ''}${chroma}`
}

const copyWords = {
  'in any codec': 'untouched, in any codec that the container holds, where nothing has to be done to it; else ',
  'where it fits': 'untouched where it fits as it is; else encoded as ',
}

function pictureLines(spec: DeliverySpec): [name: string, value: string][] {
  const { video } = spec
  if (video === null) return [['picture', 'none']]
  const makes = outputKind(spec)
  const profile = pictureCodec(video.codec).profiles.find(entry => entry.key === video.profile)
  const { frame } = video
  const { rateControl } = video
  const rate =
    rateControl.kind === 'constant quality'
      ? `constant quality ${rateControl.value} (lower is better)`
      : rateControl.kind === 'average rate'
        ? `${describeBitRate(rateControl.bitsPerSecond)} on average${rateControl.peakBitsPerSecond ? `, at most ${describeBitRate(rateControl.peakBitsPerSecond)}` : ''}`
        : rateControl.kind === 'size cap'
          ? `what fits into ${describeBytes(rateControl.bytes)} with the sound, in two passes`
          : rateControl.kind === 'quality target'
            ? `what an XPSNR of ${rateControl.xpsnr} dB takes, found by measuring`
            : rateControl.kind
  return [
    [
      'picture',
      `${video.copied ? copyWords[video.copied] : ''}${describeVideoCodec(video.codec)}${video.profile ? ` ${video.profile}` : ''}${video.level ? `, level ${video.level}` : ''}`,
    ],
    [
      'samples',
      video.pixelFormat === null ? 'as the source' : describeSamples(profile?.decodesAs ?? video.pixelFormat),
    ],
    ['frame', describeFrameRule(frame)],
    ...(makes === 'still' ? [] : motionLines(video)),
    ['bits', rate],
    ['effort', video.effort ?? 'has no setting'],
    ...(makes === 'moving picture'
      ? [
          [
            'keyframes',
            video.keyframeSeconds === null ? 'every frame' : `at least every ${video.keyframeSeconds} s`,
          ] as [string, string],
        ]
      : []),
  ]
}

function motionLines(video: PictureSpec['video']): [name: string, value: string][] {
  return [
    [
      'scan',
      video.scan === 'progressive'
        ? `progressive; interlaced material gives one frame of ${video.deinterlaceTo === 'field rate' ? 'each field' : 'two fields'}`
        : 'as the source',
    ],
    [
      'rate',
      video.maxFrameRate
        ? `${video.holdsFrameRate ? 'exactly' : 'at most'} ${describeRate(video.maxFrameRate)} fps`
        : 'as the source',
    ],
  ]
}

/** "fits 1920x1080, smaller pictures stay small, square pixels", "exactly 720x576 shown as 4:3 or 16:9, the rest black". */
function describeFrameRule(frame: FrameRule): string {
  const box = `${frame.maxWidth}x${frame.maxHeight}`
  const smaller = frame.enlarge ? 'smaller pictures are enlarged' : 'smaller pictures stay small'
  const multiples = frame.multiple ? [`sides in multiples of ${frame.multiple}`] : []
  if (frame.exactly)
    return [
      `exactly ${box}${frame.shownAs ? `, shown as ${frame.shownAs === 'nearer' ? '4:3 or 16:9, whichever is nearer' : frame.shownAs}` : ', square pixels'}`,
      ...(frame.exactly === 'padded' ? ['what the picture leaves is black', smaller] : ['what hangs over is cut off']),
      ...multiples,
    ].join('; ')
  return frame.maxWidth >= 16_384
    ? ['as the source', ...multiples].join('; ')
    : [`fits ${box}, ${smaller}${frame.squarePixels ? ', square pixels' : ', pixel shape kept'}`, ...multiples].join(
        '; ',
      )
}
