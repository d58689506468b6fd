import { z } from 'zod'
import { FrameRule, type FrameSize } from './geometry.ts'
import { Rational, toNumber } from './rational.ts'
import { describeRate } from './timing.ts'

/** Containers by the ending of their files; the last four hold sound alone. */
export const Container = z.enum(['mp4', 'mov', 'mkv', 'webm', 'wav', 'flac', 'm4a', 'mka'])
export type Container = z.infer<typeof Container>
export const VideoCodec = z.enum(['h264', 'hevc', 'prores', 'ffv1', 'av1'])
export type VideoCodec = z.infer<typeof VideoCodec>
export const AudioCodec = z.enum(['aac', 'opus', 'pcm_s24le', 'flac'])
export type AudioCodec = z.infer<typeof AudioCodec>

/** How a codec is told how many bits to spend. Constant quality values are on the codec's own scale (lower is better). */
export const RateControl = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('constant quality'), value: z.number().min(0).max(63) }),
  z.object({ kind: z.literal('set by profile') }),
  z.object({ kind: z.literal('lossless') }),
])
export type RateControl = z.infer<typeof RateControl>

const SpecSound = z.object({
  codec: AudioCodec,
  bitsPerSecondPerChannel: z.int().positive().nullable(),
  maxChannels: z.int().positive(),
  sampleRate: z.int().positive(),
})

const SpecBase = z.object({
  key: z.string(),
  name: z.string(),
  /** One sentence on what it is for. */
  purpose: z.string(),
  container: Container,
  audio: SpecSound,
  /** Added to the source's name before the ending. */
  nameSuffix: z.string(),
})

/** What a result with a picture must be. */
export const PictureSpec = SpecBase.extend({
  video: z.object({
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
    rateControl: RateControl,
    /** The encoder's speed setting, in its own words; null where it has none. */
    effort: z.string().nullable(),
    /** Longest distance between keyframes; null means every frame is one. */
    keyframeSeconds: z.number().positive().nullable(),
  }),
})
export type PictureSpec = z.infer<typeof PictureSpec>

/** What sound taken out of a source into a file of its own must be. */
export const SoundSpec = SpecBase.extend({
  video: z.null(),
  /** `sampleRate` null is the track's own. */
  audio: SpecSound.extend({ sampleRate: z.int().positive().nullable() }),
})
export type SoundSpec = z.infer<typeof SoundSpec>

/** What a result must be. */
export const DeliverySpec = z.union([PictureSpec, SoundSpec])
export type DeliverySpec = z.infer<typeof DeliverySpec>

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

/** The specs with a picture that ship with Hematine. */
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
    nameSuffix: '-box',
  },
  {
    ...small,
    key: 'small-mp4',
    name: 'Small MP4',
    container: 'mp4',
    audio: { codec: 'aac', bitsPerSecondPerChannel: 64_000, maxChannels: 2, sampleRate: 48_000 },
  },
  {
    ...small,
    key: 'small-mkv',
    name: 'Small MKV',
    container: 'mkv',
    audio: { codec: 'opus', bitsPerSecondPerChannel: 56_000, maxChannels: 6, sampleRate: 48_000 },
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
    video: {
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
    },
    audio: { codec: 'flac', bitsPerSecondPerChannel: null, maxChannels: 8, sampleRate: 48_000 },
    nameSuffix: '-archive',
  },
  { ...openWeb, key: 'open-web-webm', name: 'Open web WebM', container: 'webm' },
  { ...openWeb, key: 'open-web-mp4', name: 'Open web MP4', container: 'mp4' },
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
export const builtInSpecs: readonly DeliverySpec[] = [...pictureSpecs, ...soundSpecs]

/** Whether a container holds a single sound track and nothing else. */
export function holdsOneTrack(container: Container): boolean {
  return container === 'wav' || container === 'flac' || container === 'm4a'
}

/** Limits of a codec level. `unitsPerFrame` and `unitsPerSecond` count macroblocks for H.264 and luma samples for HEVC. */
export interface CodecLevel {
  level: string
  unitsPerFrame: number
  unitsPerSecond: number
  kilobitsPerSecond: number
}

/** H.264 levels: MaxFS, MaxMBPS and MaxBR for the Main profile (ITU-T H.264 table A-1; the High profile may use 1.25 times the bit rate). */
export const h264Levels: readonly CodecLevel[] = [
  ['3', 1620, 40_500, 10_000],
  ['3.1', 3600, 108_000, 14_000],
  ['3.2', 5120, 216_000, 20_000],
  ['4', 8192, 245_760, 20_000],
  ['4.1', 8192, 245_760, 50_000],
  ['4.2', 8704, 522_240, 50_000],
  ['5', 22_080, 589_824, 135_000],
  ['5.1', 36_864, 983_040, 240_000],
  ['5.2', 36_864, 2_073_600, 240_000],
].map(toLevel)

/** HEVC levels, Main tier: MaxLumaPs, MaxLumaSr and MaxBR (ITU-T H.265 tables A.8 and A.9). */
export const hevcLevels: readonly CodecLevel[] = [
  ['3', 552_960, 16_588_800, 6000],
  ['3.1', 983_040, 33_177_600, 10_000],
  ['4', 2_228_224, 66_846_720, 12_000],
  ['4.1', 2_228_224, 133_693_440, 20_000],
  ['5', 8_912_896, 267_386_880, 25_000],
  ['5.1', 8_912_896, 534_773_760, 40_000],
  ['5.2', 8_912_896, 1_069_547_520, 60_000],
].map(toLevel)

function toLevel(row: (string | number)[]): CodecLevel {
  const [level, unitsPerFrame, unitsPerSecond, kilobitsPerSecond] = row as [string, number, number, number]
  return { level, unitsPerFrame, unitsPerSecond, kilobitsPerSecond }
}

function unitsInFrame(codec: 'h264' | 'hevc', size: FrameSize): number {
  return codec === 'h264' ? Math.ceil(size.width / 16) * Math.ceil(size.height / 16) : size.width * size.height
}

/**
 * Says why a level cannot carry a frame size at a rate, or null when it can.
 * H.264 and HEVC also limit each side to the square root of 8 x the frame limit (A.3.1, A.4.1).
 */
export function levelProblem(codec: 'h264' | 'hevc', level: string, size: FrameSize, rate: Rational): string | null {
  const limits = (codec === 'h264' ? h264Levels : hevcLevels).find(entry => entry.level === level)
  const name = codec === 'h264' ? 'H.264' : 'HEVC'
  if (!limits) return `${name} has no level ${level} that Hematine knows.`
  const perFrame = unitsInFrame(codec, size)
  const longestSide = Math.sqrt(8 * limits.unitsPerFrame) * (codec === 'h264' ? 16 : 1)
  const what = `${size.width}x${size.height}`
  if (perFrame > limits.unitsPerFrame || size.width > longestSide || size.height > longestSide)
    return `${name} level ${level} cannot carry ${what}: the frame is too large.`
  if (perFrame * toNumber(rate) > limits.unitsPerSecond)
    return `${name} level ${level} cannot carry ${what} at ${describeRate(rate)} fps: at most ${(limits.unitsPerSecond / perFrame).toFixed(1)}.`
  return null
}

/** The lowest level that carries a frame size at a rate, or null above the highest. */
export function lowestLevel(codec: 'h264' | 'hevc', size: FrameSize, rate: Rational): string | null {
  const levels = codec === 'h264' ? h264Levels : hevcLevels
  return levels.find(entry => levelProblem(codec, entry.level, size, rate) === null)?.level ?? null
}

const carries: Record<Container, { video: readonly VideoCodec[]; audio: readonly AudioCodec[] }> = {
  mp4: { video: ['h264', 'hevc', 'av1'], audio: ['aac', 'opus', 'flac'] },
  mov: { video: ['h264', 'hevc', 'prores'], audio: ['aac', 'pcm_s24le'] },
  mkv: { video: ['h264', 'hevc', 'prores', 'ffv1', 'av1'], audio: ['aac', 'opus', 'pcm_s24le', 'flac'] },
  webm: { video: ['av1'], audio: ['opus'] },
  wav: { video: [], audio: ['pcm_s24le'] },
  flac: { video: [], audio: ['flac'] },
  m4a: { video: [], audio: ['aac'] },
  mka: { video: [], audio: ['aac', 'opus', 'pcm_s24le', 'flac'] },
}

/** Sentences on what does not make sense in a spec; empty when it does. */
export function specProblems(spec: DeliverySpec): string[] {
  const problems: string[] = []
  const { video, audio, container } = spec
  const where = describeContainer(container)
  if (video && !carries[container].video.includes(video.codec))
    problems.push(`${where} does not carry ${describeVideoCodec(video.codec)}.`)
  if (!carries[container].audio.includes(audio.codec))
    problems.push(`${where} does not carry ${describeAudioCodec(audio.codec)} sound.`)
  if (audio.codec === 'opus' && audio.sampleRate !== 48_000) problems.push('Opus runs at 48000 samples a second.')
  if (!video) return problems
  if (video.level !== null && (video.codec === 'h264' || video.codec === 'hevc')) {
    const largest = { width: video.frame.maxWidth, height: video.frame.maxHeight }
    const problem = levelProblem(video.codec, video.level, largest, video.maxFrameRate ?? { num: 60, den: 1 })
    if (problem) problems.push(problem)
  }
  const lossless = video.rateControl.kind === 'lossless'
  if (lossless && video.codec !== 'ffv1')
    problems.push(`${describeVideoCodec(video.codec)} is not lossless here; use FFV1.`)
  return problems
}

const videoNames: Record<VideoCodec, string> = {
  h264: 'H.264',
  hevc: 'HEVC',
  prores: 'ProRes',
  ffv1: 'FFV1',
  av1: 'AV1',
}
const audioNames: Record<AudioCodec, string> = { aac: 'AAC', opus: 'Opus', pcm_s24le: 'PCM 24 bit', flac: 'FLAC' }

/** Name of a container as written in the trade. */
export function describeContainer(container: Container): string {
  return container === 'webm' ? 'WebM' : container.toUpperCase()
}

/** Name of a video codec as written in the trade. */
export function describeVideoCodec(codec: VideoCodec): string {
  return videoNames[codec]
}

/** Name of a sound codec as written in the trade. */
export function describeAudioCodec(codec: AudioCodec): string {
  return audioNames[codec]
}

/** One line on what a spec makes: "HEVC main10, MP4, AAC", "FLAC, MKA, no picture". */
export function describeSpec(spec: DeliverySpec): string {
  const { video, audio, container } = spec
  if (video === null)
    return [...new Set([describeAudioCodec(audio.codec), describeContainer(container)]), 'no picture'].join(', ')
  return [
    describeVideoCodec(video.codec) +
      (video.profile ? ` ${video.profile}` : '') +
      (video.level ? ` level ${video.level}` : ''),
    describeContainer(container),
    describeAudioCodec(audio.codec),
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
      `${describeAudioCodec(audio.codec)}, ${audio.sampleRate === null ? 'rate as the source' : `${audio.sampleRate / 1000} kHz`}, at most ${audio.maxChannels} channels${audio.bitsPerSecondPerChannel ? `, ${audio.bitsPerSecondPerChannel / 1000} kbit/s a channel` : ''}`,
    ],
    ...(holdsOneTrack(container) ? [['tracks', 'the first that is kept'] as [string, string]] : []),
    ['file name', outputName('source name', spec)],
  ]
}

function pictureLines({ video }: DeliverySpec): [name: string, value: string][] {
  if (video === null) return [['picture', 'none']]
  const { frame } = video
  const rate =
    video.rateControl.kind === 'constant quality'
      ? `constant quality ${video.rateControl.value} (lower is better)`
      : video.rateControl.kind
  return [
    [
      'picture',
      `${describeVideoCodec(video.codec)}${video.profile ? ` ${video.profile}` : ''}${video.level ? `, level ${video.level}` : ''}`,
    ],
    ['samples', video.pixelFormat ?? 'as the source'],
    [
      'frame',
      frame.maxWidth >= 16_384
        ? 'as the source'
        : `fits ${frame.maxWidth}x${frame.maxHeight}, ${frame.enlarge ? 'smaller pictures are enlarged' : 'smaller pictures stay small'}${frame.squarePixels ? ', square pixels' : ', pixel shape kept'}`,
    ],
    [
      'scan',
      video.scan === 'progressive'
        ? `progressive; interlaced material gives one frame a ${video.deinterlaceTo === 'field rate' ? 'field' : 'frame'}`
        : 'as the source',
    ],
    ['rate', video.maxFrameRate ? `at most ${describeRate(video.maxFrameRate)} fps` : 'as the source'],
    ['bits', rate],
    ['effort', video.effort ?? 'has no setting'],
    ['keyframes', video.keyframeSeconds === null ? 'every frame' : `at least every ${video.keyframeSeconds} s`],
  ]
}

const longestNameBytes = 255

/**
 * File name of a result: the source's name without its ending, the spec's suffix, a counter from the second on, the container's ending.
 * Path separators and control characters become "_"; the name is cut to 255 bytes of UTF-8, a whole character at a time.
 */
export function outputName(
  sourceName: string,
  spec: Pick<DeliverySpec, 'nameSuffix' | 'container'>,
  counter = 1,
): string {
  const tail = `${spec.nameSuffix}${counter > 1 ? `-${counter}` : ''}.${spec.container}`
  let stem =
    sourceName
      .replace(/\.[a-z0-9]{1,5}$/i, '')
      // eslint-disable-next-line no-control-regex -- control characters are exactly what must go
      .replace(/[\u0000-\u001f\u007f/\\]/g, '_')
      .replace(/^\.+/, '_')
      .trim() || 'untitled'
  const encoder = new TextEncoder()
  while (encoder.encode(stem + tail).length > longestNameBytes) stem = [...stem].slice(0, -1).join('')
  return stem + tail
}
