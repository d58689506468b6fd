import { pictureCodec, soundCodec, type FineSettings } from '../codecs/index.ts'
import { describeCodec } from '../codec-names.ts'
import { describePixelFormat } from '../facts.ts'
import { describeBitRate, describeBytes, describeDuration } from '../format.ts'
import type { FrameRule } from '../geometry.ts'
import { describeLanguage } from '../languages.ts'
import { describeRate } from '../timing.ts'
import { describeContainer, holdsOneTrack, outputKind } from './container.ts'
import { describePattern, pictureName, usualNumbering } from './naming.ts'
import type { SpecPieces } from './piece.ts'
import type { AudioCodec, DeliverySpec, PictureSpec, SpecSubtitles, SpecTags, VideoCodec } from './schema.ts'
import type { SpecSheet } from './sheet.ts'

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
    ...(spec.pieces
      ? [
          outputKind(spec) === 'still'
            ? (['moving pictures', `the frame in the middle of ${describePieces(spec.pieces)}`] as [string, string])
            : (['pieces', `one result for ${describePieces(spec.pieces)}`] as [string, string]),
        ]
      : []),
    ...(spec.video !== null && spec.sheet ? [['contact sheet', describeSheet(spec.sheet)] as [string, string]] : []),
    ...(spec.tags ? [['says of itself', describeTagRule(spec.tags)] as [string, string]] : []),
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

/** "20 frames, 4 across, 1600 pixels wide, with times, beside it". */
function describeSheet({ across, down, width, times }: SpecSheet): string {
  return `${across * down} frames, ${across} across, ${width} pixels wide, ${times ? 'with times, ' : ''}beside it`
}

/** "each chapter", "every 30 min". */
function describePieces(pieces: SpecPieces): string {
  if (pieces.at === 'chapters') return 'each chapter'
  if (pieces.at === 'cuts')
    return pieces.leastSeconds > 0
      ? `each shot of ${pieces.leastSeconds} s or more; shorter ones go with the one before`
      : 'each shot'
  if (pieces.at === 'ranges') return 'each range that a trim keeps'
  return `every ${describeDuration(pieces.seconds)}`
}

/** "English, German, in this order; the first forced track shown". */
function describeSubtitleRule({ languages, commentary, shown, files, text }: SpecSubtitles): string {
  const shownWords = { forced: 'the first forced one is shown', first: 'the first is shown', none: 'none is shown' }
  const kind = describeCodec(text ?? 'subrip')
  return [
    languages ? `${languages.map(describeLanguage).join(', ')}, in this order` : 'all',
    ...(commentary ? ['without commentary'] : []),
    ...(files === 'all' ? [] : [`${shownWords[shown]} by itself`]),
    ...(files === 'all' ? [`as files beside the result, text as ${kind}`] : []),
    ...(files === 'what it cannot hold' ? [`as files where it cannot hold them, text as ${kind}`] : []),
  ].join('; ')
}

/** "the source's title, its date, all else that it says, its cover". */
function describeTagRule({ title, date, others, cover }: SpecTags): string {
  return [
    ...(title ? [title === 'as the source' ? "the source's title" : "the source's title, or its name"] : []),
    ...(date ? ['its date'] : []),
    ...(others ? ['all else that it says'] : []),
    ...(cover ? ['its cover'] : []),
  ].join(', ')
}

function describeSamples(pixelFormat: string): string {
  const { bitDepth, chroma } = describePixelFormat(pixelFormat)
  return `${bitDepth} bit ${/f(16|32)/.test(pixelFormat) ? 'float ' : ''}${chroma}`
}

const copyWords = {
  'in any codec': 'untouched, in any codec that the container holds, where nothing has to be done to it; else ',
  'where it fits': 'untouched where it fits as it is; else encoded as ',
}

/** How much an encoder tries: the processor's in its own word, a graphics device's in plain ones. */
function effortIn({ codec, effort, encoder }: PictureSpec['video']): string {
  if (effort === null) return 'has no setting'
  return encoder ? (pictureCodec(codec).efforts.find(({ value }) => value === effort)?.says ?? effort) : effort
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
    ...(video.encoder ? [['encoder', 'of a graphics device'] as [string, string]] : []),
    [
      'samples',
      video.pixelFormat === null ? 'as the source' : describeSamples(profile?.decodesAs ?? video.pixelFormat),
    ],
    ['frame', describeFrameRule(frame)],
    ...(makes === 'still' ? [] : motionLines(video)),
    ['bits', rate],
    ['effort', effortIn(video)],
    ...(video.fine ? [['fine settings', describeFine(video.fine)] as [string, string]] : []),
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

/** "no B frames; at most 4 reference frames; closed GOPs; tuned to grain". */
function describeFine({ betweenFrames, references, closedGroups, suits }: FineSettings): string {
  return [
    ...(betweenFrames === undefined
      ? []
      : [betweenFrames === 0 ? 'no B frames' : betweenFrames === 1 ? '1 B frame' : `${betweenFrames} B frames`]),
    ...(references === undefined ? [] : [`at most ${references} reference frame${references === 1 ? '' : 's'}`]),
    ...(closedGroups ? ['closed GOPs'] : []),
    ...(suits ? [`tuned to ${suits}`] : []),
  ].join('; ')
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
