import { z } from 'zod'
import { pictureCodec, streamNameOf } from '../codecs/index.ts'
import { televisionRate } from '../codecs/picture-codec.ts'
import { TrackRole } from '../facts.ts'
import type { Rational } from '../rational.ts'

/** What a spec makes: what plays, what is heard, a folder of numbered pictures, or one picture. */
export type OutputKind = 'moving picture' | 'sound' | 'image sequence' | 'still'

/** A file format as one to deliver in. Its key is the ending of its files; an image sequence is a folder, whose name has none. */
export interface ContainerFacts {
  name: string
  makes: OutputKind
  /** The library's name of its writer, with the settings that it gets. Pictures have none: what the codec hands out is the file. */
  writer: string
  settings: Record<string, string>
  /** Keys of the codecs that it holds. */
  picture: readonly string[]
  sound: readonly string[]
  /** Of subtitles; other text becomes the first of text. */
  subtitles: readonly string[]
  /** What it can state that a track is for. */
  states: readonly TrackRole[]
  /** How Hematine writes chapters into it: as an element of its own, or as a track of text; null for not at all. */
  chapters: 'element' | 'track' | null
  /** Names of the tags that it has a place for, or any; left out, none. */
  tags?: readonly string[] | 'any'
  /** Tags that are others in it, with their names there: two of one name would be one. */
  tagsCalled?: Readonly<Record<string, string>>
  /** Whether it carries a cover. */
  covers?: boolean
  /** Sound that it holds and Hematine does not encode: it can only be copied. */
  onlyCopied?: readonly string[]
  /** Whether it keeps the heads of codecs apart from their packets. */
  headsApart: boolean
  /** Whether it holds one sound track and nothing else. */
  holdsOneTrack: boolean
  /** Whether its times begin later than at 0, so that a player can fill its buffers first. */
  beginsLate?: boolean
  /** Whether it says nothing of colours: players take them for what is usual in pictures of the size. */
  statesNoColour?: boolean
  /** Whether it keeps no times but counts packets, so that nothing can begin before its time 0. */
  countsPackets?: boolean
  /** Whether sound stands beside every frame and nowhere else: it is filled with silence, or ends, where the picture does. */
  evenSound?: boolean
  /** Whether what goes into it is always encoded: copies of packets were not tried. */
  encodedOnly?: boolean
  /** Rates that sound in it has; left out, any that the codec has. */
  soundRates?: readonly number[]
  /** Whether it holds frame rates of television and film alone. */
  needsTelevisionRate?: boolean
  /** Bytes that it adds to each packet; see each. */
  bytesPerPacket: number
}

/** Tags of RIFF (its INFO list), of QuickTime, and of what MP4 players read, as the library writes them. */
const riffTags = ['title', 'artist', 'comment', 'copyright', 'date', 'genre', 'track'] as const
const quickTimeTags = ['title', 'album', 'date', 'comment', 'genre', 'copyright', 'creation_time', 'location'] as const
const movieTags = [
  ...['title', 'artist', 'album_artist', 'composer', 'album', 'date', 'comment', 'genre', 'copyright', 'grouping'],
  ...['lyrics', 'description', 'synopsis', 'show', 'episode_id', 'network', 'keywords', 'track', 'creation_time'],
] as const

/** A file that is one picture. */
function still<Codec extends string>(name: string, codec: Codec) {
  return {
    name,
    makes: 'still',
    writer: '',
    settings: {},
    headsApart: false,
    picture: [codec],
    sound: [],
    subtitles: [],
    states: [],
    chapters: null,
    holdsOneTrack: false,
    bytesPerPacket: 0,
  } as const
}

/** MP4 says it as DASH does, which has no word for a track in the language that was spoken. */
const inMovies = TrackRole.options.filter(role => role !== 'original')
const front = { movflags: '+faststart' }
/** Which tracks are shown by themselves is said track by track, and not worked out by the writer. */
const stated = { default_mode: 'passthrough' }
/**
 * Bytes for each packet. MP4 and MOV: sample tables (ISO/IEC 14496-12: stsz 4, ctts 8, stco share 4); M4A has no ctts. Matroska: the block
 * header (RFC 9559: element 1, size 1-3, track 1, time 2, flags 1). Transport streams:
 * the heads of packets of 188 bytes are in proportion to the bytes, and this is what a frame adds on top (ITU-T H.222.0). Program streams: the heads of packs
 * of 2048 bytes took 1.3 to 2.4 % of results that were made, 9 to 195 bytes a frame. AVI: the head of a chunk 8, its entry in the index 16. MXF: results that
 * were made had 1084 to 1536 bytes for each frame and its sound, most of it filling up to whole kilobytes.
 */
export const containers = {
  mp4: {
    name: 'MP4',
    makes: 'moving picture',
    writer: 'mp4',
    settings: front,
    headsApart: true,
    picture: ['h264', 'hevc', 'av1', 'vp9', 'mpeg4', 'mpeg2video'],
    sound: ['aac', 'opus', 'flac', 'mp3', 'ac3', 'eac3', 'alac'],
    subtitles: ['mov_text'],
    states: inMovies,
    chapters: 'track',
    holdsOneTrack: false,
    tags: [...movieTags, 'location'],
    covers: true,
    bytesPerPacket: 16,
  },
  mov: {
    name: 'MOV',
    makes: 'moving picture',
    writer: 'mov',
    settings: front,
    headsApart: true,
    picture: ['h264', 'hevc', 'prores', 'dnxhd', 'mpeg4', 'mpeg2video', 'v210', 'rawvideo', 'mjpeg', 'jpeg2000'],
    sound: ['aac', 'pcm_s24le', 'pcm_s16le', 'pcm_f32le', 'alac', 'ac3'],
    subtitles: ['mov_text'],
    states: ['default'],
    chapters: 'track',
    holdsOneTrack: false,
    tags: quickTimeTags,
    bytesPerPacket: 16,
  },
  mkv: {
    name: 'MKV',
    makes: 'moving picture',
    writer: 'matroska',
    settings: stated,
    headsApart: true,
    picture: ['h264', 'hevc', 'av1', 'vp9', 'prores', 'ffv1', 'mpeg2video', 'mpeg4', 'mjpeg'],
    sound: ['aac', 'opus', 'pcm_s24le', 'pcm_s16le', 'pcm_f32le', 'flac', 'mp3', 'ac3', 'eac3', 'vorbis', 'alac'],
    onlyCopied: ['dts', 'mp2'],
    subtitles: ['subrip', 'ass', 'webvtt', 'dvd_subtitle', 'hdmv_pgs_subtitle'],
    states: TrackRole.options,
    chapters: 'element',
    holdsOneTrack: false,
    tags: 'any',
    covers: true,
    bytesPerPacket: 8,
  },
  webm: {
    name: 'WebM',
    makes: 'moving picture',
    writer: 'webm',
    settings: stated,
    headsApart: true,
    picture: ['av1', 'vp9'],
    sound: ['opus', 'vorbis'],
    subtitles: ['webvtt'],
    states: ['default', 'forced'],
    chapters: 'element',
    holdsOneTrack: false,
    tags: 'any',
    bytesPerPacket: 8,
  },
  ts: {
    name: 'MPEG transport stream',
    makes: 'moving picture',
    writer: 'mpegts',
    settings: {},
    headsApart: false,
    picture: ['h264', 'hevc', 'mpeg2video'],
    sound: ['aac', 'mp3', 'ac3', 'eac3'],
    onlyCopied: ['mp2'],
    subtitles: [],
    states: [],
    chapters: null,
    holdsOneTrack: false,
    beginsLate: true,
    bytesPerPacket: 120,
  },
  // As discs have it (ITU-T H.222.0): packs of 2048 bytes.
  mpg: {
    name: 'MPEG program stream',
    makes: 'moving picture',
    writer: 'vob',
    settings: {},
    headsApart: false,
    picture: ['mpeg2video'],
    sound: ['ac3', 'mp3'],
    onlyCopied: ['mp2'],
    subtitles: [],
    states: [],
    chapters: null,
    holdsOneTrack: false,
    beginsLate: true,
    bytesPerPacket: 60,
  },
  // SMPTE ST 378: one item of picture and sound, side by side (OP1a). Sound is uncompressed, at 48 kHz.
  mxf: {
    name: 'MXF',
    makes: 'moving picture',
    writer: 'mxf',
    settings: {},
    headsApart: false,
    picture: ['mpeg2video', 'dnxhd', 'prores', 'jpeg2000', 'ffv1'],
    sound: ['pcm_s24le', 'pcm_s16le'],
    subtitles: [],
    states: [],
    chapters: null,
    holdsOneTrack: false,
    evenSound: true,
    encodedOnly: true,
    soundRates: [48_000],
    needsTelevisionRate: true,
    bytesPerPacket: 380,
  },
  // Above 1 GB with the index of OpenDML: a result of 2.7 GB was made, read and checked.
  avi: {
    name: 'AVI',
    makes: 'moving picture',
    writer: 'avi',
    // Shifting all streams by what a coder of sound begins early would put an empty frame before the picture.
    settings: { avoid_negative_ts: 'disabled' },
    headsApart: false,
    picture: ['mpeg4', 'mjpeg', 'ffv1', 'rawvideo', 'v210'],
    sound: ['pcm_s16le', 'mp3', 'ac3'],
    subtitles: [],
    states: [],
    chapters: null,
    holdsOneTrack: false,
    statesNoColour: true,
    countsPackets: true,
    encodedOnly: true,
    tags: riffTags,
    bytesPerPacket: 24,
  },
  // WAV counts its bytes in 32 bits; above 4 GB it goes on as RF64 (EBU Tech 3306).
  wav: {
    name: 'WAV',
    makes: 'sound',
    writer: 'wav',
    settings: { rf64: 'auto' },
    headsApart: false,
    picture: [],
    sound: ['pcm_s24le', 'pcm_s16le', 'pcm_f32le'],
    subtitles: [],
    states: [],
    chapters: null,
    holdsOneTrack: true,
    tags: [...riffTags, 'album'],
    bytesPerPacket: 0,
  },
  flac: {
    name: 'FLAC',
    makes: 'sound',
    writer: 'flac',
    settings: {},
    headsApart: true,
    picture: [],
    sound: ['flac'],
    subtitles: [],
    states: [],
    chapters: null,
    holdsOneTrack: true,
    tags: 'any',
    // Its comments have one name for both (Vorbis comment field recommendations).
    tagsCalled: { description: 'comment' },
    covers: true,
    bytesPerPacket: 0,
  },
  // An MP4 that says so: the library's own writer of M4A leaves no room for what names its chapters.
  m4a: {
    name: 'M4A',
    makes: 'sound',
    writer: 'mp4',
    settings: { ...front, brand: 'M4A ' },
    headsApart: true,
    picture: [],
    sound: ['aac', 'alac'],
    subtitles: [],
    states: ['default'],
    chapters: 'track',
    holdsOneTrack: true,
    tags: movieTags,
    covers: true,
    bytesPerPacket: 8,
  },
  mka: {
    name: 'MKA',
    makes: 'sound',
    writer: 'matroska',
    settings: stated,
    headsApart: true,
    picture: [],
    sound: ['aac', 'opus', 'pcm_s24le', 'pcm_s16le', 'pcm_f32le', 'flac', 'vorbis', 'alac', 'ac3', 'eac3', 'mp3'],
    subtitles: [],
    states: TrackRole.options,
    chapters: 'element',
    holdsOneTrack: false,
    tags: 'any',
    covers: true,
    bytesPerPacket: 8,
  },
  // Sound lies beside the pictures as WAV, a file for each track.
  images: {
    name: 'Image sequence',
    makes: 'image sequence',
    writer: '',
    settings: {},
    headsApart: false,
    picture: ['png', 'tiff', 'exr', 'dpx', 'mjpeg'],
    sound: ['pcm_s24le', 'pcm_s16le'],
    subtitles: [],
    states: [],
    chapters: null,
    holdsOneTrack: false,
    bytesPerPacket: 0,
  },
  png: still('PNG', 'png'),
  jpg: still('JPEG', 'mjpeg'),
  tif: still('TIFF', 'tiff'),
  webp: still('WebP', 'webp'),
  jxl: still('JPEG XL', 'jpegxl'),
  avif: still('AVIF', 'avif'),
  exr: still('OpenEXR', 'exr'),
  dpx: still('DPX', 'dpx'),
} as const satisfies Record<string, ContainerFacts>

export const Container = z.enum(Object.keys(containers) as [keyof typeof containers])
export type Container = keyof typeof containers

/** What Hematine knows of a container. */
export function containerFacts(container: Container): ContainerFacts {
  return containers[container]
}

/** Name of a container as written in the trade. */
export function describeContainer(container: Container): string {
  return containers[container].name
}

/** Name in the trade of a file that is one picture, by the library's name of what it holds; null where none is delivered like it. */
export function describeStillOf(streamName: string): string | null {
  const holds = ({ makes, picture }: ContainerFacts) =>
    makes === 'still' && picture.some(key => streamNameOf(pictureCodec(key)) === streamName)
  return Object.values(containers as Record<string, ContainerFacts>).find(holds)?.name ?? null
}

/** What a spec in a container makes. */
export function outputKind({ container }: { container: Container }): OutputKind {
  return containers[container].makes
}

/** Whether a container holds a single sound track and nothing else. */
export function holdsOneTrack(container: Container): boolean {
  return containers[container].holdsOneTrack
}

/** Why a frame rate does not go into a container, as a sentence; null when it does. */
export function containerRateProblem(container: Container, rate: Rational): string | null {
  const { name, needsTelevisionRate } = containerFacts(container)
  return needsTelevisionRate ? televisionRate(name)(rate) : null
}
