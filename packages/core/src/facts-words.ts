import { describeCodec } from './codec-names.ts'
import { describeColourTag } from './colour.ts'
import {
  isEstimated,
  type AudioFacts,
  type Chapter,
  type SourceFacts,
  type SubtitleFacts,
  type VideoFacts,
} from './facts.ts'
import { describeBitRate, describeBytes, describeClock } from './format.ts'
import { describeAspect, displayAspect } from './geometry.ts'
import { describeRate } from './timing.ts'
import { describeScan } from './treatment/index.ts'

/** "720x576 16:9". */
export function describePictureSize(video: Pick<VideoFacts, 'width' | 'height' | 'pixelAspect'>): string {
  return `${video.width}x${video.height} ${describeAspect(displayAspect(video))}`
}

/** "25p", "25i top": frame rate and scan as the trade shortens them, with the field that comes first; "p/i" when both occur. */
export function describeMotionShort({ frameRate, scan }: VideoFacts): string {
  const letter = { progressive: 'p', interlaced: 'i', mixed: 'p/i' }[scan.kind]
  return `${describeRate(frameRate)}${letter}${scan.firstField ? ` ${scan.firstField}` : ''}`
}

/** "AC-3, stereo, 48 kHz, 192 kbit/s, eng, default". */
export function describeTrack(track: AudioFacts): string {
  const parts = [describeCodec(track.codec), track.layout, `${track.sampleRate / 1000} kHz`]
  if (track.bitsPerSecond !== null) parts.push(describeBitRate(track.bitsPerSecond))
  return [...parts, ...trackWords(track)].join(', ')
}

/** "SubRip, eng, Signs, forced". */
export function describeSubtitles(track: SubtitleFacts): string {
  return [describeCodec(track.codec), ...trackWords(track)].join(', ')
}

/** What a track says of itself beside what is in it. */
function trackWords({ language, title, roles = [] }: Pick<SubtitleFacts, 'language' | 'title' | 'roles'>): string[] {
  return [
    language ?? 'language not stated',
    ...(title ? [JSON.stringify(title)] : []),
    ...roles.filter(role => role !== title),
  ]
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

/** The first names of chapters, where they have any. */
function chapterNames(chapters: readonly Chapter[]): string {
  const names = chapters.flatMap(({ title }) => (title === null ? [] : [title]))
  if (names.length === 0) return ''
  return `: ${names.slice(0, 3).join(', ')}${names.length > 3 ? ' and more' : ''}`
}

/** Tags that are told, and letters of each. */
const told = { count: 8, letters: 80 }

/** '"Lamp room", date 1987-05-04, artist A. Keeper': the title, and what else a file says. */
function tagWords({ title, ...others }: Record<string, string>): string {
  const short = (text: string) => (text.length > told.letters ? `${text.slice(0, told.letters)}…` : text)
  const entries = Object.entries(others).map(([name, value]) => `${name.replaceAll('_', ' ')} ${short(value)}`)
  const words = [...(title ? [JSON.stringify(short(title))] : []), ...entries.slice(0, told.count)].join(', ')
  return entries.length > told.count ? `${words} and ${entries.length - told.count} more` : words
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
  if (facts.chapters) lines.push(['chapters', `${facts.chapters.length}${chapterNames(facts.chapters)}`])
  if (facts.tags) lines.push(['says of itself', tagWords(facts.tags)])
  if (facts.cover)
    lines.push([
      'cover',
      `${describeCodec(facts.cover.codec)}, ${facts.cover.width}x${facts.cover.height}, ${describeBytes(facts.cover.bytes)}`,
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
