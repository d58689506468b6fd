import { readFile } from 'node:fs/promises'
import path from 'node:path'
import { frameFileName, framesSpanned, standInNumber, toNumber, type Rational } from '@hematine/core'
import { AVERROR_EIO, AVERROR_EOF, AV_PKT_FLAG_KEY, AVSEEK_FLAG_BACKWARD, AV_NOPTS_VALUE, type AVMediaType } from 'node-av/constants'
import { Codec, CodecContext, Packet, type FormatContext, type Frame, type Stream } from 'node-av/lib'
import { keepOnlyStream, openInput, type PlainInput } from './input.ts'
import { ensure, isAgain, isEnd, MediaError } from './libav.ts'

/**
 * Decodes one stream of an input, frame by frame. It opens the input for itself, so that picture and sound can be
 * pulled at their own pace without queues that grow with bad interleaving.
 */
export class StreamDecoder {
  /** Packets or frames the decoder complained about. */
  errors = 0
  private readonly packet = new Packet()
  private draining = false
  private lastTicks: bigint | null = null

  private constructor(
    readonly container: FormatContext,
    readonly stream: Stream,
    readonly context: CodecContext,
    private readonly frames: SequenceFrames | null,
  ) {
    this.packet.alloc()
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

  private static async over(input: PlainInput, container: FormatContext, stream: Stream, threads: number): Promise<StreamDecoder> {
    const codec = Codec.findDecoder(stream.codecpar.codecId)
    if (!codec) throw new MediaError(`Stream ${stream.index} cannot be decoded: no decoder for it is built in.`)
    const context = new CodecContext()
    context.allocContext3(codec)
    ensure(context.parametersToContext(stream.codecpar), 'The stream cannot be decoded')
    context.pktTimebase = stream.timeBase
    context.threadCount = threads
    ensure(await context.open2(codec, null), 'The decoder cannot be opened')
    keepOnlyStream(container, stream.index)
    return new StreamDecoder(container, stream, context, input.kind === 'sequence' ? new SequenceFrames(input) : null)
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
      const code = await this.context.receiveFrame(frame)
      if (code >= 0) {
        if (frame.decodeErrorFlags !== 0) this.errors++
        this.stamp(frame)
        return true
      }
      if (isEnd(code)) return false
      if (!isAgain(code)) {
        this.errors++
        if (this.draining) return false
      }
      await this.feed()
    }
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
        await this.context.sendPacket(null)
        return
      }
      if (this.packet.streamIndex !== this.stream.index) {
        this.packet.unref()
        continue
      }
      const sent = await this.context.sendPacket(this.packet)
      this.packet.unref()
      if (sent >= 0) return
      if (!isEnd(sent)) this.errors++
    }
  }

  /** Gives a frame without a time of its own the one after its predecessor. */
  private stamp(frame: Frame): void {
    let ticks = frame.bestEffortTimestamp
    if (ticks === AV_NOPTS_VALUE) {
      const rate = this.stream.avgFrameRate
      const step = rate.num > 0 ? BigInt(Math.round(1 / (toNumber({ num: rate.num, den: rate.den }) * toNumber(this.timeBase)))) : 1n
      ticks = this.lastTicks === null ? 0n : this.lastTicks + step
    }
    frame.pts = ticks
    this.lastTicks = ticks
  }

  /** Goes to a keyframe at or before a time, in ticks; decoding starts there. */
  async seek(ticks: bigint): Promise<void> {
    if (this.frames) this.frames.index = Number(ticks)
    else ensure(await this.container.seekFrame(this.stream.index, ticks, AVSEEK_FLAG_BACKWARD), 'The place in the file cannot be reached')
    this.context.flushBuffers()
    this.draining = false
    this.lastTicks = null
  }

  /** Goes to a place when the file can; one without an index is read on from where it stands. */
  async seekOrReadOn(ticks: bigint): Promise<void> {
    try {
      await this.seek(ticks)
    } catch (error) {
      if (!(error instanceof MediaError)) throw error
    }
  }

  async close(): Promise<void> {
    this.packet.free()
    this.context.freeContext()
    await this.container.closeInput()
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
