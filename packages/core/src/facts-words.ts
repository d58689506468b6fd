import { describeColourTag } from './colour.ts'
import { isEstimated, type AudioFacts, type SourceFacts, type VideoFacts } from './facts.ts'
import { describeBitRate, describeBytes, describeClock } from './format.ts'
import { describeAspect, displayAspect } from './geometry.ts'
import { describeRate } from './timing.ts'
import { describeScan } from './treatment/index.ts'

const codecNames: Record<string, string> = {
  mpeg1video: 'MPEG-1',
  mpeg2video: 'MPEG-2',
  mpeg4: 'MPEG-4 part 2',
  dvvideo: 'DV',
  h264: 'H.264',
  hevc: 'HEVC',
  av1: 'AV1',
  prores: 'ProRes',
  ffv1: 'FFV1',
  png: 'PNG',
  mjpeg: 'JPEG',
  tiff: 'TIFF',
  exr: 'OpenEXR',
  dpx: 'DPX',
  vc1: 'VC-1',
  vp8: 'VP8',
  vp9: 'VP9',
  ac3: 'AC-3',
  eac3: 'E-AC-3',
  dts: 'DTS',
  mp2: 'MP2',
  mp3: 'MP3',
  aac: 'AAC',
  opus: 'Opus',
  vorbis: 'Vorbis',
  flac: 'FLAC',
  alac: 'ALAC',
  pcm_s16le: 'PCM 16 bit',
  pcm_s16be: 'PCM 16 bit',
  pcm_s24le: 'PCM 24 bit',
  dvd_subtitle: 'DVD bitmaps',
  subrip: 'SubRip',
  mov_text: 'timed text',
  hdmv_pgs_subtitle: 'PGS bitmaps',
  dvb_subtitle: 'DVB bitmaps',
}

/** A codec as the trade writes it, or the library's own name. */
export function describeCodec(codec: string): string {
  return codecNames[codec] ?? codec
}

/** "720x576 16:9". */
export function describePictureSize(video: Pick<VideoFacts, 'width' | 'height' | 'pixelAspect'>): string {
  return `${video.width}x${video.height} ${describeAspect(displayAspect(video))}`
}

/** "25p", "25i top": frame rate and scan as the trade shortens them, with the field that comes first; "p/i" when both occur. */
export function describeMotionShort({ frameRate, scan }: VideoFacts): string {
  const letter = { progressive: 'p', interlaced: 'i', mixed: 'p/i' }[scan.kind]
  return `${describeRate(frameRate)}${letter}${scan.firstField ? ` ${scan.firstField}` : ''}`
}

/** "AC-3, stereo, 48 kHz, 192 kbit/s, eng". */
export function describeTrack(track: AudioFacts): string {
  const parts = [describeCodec(track.codec), track.layout, `${track.sampleRate / 1000} kHz`]
  if (track.bitsPerSecond !== null) parts.push(describeBitRate(track.bitsPerSecond))
  parts.push(track.language ?? 'language not stated')
  return parts.join(', ')
}

function rateWords({ frameRate, rateIs, averageRate }: VideoFacts): string {
  const rate = `${describeRate(frameRate)} fps, ${rateIs}`
  return rateIs === 'variable' && averageRate ? `${rate}; ${averageRate.toFixed(2)} on average` : rate
}

function frameWords(video: VideoFacts): string {
  if (isEstimated(video))
    return `about ${video.frameCount}, ${video.frameCountFrom === 'length' ? 'worked out from the length' : 'as the container says'}`
  const more = [
    video.repeats ? `${video.repeats} repeated by empty packets` : '',
    video.gaps?.count
      ? `${video.gaps.count} ${video.gaps.count === 1 ? 'gap' : 'gaps'} of ${video.gaps.seconds.toFixed(2)} s in all`
      : '',
  ]
  return [
    `${video.frameCount}${video.frameCountFrom === 'packets' ? ', counted' : ''}`,
    ...more.filter(part => part !== ''),
  ].join(', ')
}

/** A source's facts line by line, in plain words, for the open source. */
export function factLines(facts: SourceFacts): [name: string, value: string][] {
  const { video } = facts
  const lines: [string, string][] = [
    ['container', facts.container],
    ['length', facts.durationSeconds === null ? 'not stated' : describeClock(facts.durationSeconds)],
    [
      'size',
      `${describeBytes(facts.bytes)}${facts.bitsPerSecond === null ? '' : `, ${describeBitRate(facts.bitsPerSecond)} in all`}`,
    ],
  ]
  if (facts.disc)
    lines.unshift([
      'title',
      `${facts.disc.title} of ${facts.disc.name}, ${facts.disc.chapters.length} ${facts.disc.chapters.length === 1 ? 'chapter' : 'chapters'}${facts.disc.angle > 1 ? `, angle ${facts.disc.angle}` : ''}`,
    ])
  if (facts.joined)
    lines.unshift(['joined from', facts.joined.map(({ name, from }) => `${name} (${describeClock(from)})`).join(', ')])
  if (!video) return lines
  const { pixelAspect, colour } = video
  lines.push(
    [
      'picture',
      `${describeCodec(video.codec)}${video.profile ? ` ${video.profile}` : ''}${video.bitsPerSecond === null ? '' : `, ${describeBitRate(video.bitsPerSecond)}`}`,
    ],
    [
      'frame',
      `${video.width}x${video.height}, pixels ${pixelAspect.num}:${pixelAspect.den}, shown ${describeAspect(displayAspect(video))}${video.turned ? `, ${video.turned} as the file says` : ''}${video.cutOff ? ', its clean aperture' : ''}`,
    ],
    ['rate', rateWords(video)],
    ['frames', frameWords(video)],
    ['scan', `${describeScan(video)} (flags of the first ${video.scan.framesRead} frames)`],
    ['samples', `${video.bitDepth} bit, ${video.chroma}${video.hasAlpha ? ', with transparency' : ''}`],
    [
      'colour',
      video.isRgb
        ? 'RGB'
        : `${describeColourTag(colour.primaries)} / ${describeColourTag(colour.transfer)} / ${describeColourTag(colour.matrix)}, range ${colour.range ?? 'not stated'}`,
    ],
  )
  return lines
}
