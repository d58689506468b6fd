import { stat } from 'node:fs/promises'
import path from 'node:path'
import {
  arrivalOf,
  describeAspect,
  describeCodec,
  describeFrameNumbers,
  describePixelFormat,
  describeRanges,
  displayAspect,
  framesIn,
  framesSpanned,
  frameFileName,
  joinFacts,
  joinPartFacts,
  missingFrames,
  nearestRational,
  pictureCodecs,
  pictureSize,
  presentNumbers,
  rational,
  sequenceRemarks,
  snapRate,
  squarePixel,
  tagsAmong,
  toNumber,
  type AudioFacts,
  type ColourDescription,
  type NumberedSequence,
  type Orientation,
  type Rational,
  type Scan,
  type SourceFacts,
  type SubtitleFacts,
  type TrackRole,
  type VideoFacts,
} from '@hematine/core'
import {
  AVMEDIA_TYPE_AUDIO,
  AVMEDIA_TYPE_SUBTITLE,
  AVMEDIA_TYPE_VIDEO,
  AV_FRAME_FLAG_INTERLACED,
  AV_FRAME_FLAG_TOP_FIELD_FIRST,
  AV_NOPTS_VALUE,
  AV_TIME_BASE,
} from 'node-av/constants'
import {
  avChannelLayoutDescribe,
  avGetCodecName,
  avGetPixFmtName,
  Codec,
  Frame,
  type FormatContext,
  type Stream,
} from 'node-av/lib'
import { isCover, openCover } from './cover.ts'
import { containerOf } from './container-name.ts'
import { StreamDecoder } from './decoder.ts'
import { ShapedFrames } from './shaped-frames.ts'
import { colourNumbers } from '../ground/colour-numbers.ts'
import { openInput } from './input.ts'
import type { MediaInput, PlainInput, TitleInput } from '../ground/media-input.ts'
import { MediaError } from '../ground/libav.ts'
import { readAt } from '../ground/read-at.ts'
import { rolesOf } from '../ground/track-roles.ts'
import { readChapters } from './chapters.ts'
import { isWithoutTimes } from './packet-pass.ts'
import { refuseTooLarge } from './picture-limit.ts'
import { readStillHead } from './still-file.ts'
import { countedAtOnce, countedInAll, statedRates, withTimes } from './source-times.ts'

/** Frames decoded to learn the scan: half a second of 50i. */
const framesForScan = 13

/**
 * Opens a source and reads what it is: container, streams, and from its first decoded frames the scan and the start.
 * @throws MediaError with a sentence when it is not media or nothing of it can be decoded
 */
export async function readFacts(input: MediaInput): Promise<SourceFacts> {
  if (input.kind !== 'join') return readPlainFacts(input)
  const sources = []
  for (const { input: plain, name, ...known } of input.parts) {
    const facts = await readPlainFacts(plain)
    if (JSON.stringify(joinPartFacts(facts)) !== JSON.stringify(known))
      throw new MediaError(
        `${name} is another than when it was joined. Take the join out of the order and join its parts anew.`,
      )
    sources.push({ name, facts })
  }
  return joinFacts(sources)
}

async function readPlainFacts(input: PlainInput): Promise<SourceFacts> {
  const { bytes, remarks, ...ofFiles } = await fileFacts(input)
  if (bytes === 0) throw new MediaError('The file is empty.')
  const still = await readStillHead(input)
  const container = await openInput(input)
  try {
    const streams = container.streams
    const picture = streams.find(stream => stream.codecpar.codecType === AVMEDIA_TYPE_VIDEO && !isCover(stream))
    const audio = streams
      .filter(stream => stream.codecpar.codecType === AVMEDIA_TYPE_AUDIO)
      .flatMap(stream => readAudio(stream, remarks))
    const subtitles = streams.filter(stream => stream.codecpar.codecType === AVMEDIA_TYPE_SUBTITLE).map(readSubtitle)
    const disc = input.kind === 'title' ? byTables(input, streams, audio, subtitles, remarks) : {}
    if (!picture && audio.length === 0) throw new MediaError('The file holds no picture and no sound.')
    if (picture) refuseTooLarge(picture.codecpar.width, picture.codecpar.height)
    const durationSeconds = input.kind === 'title' ? input.seconds : length(container, picture)
    const isMade = input.kind === 'file' && isWithoutTimes(container)
    const video = picture ? await readVideo(input, container, picture, isMade ? null : durationSeconds, remarks) : null
    if (input.kind === 'title' && video && describeAspect(displayAspect(video)) !== input.aspect)
      remarks.push(`The disc's tables say ${input.aspect}, the picture itself ${describeAspect(displayAspect(video))}.`)
    if (video && still?.profile) video.profileName = still.profile
    const zero = video ? video.startTicks * toNumber(video.timeBase) : 0
    const chapters =
      input.kind === 'file'
        ? (await readChapters(container)).map(({ from, title }) => ({ from: Math.max(0, from - zero), title }))
        : []
    const facts: SourceFacts = {
      container: containerOf(container.iformat?.name ?? '', input),
      bytes,
      durationSeconds: video ? video.frameCount / toNumber(video.frameRate) || durationSeconds : durationSeconds,
      bitsPerSecond: durationSeconds ? (bytes * 8) / durationSeconds : null,
      video,
      audio,
      subtitles,
      remarks,
      ...(chapters.length > 0 ? { chapters } : {}),
      ...(input.kind === 'file' ? await beside(input, container) : {}),
      ...disc,
      ...ofFiles,
    }
    if (input.kind !== 'file') return facts
    const timed = await withTimes(
      container,
      facts,
      picture ? statedRates(picture) : [],
      isMade ? countedInAll : countedAtOnce,
    )
    if (timed.durationSeconds === null) remarks.push('The file does not say how long it is.')
    return timed
  } finally {
    await container.closeInput()
  }
}

/** What a file says of itself as a whole, and its cover. */
async function beside(
  input: MediaInput & { kind: 'file' },
  container: FormatContext,
): Promise<Pick<SourceFacts, 'tags' | 'cover'>> {
  const tags = tagsAmong(container.metadata?.getAll() ?? {})
  const index = container.streams.find(isCover)?.index
  const cover = index === undefined ? null : await openCover(input, index)
  try {
    const { codecpar } = cover?.stream ?? {}
    return {
      ...(Object.keys(tags).length > 0 ? { tags } : {}),
      ...(cover && codecpar
        ? {
            cover: {
              streamIndex: index!,
              codec: avGetCodecName(codecpar.codecId) ?? 'unknown',
              width: codecpar.width,
              height: codecpar.height,
              bytes: cover.packet.size,
            },
          }
        : {}),
    }
  } finally {
    await cover?.close()
  }
}

/** What the files of an input say without being decoded. */
interface FileFacts extends Pick<SourceFacts, 'missingFrames' | 'arriving'> {
  bytes: number
  remarks: string[]
}

async function fileFacts(input: PlainInput): Promise<FileFacts> {
  if (input.kind === 'file') return { bytes: (await stat(input.path)).size, remarks: [] }
  if (input.kind === 'title') return { bytes: input.parts.reduce((sum, part) => sum + part.bytes, 0), remarks: [] }
  const { directory, sequence } = input
  const frames: { number: number; bytes: number; writtenAt: number }[] = []
  for (const number of presentNumbers(sequence)) {
    const { size, mtimeMs } = await stat(path.join(directory, frameFileName(sequence, number)))
    frames.push({ number, bytes: size, writtenAt: mtimeMs })
  }
  await mustBeOfOneSize(
    directory,
    sequence,
    frames.filter(frame => frame.bytes > 0).map(frame => frame.number),
  )
  const arriving = arrivalOf(
    frames.map(frame => frame.writtenAt),
    Date.now(),
  )
  const remarks = sequenceRemarks(frames)
  if (sequence.missing.length > 0)
    remarks.unshift(`Frames ${describeRanges(sequence.missing)} are missing; the frame before stands in for them.`)
  return {
    bytes: frames.reduce((sum, frame) => sum + frame.bytes, 0),
    remarks,
    missingFrames: missingFrames(sequence),
    ...(arriving ? { arriving } : {}),
  }
}

/** Frames whose heads are read for their size, spread over a sequence that has more. */
const sizesRead = 5000

/** @throws MediaError naming the frames that are of another size than most */
async function mustBeOfOneSize(
  directory: string,
  sequence: NumberedSequence,
  numbers: readonly number[],
): Promise<void> {
  const bySize = new Map<string, number[]>()
  const step = Math.max(1, Math.ceil(numbers.length / sizesRead))
  for (let index = 0; index < numbers.length; index += step) {
    const file = path.join(directory, frameFileName(sequence, numbers[index]!))
    const size = await pictureSize((at, length) => readAt(file, at, length))
    // A head that does not say is left to the decoder.
    if (!size) continue
    const key = `${size.width}x${size.height}`
    const frames = bySize.get(key) ?? []
    frames.push(numbers[index]!)
    bySize.set(key, frames)
  }
  if (bySize.size < 2) return
  const [usual, ...others] = [...bySize].sort((a, b) => b[1].length - a[1].length)
  const odd = others
    .map(
      ([size, frames]) =>
        `${frames.length === 1 ? 'frame' : 'frames'} ${describeFrameNumbers(frames)} ${frames.length === 1 ? 'is' : 'are'} ${size}`,
    )
    .join('; ')
  throw new MediaError(
    `The frames are not of one size: most are ${usual![0]}; ${odd}${step > 1 ? ` (every ${step}th was looked at)` : ''}. Render those again, or move them into a folder of their own.`,
  )
}

function length(container: FormatContext, picture: Stream | undefined): number | null {
  if (picture && picture.duration !== AV_NOPTS_VALUE && picture.duration > 0n)
    return Number(picture.duration) * toNumber(fraction(picture.timeBase))
  return container.duration !== AV_NOPTS_VALUE && container.duration > 0n
    ? Number(container.duration) / AV_TIME_BASE
    : null
}

function fraction(value: { num: number; den: number }): Rational {
  return { num: value.num, den: value.den }
}

async function readVideo(
  input: PlainInput,
  container: FormatContext,
  stream: Stream,
  durationSeconds: number | null,
  remarks: string[],
): Promise<VideoFacts> {
  const codec = avGetCodecName(stream.codecpar.codecId) ?? 'unknown'
  // One thread: starting more takes longer than the few frames that are decoded.
  const decoder = await StreamDecoder.open(input, stream.index, 1)
  const reader = ShapedFrames.over(input, decoder)
  const frame = new Frame()
  frame.alloc()
  try {
    let startTicks: number | null = null
    let lastTicks = 0
    let [interlaced, topFirst, framesRead] = [0, 0, 0]
    let shape = {
      width: 0,
      height: 0,
      pixelFormat: '',
      pixelAspect: squarePixel,
      colour: null as ColourDescription | null,
    }
    while (framesRead < framesForScan && (await reader.next(frame))) {
      if (startTicks === null) {
        startTicks = Number(frame.pts)
        shape = {
          width: frame.width,
          height: frame.height,
          pixelFormat: avGetPixFmtName(frame.format as never) ?? 'unknown',
          pixelAspect: pixelAspect(frame, stream, reader.orientation),
          colour: colourOf(frame, codec),
        }
      }
      framesRead++
      lastTicks = Number(frame.pts)
      if (frame.hasFlags(AV_FRAME_FLAG_INTERLACED)) {
        interlaced++
        if (frame.hasFlags(AV_FRAME_FLAG_TOP_FIELD_FIRST)) topFirst++
      }
      frame.unref()
    }
    if (startTicks === null)
      throw new MediaError(
        `The picture cannot be decoded: the ${codec} data is damaged or cut short before its first whole frame.`,
      )
    if (decoder.errors > 0)
      remarks.push(
        `The decoder reported ${decoder.errors} ${decoder.errors === 1 ? 'error' : 'errors'} in the first ${framesRead === 1 ? 'frame' : `${framesRead} frames`}.`,
      )

    const scan: Scan = {
      kind: interlaced === 0 ? 'progressive' : interlaced === framesRead ? 'interlaced' : 'mixed',
      firstField: interlaced === 0 ? null : topFirst * 2 >= interlaced ? 'top' : 'bottom',
      framesRead,
    }
    const spacing = framesRead > 1 ? ((lastTicks - startTicks) * toNumber(decoder.timeBase)) / (framesRead - 1) : null
    const header = decoder.context.framerate
    // A stream without times has its rate in its own head, if anywhere; what its reader states is made up.
    const { frameRate, rateIs } =
      input.kind === 'file' && isWithoutTimes(container)
        ? headerRate(header, remarks)
        : readRate(stream, input, spacing)
    const seconds = durationSeconds ?? 0
    const counted = Number(stream.nbFrames)
    const [frameCount, frameCountFrom] =
      input.kind === 'sequence'
        ? [framesSpanned(input.sequence), 'files' as const]
        : counted > 0
          ? [counted, 'container' as const]
          : [framesIn(seconds, frameRate), 'length' as const]
    const { bitDepth, chroma, isRgb, hasAlpha } = describePixelFormat(shape.pixelFormat)
    const bitsPerSecond = Number(stream.codecpar.bitRate)
    const level = levelOf(stream)
    return {
      streamIndex: stream.index,
      codec,
      profile: profileName(stream),
      ...(level === null ? {} : { level }),
      width: shape.width,
      height: shape.height,
      pixelAspect: shape.pixelAspect,
      frameRate,
      rateIs,
      frameCount,
      frameCountFrom,
      ...(reader.orientation ? { turned: reader.orientation.words } : {}),
      ...(reader.cutOff ? { cutOff: reader.cutOff } : {}),
      startTicks,
      timeBase: fraction(decoder.timeBase),
      scan,
      pixelFormat: shape.pixelFormat,
      bitDepth,
      isRgb,
      chroma,
      ...(hasAlpha ? { hasAlpha } : {}),
      colour: shape.colour!,
      bitsPerSecond: bitsPerSecond > 0 ? bitsPerSecond : null,
    }
  } finally {
    frame.free()
    await reader.close()
  }
}

function pixelAspect(frame: Frame, stream: Stream, orientation: Orientation | null): Rational {
  const isStated = (aspect: { num: number; den: number }) => aspect.num > 0 && aspect.den > 0
  // The frame's own is turned with it already; the stream's is of the stored picture.
  if (isStated(frame.sampleAspectRatio)) return rational(frame.sampleAspectRatio.num, frame.sampleAspectRatio.den)
  const stated = [stream.sampleAspectRatio, stream.codecpar.sampleAspectRatio].find(isStated)
  if (!stated) return squarePixel
  return orientation?.swaps ? rational(stated.den, stated.num) : rational(stated.num, stated.den)
}

function headerRate(header: { num: number; den: number }, remarks: string[]): Pick<VideoFacts, 'frameRate' | 'rateIs'> {
  if (header.num > 0 && header.den > 0) return { frameRate: snapRate(fraction(header)), rateIs: 'constant' }
  remarks.push('The stream has no times and states no rate; 25 fps are taken for it.')
  return { frameRate: { num: 25, den: 1 }, rateIs: 'constant' }
}

/**
 * The rate of a stream. Containers state an average and a base rate and some state nonsense, so the one nearer to the spacing of the
 * first decoded frames is believed; the rate is variable when that spacing, the average and the base disagree.
 * @param spacing mean seconds between the first decoded frames
 */
function readRate(stream: Stream, input: PlainInput, spacing: number | null): Pick<VideoFacts, 'frameRate' | 'rateIs'> {
  if (input.kind === 'sequence') return { frameRate: input.frameRate, rateIs: 'constant' }
  const stated = statedRates(stream)
  const off = (rate: Rational) => (spacing ? Math.abs(Math.log(toNumber(rate) * spacing)) : 0)
  const nearest = stated.reduce<Rational | null>(
    (best, rate) => (best === null || off(rate) < off(best) - 1e-4 ? rate : best),
    null,
  )
  if (!nearest)
    return { frameRate: spacing ? snapRate(nearestRational(1 / spacing)) : { num: 25, den: 1 }, rateIs: 'constant' }
  // Rates of a whole multiple are those of fields or of the container's clock and contradict nothing.
  const contradicts = (rate: Rational) => {
    const ratio = toNumber(rate) / toNumber(nearest)
    return Math.abs(ratio - Math.max(1, Math.round(ratio))) > 0.005 * ratio
  }
  return {
    frameRate: snapRate(nearest),
    rateIs: off(nearest) > 0.02 || stated.some(contradicts) ? 'variable' : 'constant',
  }
}

/** Colour tags of a decoded frame, or of a stream. */
export function readColour(
  frame: Pick<Frame, 'colorRange' | 'colorPrimaries' | 'colorTrc' | 'colorSpace'>,
): ColourDescription {
  const name = (numbers: Record<string, number>, value: number) =>
    Object.entries(numbers).find(([, number]) => number === value)?.[0] ?? null
  return {
    range: Number(frame.colorRange) === 2 ? 'full' : Number(frame.colorRange) === 1 ? 'limited' : null,
    primaries: name(colourNumbers.primaries, Number(frame.colorPrimaries)),
    transfer: name(colourNumbers.transfer, Number(frame.colorTrc)),
    matrix: name(colourNumbers.matrix, Number(frame.colorSpace)),
  }
}

/** What a decoder says of a source's colours; that greys of JPEG go from black to white (ITU-T T.871) it leaves open. */
function colourOf(frame: Frame, codec: string): ColourDescription {
  const stated = readColour(frame)
  return codec === 'mjpeg' ? { ...stated, range: stated.range ?? 'full' } : stated
}

/** Level that a stream states, as its standard writes it; null where it states none, or its codec is none that Hematine delivers. */
export function levelOf({ codecpar }: Stream): string | null {
  const levels = pictureCodecs.find(entry => entry.key === avGetCodecName(codecpar.codecId))?.levels
  const { level } = codecpar
  if (level < 0 || !levels?.statedAs) return null
  // AV1 counts its levels from nought; to the others nought is none.
  const stated = levels.statedAs(level)
  return level > 0 || levels.table.some(entry => entry.level === stated) ? stated : null
}

/** Name of a stream's profile, or null. */
export function profileName(stream: Stream): string | null {
  const number = Number(stream.codecpar.profile)
  return Codec.findDecoder(stream.codecpar.codecId)?.profiles?.find(entry => entry.profile === number)?.name ?? null
}

function readAudio(stream: Stream, remarks: string[]): AudioFacts[] {
  const { codecpar } = stream
  const codec = avGetCodecName(codecpar.codecId) ?? 'unknown'
  if (codecpar.channels < 1 || codecpar.sampleRate < 1) {
    remarks.push(`Sound stream ${stream.index} (${codec}) does not say its channels or rate and is left out.`)
    return []
  }
  const bitsPerSecond = Number(codecpar.bitRate)
  const roles = rolesOf(stream.disposition)
  return [
    {
      streamIndex: stream.index,
      codec,
      profile: profileName(stream),
      channels: codecpar.channels,
      layout: avChannelLayoutDescribe(codecpar.channelLayout) ?? `${codecpar.channels} channels`,
      sampleRate: codecpar.sampleRate,
      bitsPerSecond: bitsPerSecond > 0 ? bitsPerSecond : null,
      language: tag(stream, 'language'),
      title: titleOf(stream),
      ...(roles ? { roles } : {}),
    },
  ]
}

function readSubtitle(stream: Stream): SubtitleFacts {
  const roles = rolesOf(stream.disposition)
  return {
    streamIndex: stream.index,
    codec: avGetCodecName(stream.codecpar.codecId) ?? 'unknown',
    language: tag(stream, 'language'),
    title: titleOf(stream),
    ...(roles ? { roles } : {}),
  }
}

/** What a track is called; MP4 keeps it under another name. */
function titleOf(stream: Stream): string | null {
  return tag(stream, 'title') ?? tag(stream, 'name')
}

function tag(stream: Stream, key: string): string | null {
  const value = stream.metadata?.get(key) ?? null
  return value === null || value === '' || value === 'und' ? null : value
}

/** What the purposes in a disc's tables are as roles. */
const rolesByPurpose: Record<string, TrackRole> = {
  'for the visually impaired': 'visually impaired',
  commentary: 'commentary',
  'second commentary': 'commentary',
}

/**
 * What a disc's tables say of a title's streams and the streams themselves cannot: languages, and the order of the tracks.
 * @param audio is brought into the order of the tables, in place; tracks that the tables do not name come last
 */
function byTables(
  input: TitleInput,
  streams: readonly Stream[],
  audio: AudioFacts[],
  subtitles: SubtitleFacts[],
  remarks: string[],
): Pick<SourceFacts, 'disc' | 'audio' | 'subtitles'> {
  const idOf = (track: { streamIndex: number | null }) => streams.find(stream => stream.index === track.streamIndex)?.id
  const known = (track: AudioFacts) => {
    const entry = input.audio.find(({ streamId }) => streamId === idOf(track))
    const role = entry?.purpose ? rolesByPurpose[entry.purpose] : undefined
    return entry && { ...entry, ...(role ? { roles: [role] } : {}) }
  }
  const place = (track: AudioFacts) => {
    const index = input.audio.findIndex(entry => entry.streamId === idOf(track))
    return index < 0 ? input.audio.length : index
  }
  for (const entry of input.audio.filter(entry => !audio.some(track => idOf(track) === entry.streamId))) {
    remarks.push(
      `The disc's tables name a sound track (${describeCodec(entry.codec)}${entry.language ? `, ${entry.language}` : ''}) that was not met at the beginning of the title. It is left out.`,
    )
  }
  return {
    disc: { name: input.disc, title: input.title, angle: input.angle, chapters: input.chapters },
    audio: [...audio]
      .sort((a, b) => place(a) - place(b))
      .map(track => ({
        ...track,
        language: known(track)?.language ?? track.language,
        title: known(track)?.purpose ?? track.title,
        ...(known(track)?.roles ? { roles: known(track)!.roles } : {}),
      })),
    // Subtitles come late: what the tables name counts, whether it was met or not.
    subtitles: input.subtitles.map(entry => ({
      streamIndex: subtitles.find(track => idOf(track) === entry.streamId)?.streamIndex ?? null,
      codec: 'dvd_subtitle',
      language: entry.language,
    })),
  }
}
