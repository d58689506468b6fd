import { open } from 'node:fs/promises'
import {
  chaptersWithin,
  containerFacts,
  timedTextTrackHead,
  writeCue,
  type Chapter,
  type Container,
  type FullColourDescription,
  type PlannedSubtitles,
  type Tags,
  type TrackRole,
} from '@hematine/core'
import * as constants from 'node-av/constants'
import { FormatContext, OutputFormat, Packet, Rational, type Stream } from 'node-av/lib'
import type { Cover } from '../reading/cover.ts'
import type { Encoder } from './encoder.ts'
import { colourNumbers } from '../ground/colour-numbers.ts'
import { ensure, MediaError, options } from '../ground/libav.ts'
import { dispositionOf } from '../ground/track-roles.ts'
import { writeMatroskaChapters } from './chapters/matroska.ts'
import { describeTracks, titleWithRoom } from './chapters/movie.ts'

/** Where packets of encoders go. */
export type PacketSink = Pick<OutputFile, 'addStream' | 'begin' | 'write' | 'bytesWritten' | 'finish' | 'close'> &
  // Files of single pictures hold none.
  Partial<Pick<OutputFile, 'addSubtitles' | 'addCopy'>> & {
    /** Sees each packet as it goes to its file, with its stream; it must not keep it. */
    watch?: PacketWatch | null
  }

export type PacketWatch = (packet: Packet, index: number) => Promise<void>

/** What a subtitle track is in, by the library's names. */
const subtitleCodecs: Record<string, constants.AVCodecID> = {
  subrip: constants.AV_CODEC_ID_SUBRIP,
  ass: constants.AV_CODEC_ID_ASS,
  webvtt: constants.AV_CODEC_ID_WEBVTT,
  mov_text: constants.AV_CODEC_ID_MOV_TEXT,
  dvd_subtitle: constants.AV_CODEC_ID_DVD_SUBTITLE,
  hdmv_pgs_subtitle: constants.AV_CODEC_ID_HDMV_PGS_SUBTITLE,
}

/** Ticks a second of subtitles and chapters: what MKV and SubRip count in. */
export const textTicks = 1000
const textTimeBase = { num: 1, den: textTicks }
/** Packets of a track wait for those of others at most so long in the file's own time; few subtitles would hold up much otherwise. */
const interleaveMicroseconds = 1_000_000n

/** Takes packets and keeps nothing but their sums, of the picture (stream 0) and of all else. */
export class PacketCount implements PacketSink {
  private streams = 0
  readonly bytesWritten = 0
  soundBytes = 0
  soundPackets = 0

  addStream(): number {
    return this.streams++
  }

  addSubtitles(): number {
    return this.streams++
  }

  addCopy(): number {
    return this.streams++
  }

  async begin(): Promise<void> {}

  async write(packet: Packet, index: number): Promise<void> {
    if (index === 0) return
    this.soundBytes += packet.size
    this.soundPackets++
  }

  async finish(): Promise<void> {}

  async close(): Promise<void> {}
}

/** Says in a container what a copied stream's colours mean, where the stream leaves that open. */
function describeColour({ codecpar }: Stream, colour: FullColourDescription): void {
  const isOpen = (value: number) => Number(value) === Number(constants.AVCOL_PRI_UNSPECIFIED)
  if (isOpen(codecpar.colorPrimaries))
    codecpar.colorPrimaries = (colourNumbers.primaries[colour.primaries] ?? 2) as constants.AVColorPrimaries
  if (isOpen(codecpar.colorTrc))
    codecpar.colorTrc = (colourNumbers.transfer[colour.transfer] ?? 2) as constants.AVColorTransferCharacteristic
  if (isOpen(codecpar.colorSpace))
    codecpar.colorSpace = (colourNumbers.matrix[colour.matrix] ?? 2) as constants.AVColorSpace
}

/** Whether a container has no place for a packet: what coders of sound begin with is heard late where nothing can begin before time 0. */
export function leavesOut(container: Container, { pts, duration }: Packet): boolean {
  return pts < 0n && 2n * pts + duration <= 0n && containerFacts(container).countsPackets === true
}

/** What is said of a stream beside what is in it. */
interface StreamFacts {
  language?: string | null
  title?: string | null | undefined
  roles?: readonly TrackRole[] | undefined
}

/** What a file says beside its tracks. */
export interface FileRemarks {
  /** Only for containers that get them here. */
  chapters?: readonly Chapter[]
  tags?: Tags
  cover?: Pick<Cover, 'stream' | 'packet'> | null
}

/** What is said of a picture besides. */
interface PictureFacts {
  pixelAspect?: { num: number; den: number }
  rate?: { num: number; den: number }
}

/** A container file being written. */
export class OutputFile {
  private readonly streams: { stream: Stream; timeBase: { num: number; den: number } }[] = []
  /** Subtitle tracks that no player is to show by itself. */
  private readonly hidden: number[] = []
  watch: PacketWatch | null = null
  private opened = false
  private chapterTrack: number | null = null
  /** Seconds that the first stream has so far. */
  private seconds = 0

  private constructor(
    private readonly context: FormatContext,
    private readonly path: string,
    private readonly container: Container,
    private readonly chapters: readonly Chapter[],
    private readonly cover: Pick<Cover, 'stream' | 'packet'> | null,
  ) {}

  /**
   * @param path temporary name; an existing file there is a failure of the caller
   * @param remarks a cover is freed by whoever hands it over, once the file is closed
   */
  static create(path: string, container: Container, remarks: FileRemarks = {}): OutputFile {
    const format = OutputFormat.guessFormat(containerFacts(container).writer, null, null)
    if (!format) throw new MediaError(`No writer for ${container} is built in.`)
    const context = new FormatContext()
    ensure(context.allocOutputContext2(format, null, path), 'The output cannot be set up')
    // The writer of MP4 opens the file a second time, by this name, to move the index to the front.
    context.url = path
    const { chapters = [], tags = {}, cover = null } = remarks
    if (Object.keys(tags).length > 0) context.metadata = options(tags)
    return new OutputFile(context, path, container, chapters, cover)
  }

  /** Whether chapters are a track of text, whose container lets a player show subtitles by themselves unless told otherwise. */
  private get isMovie(): boolean {
    return containerFacts(this.container).chapters === 'track'
  }

  /** Adds a stream fed by an opened encoder. @returns its index */
  addStream(encoder: Encoder, facts: StreamFacts & PictureFacts = {}): number {
    const stream = this.context.newStream(null)
    ensure(encoder.context.parametersFromContext(stream.codecpar), 'The stream cannot be set up')
    return this.keep(stream, encoder.context.timeBase, facts)
  }

  /** Adds a stream whose packets are those of another file's, in its ticks. @returns its index */
  addCopy(source: Stream, facts: StreamFacts & PictureFacts & { colour?: FullColourDescription }): number {
    const stream = this.context.newStream(null)
    ensure(source.codecpar.copy(stream.codecpar), 'The stream cannot be set up')
    if (facts.colour) describeColour(stream, facts.colour)
    // What the other container calls the codec is not what this one does.
    stream.codecpar.codecTag = 0
    return this.keep(stream, { num: source.timeBase.num, den: source.timeBase.den }, facts)
  }

  /**
   * Adds a subtitle track, whose packets come in ticks of which `textTicks` make a second.
   * @param head what its codec keeps apart from its packets; null for nothing
   * @returns its index
   */
  addSubtitles(track: Pick<PlannedSubtitles, 'to' | 'language' | 'title' | 'roles'>, head: Uint8Array | null): number {
    const index = this.addText(track.to, head, track)
    if (!track.roles?.includes('default')) this.hidden.push(index)
    return index
  }

  private addText(codec: string, head: Uint8Array | null, facts: StreamFacts): number {
    const stream = this.context.newStream(null)
    stream.codecpar.codecType = constants.AVMEDIA_TYPE_SUBTITLE
    stream.codecpar.codecId = subtitleCodecs[codec]!
    if (head) stream.codecpar.extradata = Buffer.from(head)
    this.context.maxInterleaveDelta = interleaveMicroseconds
    return this.keep(stream, textTimeBase, facts)
  }

  private keep(stream: Stream, timeBase: { num: number; den: number }, facts: StreamFacts & PictureFacts): number {
    stream.timeBase = new Rational(timeBase.num, timeBase.den)
    if (facts.pixelAspect) stream.sampleAspectRatio = new Rational(facts.pixelAspect.num, facts.pixelAspect.den)
    if (facts.rate) stream.avgFrameRate = new Rational(facts.rate.num, facts.rate.den)
    const isNaming = stream.index === 0 && this.isMovie && this.chapters.length > 0
    const title = isNaming ? titleWithRoom(facts.title ?? null) : facts.title
    const tags: Record<string, string> = {}
    if (facts.language) tags.language = facts.language
    if (title) tags.title = title
    if (Object.keys(tags).length > 0) stream.metadata = options(tags)
    if (facts.roles) stream.disposition = dispositionOf(facts.roles) as constants.AVDisposition
    this.streams.push({ stream, timeBase })
    return stream.index
  }

  async begin(): Promise<void> {
    if (this.isMovie && this.chapters.length > 0) this.chapterTrack = this.addText('mov_text', timedTextTrackHead(), {})
    // Behind all others: it is no track, and theirs are counted without it.
    const pictured = this.cover && this.addCover(this.cover)
    ensure(await this.context.openOutput(), 'The output file cannot be created')
    this.opened = true
    const chosen = options(containerFacts(this.container).settings)
    ensure(await this.context.writeHeader(chosen), 'The head of the output cannot be written')
    chosen.free()
    if (this.cover && pictured !== null) {
      const { packet } = this.cover
      packet.streamIndex = pictured
      packet.pts = packet.dts = 0n
      ensure(await this.context.writeFrame(packet), 'The cover cannot be written')
    }
  }

  /** @returns the stream that its packet belongs to; null where it is written with the head */
  private addCover({ stream: source, packet }: NonNullable<FileRemarks['cover']>): number | null {
    const stream = this.context.newStream(null)
    ensure(source.codecpar.copy(stream.codecpar), 'The cover cannot be set up')
    stream.codecpar.codecTag = 0
    stream.disposition = constants.AV_DISPOSITION_ATTACHED_PIC
    // Of Matroska it is a file that is attached (RFC 9559, 5.1.6), which has no packets.
    if (containerFacts(this.container).writer !== 'matroska') return stream.index
    const kind = source.codecpar.codecId === constants.AV_CODEC_ID_PNG ? 'png' : 'jpeg'
    stream.codecpar.codecType = constants.AVMEDIA_TYPE_ATTACHMENT
    stream.codecpar.extradata = packet.data
    stream.metadata = options({ filename: `cover.${kind === 'png' ? 'png' : 'jpg'}`, mimetype: `image/${kind}` })
    return null
  }

  async write(packet: Packet, index: number): Promise<void> {
    const { stream, timeBase } = this.streams[index]!
    if (leavesOut(this.container, packet)) return
    await this.watch?.(packet, index)
    packet.streamIndex = index
    if (index === 0)
      this.seconds = Math.max(
        this.seconds,
        (Number(packet.pts + (packet.duration > 0n ? packet.duration : 1n)) * timeBase.num) / timeBase.den,
      )
    packet.rescaleTs(new Rational(timeBase.num, timeBase.den), stream.timeBase)
    ensure(await this.context.interleavedWriteFrame(packet), 'The output cannot be written')
  }

  /** Bytes handed to the file so far. */
  get bytesWritten(): number {
    return this.opened ? Number(this.context.pbBytes) : 0
  }

  async finish(): Promise<void> {
    // Only now it is known how long the result is.
    const chapters = chaptersWithin(this.chapters, this.seconds)
    if (this.chapterTrack !== null) await this.writeChapterTrack(chapters, this.chapterTrack)
    ensure(await this.context.writeTrailer(), 'The end of the output cannot be written')
    await this.context.flush()
    await this.context.closeOutput()
    this.opened = false
    const isMatroska = containerFacts(this.container).chapters === 'element'
    if (isMatroska ? chapters.length === 0 : !this.isMovie) return
    const file = await open(this.path, 'r+')
    try {
      if (isMatroska) await writeMatroskaChapters(file, chapters, this.seconds)
      else
        await describeTracks(file, {
          hidden: this.hidden,
          chapters: this.chapterTrack !== null ? { track: this.chapterTrack, of: 0 } : null,
        })
    } finally {
      await file.close()
    }
  }

  /** The chapters as text that is shown from the beginning of each to that of the next. */
  private async writeChapterTrack(chapters: readonly Chapter[], track: number): Promise<void> {
    const packet = new Packet()
    packet.alloc()
    try {
      const ticks = (seconds: number) => BigInt(Math.round(seconds * textTicks))
      for (const [index, { from, title }] of chapters.entries()) {
        const text = title ?? `${index + 1}`
        packet.data = Buffer.from(writeCue('mov_text', [{ text, italic: false, bold: false, underline: false }]))
        packet.pts = packet.dts = ticks(from)
        packet.duration = ticks(chapters[index + 1]?.from ?? this.seconds) - packet.pts
        packet.streamIndex = track
        packet.rescaleTs(new Rational(1, textTicks), this.streams[packet.streamIndex]!.stream.timeBase)
        // Past the packets that wait for others, so that all chapters lie in one piece.
        ensure(await this.context.writeFrame(packet), 'The chapters cannot be written')
        packet.unref()
      }
    } finally {
      packet.free()
    }
  }

  async close(): Promise<void> {
    if (this.opened) await this.context.closeOutput()
    this.context.freeContext()
  }
}
