import { readFile } from 'node:fs/promises'
import path from 'node:path'
import { frameFileName, framesSpanned, standInNumber, toNumber, type Course, type Rational } from '@hematine/core'
import {
  AVERROR_EIO,
  AVERROR_EOF,
  AV_CODEC_ID_AV1,
  AV_CODEC_ID_WEBP,
  AV_FRAME_FLAG_CORRUPT,
  AV_PKT_FLAG_KEY,
  AVSEEK_FLAG_BACKWARD,
  AVSEEK_FLAG_BYTE,
  AV_NOPTS_VALUE,
  AVCHROMA_LOC_CENTER,
  AVCHROMA_LOC_UNSPECIFIED,
  AVMEDIA_TYPE_VIDEO,
  type AVCodecID,
  type AVMediaType,
} from 'node-av/constants'
import { Codec, CodecContext, Frame, Packet, type FormatContext, type Stream } from 'node-av/lib'
import { containerOf } from './container-name.ts'
import { keepOnlyStream, openInput } from './input.ts'
import { CodecCalls } from '../ground/codec-calls.ts'
import type { PlainInput } from '../ground/media-input.ts'
import { ensure, isAgain, isEnd, MediaError } from '../ground/libav.ts'

/** Times that go back by more than this, in seconds, are a jump that nobody knew of: what follows is put behind what came before. */
const unknownJump = 0.1
/** A place in the file counts as reached when the first frame from there is at most this late, in seconds: sound comes in packets. */
const lateness = { picture: 0, sound: 0.1 }
/** Where a place is looked for once more when reading began behind it, in seconds before it. */
const earlier = [5, 30]
/** Packets that are read at most to find the one that a place names. */
const packetsToPlace = 3000

/** Whether an input is WebP (RFC 9649) or AVIF, whose colours lie in the middle of pixels unless a file says otherwise. */
function isStillWithin(reader: string, input: PlainInput, codec: AVCodecID): boolean {
  return codec === AV_CODEC_ID_WEBP || (codec === AV_CODEC_ID_AV1 && containerOf(reader, input) === 'pictures')
}

/**
 * Decodes one stream of an input, frame by frame. It opens the input for itself, so that picture and sound can be
 * pulled at their own pace without queues that grow with bad interleaving. Times run on: where the stream's own jump, they are moved by its course.
 */
export class StreamDecoder {
  /** Packets or frames the decoder complained about. */
  errors = 0
  private readonly packet = new Packet()
  private draining = false
  private lastTicks: bigint | null = null
  /** Packets of the stream read so far, counted from the beginning of the file; null after a place was reached whose number is not known. */
  private packetNumber: number | null = 0
  private frameNumber = 0
  /** What times are moved by since they jumped in a way that the course does not know, in ticks. */
  private moved = 0n
  /** Packets without data: whether there were any, and how many since the last with data. */
  private hasRepeats = false
  private trailingRepeats = 0
  private held: Frame | null = null
  private lastDts: bigint | null = null
  private packetStep = 1n
  /** A place that was gone to and is not reached yet. */
  private sought: { ticks: bigint; tries: number } | null = null
  private readonly calls: CodecCalls
  /** Whether colours for groups of pixels lie in their middle where nobody says. */
  private readonly centresChroma: boolean

  private constructor(
    private readonly input: PlainInput,
    private opened: FormatContext,
    private readonly streamIndex: number,
    readonly context: CodecContext,
    private readonly frames: SequenceFrames | null,
    private readonly course: Course | null,
  ) {
    this.packet.alloc()
    this.calls = new CodecCalls(context)
    this.centresChroma = isStillWithin(opened.iformat?.name ?? '', input, context.codecId)
  }

  get container(): FormatContext {
    return this.opened
  }

  get stream(): Stream {
    return this.opened.streams[this.streamIndex]!
  }

  /** @throws MediaError when the stream has no decoder */
  static async open(input: PlainInput, streamIndex: number, threads = 0): Promise<StreamDecoder> {
    const container = await openInput(input)
    try {
      const stream = container.streams[streamIndex]
      if (!stream) throw new MediaError(`The file has no stream ${streamIndex}.`)
      return await StreamDecoder.over(input, container, stream, threads)
    } catch (error) {
      await container.closeInput()
      throw error
    }
  }

  /** Opens the first stream of a kind. */
  static async openBest(input: PlainInput, type: AVMediaType, threads = 0): Promise<StreamDecoder> {
    const container = await openInput(input)
    try {
      const index = ensure(container.findBestStream(type), 'The file has no such stream')
      return await StreamDecoder.over(input, container, container.streams[index]!, threads)
    } catch (error) {
      await container.closeInput()
      throw error
    }
  }

  private static async over(
    input: PlainInput,
    container: FormatContext,
    stream: Stream,
    threads: number,
  ): Promise<StreamDecoder> {
    const codec = Codec.findDecoder(stream.codecpar.codecId)
    if (!codec) throw new MediaError(`Stream ${stream.index} cannot be decoded: no decoder for it is built in.`)
    const context = new CodecContext()
    context.allocContext3(codec)
    ensure(context.parametersToContext(stream.codecpar), 'The stream cannot be decoded')
    context.pktTimebase = stream.timeBase
    context.threadCount = threads
    ensure(await context.open2(codec, null), 'The decoder cannot be opened')
    keepOnlyStream(container, stream.index)
    const course = input.kind === 'file' ? (input.courses?.find(entry => entry.stream === stream.index) ?? null) : null
    return new StreamDecoder(
      input,
      container,
      stream.index,
      context,
      input.kind === 'sequence' ? new SequenceFrames(input) : null,
      course,
    )
  }

  get timeBase(): Rational {
    const { num, den } = this.stream.timeBase
    return { num, den }
  }

  /**
   * Fills `frame` with the next decoded frame; its `pts` is in ticks of the stream's time base.
   * Damaged packets are counted in `errors` and passed over.
   * @returns false at the end
   * @throws MediaError when the file cannot be read any further
   */
  async next(frame: Frame): Promise<boolean> {
    for (;;) {
      const code = await this.calls.receiveFrame(frame)
      if (code >= 0) {
        if (frame.decodeErrorFlags !== 0 || frame.hasFlags(AV_FRAME_FLAG_CORRUPT)) this.errors++
        this.stamp(frame)
        if (this.centresChroma && frame.chromaLocation === AVCHROMA_LOC_UNSPECIFIED)
          frame.chromaLocation = AVCHROMA_LOC_CENTER
        if (!(await this.isBehind(frame))) {
          if (this.hasRepeats) this.hold(frame)
          return true
        }
        frame.unref()
        continue
      }
      if (isEnd(code)) return this.repeatLast(frame)
      if (!isAgain(code)) {
        this.errors++
        if (this.draining) return this.repeatLast(frame)
      }
      await this.feed()
    }
  }

  /** Keeps the last frame of a stream that repeats some, in case that it ends with repeats. */
  private hold(frame: Frame): void {
    if (!this.held) {
      this.held = new Frame()
      this.held.alloc()
    }
    this.held.unref()
    this.held.ref(frame)
  }

  /** At the end, shows the last frame once more where packets without data come after it. @returns false when there is nothing to be shown */
  private repeatLast(frame: Frame): boolean {
    const repeats = this.trailingRepeats
    this.trailingRepeats = 0
    if (repeats === 0 || !this.held || !this.isPicture) return false
    frame.ref(this.held)
    frame.pts += BigInt(repeats) * this.packetStep
    return true
  }

  private async feed(): Promise<void> {
    for (;;) {
      const read = this.frames ? await this.frames.read(this.packet) : await this.container.readFrame(this.packet)
      if (isAgain(read)) continue
      // A frame of a sequence that cannot be read is passed over; the others are still good.
      if (read === AVERROR_EIO && this.frames) {
        this.errors++
        continue
      }
      if (read < 0) {
        if (!isEnd(read)) {
          // Damaged sectors and garbage end the reading; what came before is still good and the loss is counted.
          this.errors++
        }
        this.draining = true
        await this.calls.sendPacket(null)
        return
      }
      if (this.packet.streamIndex !== this.stream.index) {
        this.packet.unref()
        continue
      }
      if (this.packet.dts !== AV_NOPTS_VALUE) {
        if (this.lastDts !== null && this.packet.dts > this.lastDts) this.packetStep = this.packet.dts - this.lastDts
        this.lastDts = this.packet.dts
      }
      // A packet without data shows the last picture once more; a decoder would take it for the end.
      const isEmpty = this.packet.size === 0
      if (!isEmpty) this.move(this.packet)
      if (this.packetNumber !== null) this.packetNumber++
      if (isEmpty) {
        this.hasRepeats = true
        this.trailingRepeats++
        this.packet.unref()
        continue
      }
      this.trailingRepeats = 0
      const sent = await this.calls.sendPacket(this.packet)
      this.packet.unref()
      if (sent >= 0) return
      if (!isEnd(sent)) this.errors++
    }
  }

  /** Puts a packet's times where the stream's course has them. */
  private move(packet: Packet): void {
    const number = this.packetNumber
    if (!this.course || number === null) return
    const shift = this.course.shifts.findLast(entry => entry.packet <= number)
    if (!shift) return
    if (packet.pts !== AV_NOPTS_VALUE) packet.pts += BigInt(shift.ticks)
    if (packet.dts !== AV_NOPTS_VALUE) packet.dts += BigInt(shift.ticks)
  }

  /** Ticks from one picture to the next, as the stream states its rate. */
  private get step(): bigint {
    const rate = this.stream.avgFrameRate
    return rate.num > 0 && rate.den > 0
      ? BigInt(Math.max(1, Math.round(1 / (toNumber({ num: rate.num, den: rate.den }) * toNumber(this.timeBase)))))
      : 1n
  }

  /** Gives a frame its time. Without one of its own it is that after its predecessor; none goes back behind its predecessor. */
  private stamp(frame: Frame): void {
    const number = this.frameNumber++
    if (this.course?.step) {
      frame.pts = BigInt(Math.round(number * this.course.step))
      return
    }
    const stated = frame.bestEffortTimestamp
    let ticks =
      stated === AV_NOPTS_VALUE ? (this.lastTicks === null ? 0n : this.lastTicks + this.step) : stated + this.moved
    if (this.lastTicks !== null && ticks <= this.lastTicks && this.isPicture) {
      const follows =
        this.lastTicks + (Number(this.lastTicks - ticks) * toNumber(this.timeBase) > unknownJump ? this.step : 1n)
      if (follows - this.lastTicks > 1n) this.moved += follows - ticks
      ticks = follows
    }
    frame.pts = ticks
    this.lastTicks = ticks
  }

  private get isPicture(): boolean {
    return this.context.codecType === AVMEDIA_TYPE_VIDEO
  }

  /** Goes to a keyframe at or before a time, in ticks; decoding starts there. Where the file cannot be sought in, it is read from its beginning. */
  async seek(ticks: bigint): Promise<void> {
    if (this.frames) {
      this.frames.index = Number(ticks)
      this.forget()
      return
    }
    if (this.course) {
      if (!(await this.goToPlace(ticks))) await this.startOver()
      return
    }
    this.sought = { ticks, tries: 0 }
    if (await this.goTo(ticks)) return
    await this.startOver()
  }

  /** @returns whether the file could be sought in */
  private async goTo(ticks: bigint): Promise<boolean> {
    if ((await this.opened.seekFrame(this.streamIndex, ticks, AVSEEK_FLAG_BACKWARD)) < 0) return false
    this.forget()
    this.packetNumber = null
    return true
  }

  /** Goes to the last place of the course before a time. @returns false when there is none, or it is not found again */
  private async goToPlace(ticks: bigint): Promise<boolean> {
    const place = this.course!.step ? undefined : this.course!.places.findLast(entry => BigInt(entry.ticks) <= ticks)
    if (!place || (await this.opened.seekFrame(-1, BigInt(place.byte), AVSEEK_FLAG_BYTE)) < 0) return false
    this.forget()
    // What ends there of the picture before comes first, as a packet of its own that takes the times of the one that begins there.
    let taken: { pts: bigint; dts: bigint } | null = null
    for (let count = 0; count < packetsToPlace; count++) {
      const { packet } = this
      const code = await this.opened.readFrame(packet)
      if (isAgain(code)) continue
      if (code < 0) return false
      const isOwn = packet.streamIndex === this.streamIndex
      const isRest = isOwn && this.isPicture && Number(packet.pos) === place.byte && !packet.hasFlags(AV_PKT_FLAG_KEY)
      if (taken && isOwn) Object.assign(packet, taken)
      if (isOwn && !isRest && (taken || Number(packet.pos) === place.byte)) {
        this.packetNumber = place.packet
        this.move(packet)
        this.packetNumber++
        const sent = await this.calls.sendPacket(packet)
        packet.unref()
        return sent >= 0
      }
      if (isRest) taken = { pts: packet.pts, dts: packet.dts }
      const isPast = isOwn && Number(packet.pos) > place.byte
      packet.unref()
      if (isPast) return false
    }
    return false
  }

  /** Opens the file anew, so that it is read from its beginning. */
  private async startOver(): Promise<void> {
    const container = await openInput(this.input)
    await this.opened.closeInput()
    this.opened = container
    keepOnlyStream(container, this.streamIndex)
    this.forget()
    this.sought = null
  }

  private forget(): void {
    this.calls.flush()
    this.draining = false
    this.lastTicks = null
    this.moved = 0n
    this.packetNumber = 0
    this.frameNumber = 0
    this.trailingRepeats = 0
    this.lastDts = null
  }

  /** Whether reading began behind the place that was gone to. Then it is gone to from further before, or read from the beginning. */
  private async isBehind(frame: Frame): Promise<boolean> {
    const { sought } = this
    if (!sought) return false
    this.sought = null
    const late = Number(frame.pts - sought.ticks) * toNumber(this.timeBase)
    if (late <= (this.isPicture ? lateness.picture : lateness.sound)) return false
    const before = earlier[sought.tries]
    const ticks = before === undefined ? null : sought.ticks - BigInt(Math.round(before / toNumber(this.timeBase)))
    if (ticks !== null && ticks > 0n && (await this.goTo(ticks)))
      this.sought = { ticks: sought.ticks, tries: sought.tries + 1 }
    else await this.startOver()
    return true
  }

  async close(): Promise<void> {
    this.packet.free()
    this.held?.free()
    this.context.freeContext()
    await this.opened.closeInput()
  }
}

/** Frames of a sequence as packets, file by file; a missing one is the frame before once more. Ticks are frame numbers from 0. */
class SequenceFrames {
  /** Frame that is read next. */
  index = 0

  constructor(private readonly input: Extract<PlainInput, { kind: 'sequence' }>) {}

  /** Fills a packet as the libraries' readers do. @returns their code */
  async read(packet: Packet): Promise<number> {
    const { directory, sequence } = this.input
    if (this.index >= framesSpanned(sequence)) return AVERROR_EOF
    const index = Math.max(0, this.index)
    this.index = index + 1
    try {
      packet.data = await readFile(path.join(directory, frameFileName(sequence, standInNumber(sequence, index))))
    } catch {
      return AVERROR_EIO
    }
    packet.streamIndex = 0
    packet.pts = packet.dts = BigInt(index)
    packet.duration = 1n
    packet.flags = AV_PKT_FLAG_KEY
    return 0
  }
}
