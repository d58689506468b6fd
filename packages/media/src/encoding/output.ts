import { containerFacts, type Container } from '@hematine/core'
import { FormatContext, OutputFormat, Rational, type Packet, type Stream } from 'node-av/lib'
import type { Encoder } from './encoder.ts'
import { ensure, MediaError, options } from '../ground/libav.ts'

/** Where packets of encoders go. */
export type PacketSink = Pick<OutputFile, 'addStream' | 'begin' | 'write' | 'bytesWritten' | 'finish' | 'close'>

/** Takes packets and keeps nothing but their sums, of the picture (stream 0) and of all sound. */
export class PacketCount implements PacketSink {
  private streams = 0
  readonly bytesWritten = 0
  soundBytes = 0
  soundPackets = 0

  addStream(): number {
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

/** A container file being written. */
export class OutputFile {
  private readonly streams: { stream: Stream; encoder: Encoder }[] = []
  private opened = false

  private constructor(
    private readonly context: FormatContext,
    private readonly container: Container,
  ) {}

  /** @param path temporary name; an existing file there is a failure of the caller */
  static create(path: string, container: Container): OutputFile {
    const format = OutputFormat.guessFormat(containerFacts(container).writer, null, null)
    if (!format) throw new MediaError(`No writer for ${container} is built in.`)
    const context = new FormatContext()
    ensure(context.allocOutputContext2(format, null, path), 'The output cannot be set up')
    // The writer of MP4 opens the file a second time, by this name, to move the index to the front.
    context.url = path
    return new OutputFile(context, container)
  }

  /** Adds a stream fed by an opened encoder. @returns its index */
  addStream(
    encoder: Encoder,
    facts: {
      language?: string | null
      title?: string | null
      pixelAspect?: { num: number; den: number }
      rate?: { num: number; den: number }
    } = {},
  ): number {
    const stream = this.context.newStream(null)
    ensure(encoder.context.parametersFromContext(stream.codecpar), 'The stream cannot be set up')
    stream.timeBase = encoder.context.timeBase
    if (facts.pixelAspect) stream.sampleAspectRatio = new Rational(facts.pixelAspect.num, facts.pixelAspect.den)
    if (facts.rate) stream.avgFrameRate = new Rational(facts.rate.num, facts.rate.den)
    const tags: Record<string, string> = {}
    if (facts.language) tags.language = facts.language
    if (facts.title) tags.title = facts.title
    if (Object.keys(tags).length > 0) stream.metadata = options(tags)
    this.streams.push({ stream, encoder })
    return stream.index
  }

  async begin(): Promise<void> {
    ensure(await this.context.openOutput(), 'The output file cannot be created')
    this.opened = true
    const chosen = options(containerFacts(this.container).settings)
    ensure(await this.context.writeHeader(chosen), 'The head of the output cannot be written')
    chosen.free()
  }

  async write(packet: Packet, index: number): Promise<void> {
    const { stream, encoder } = this.streams[index]!
    packet.streamIndex = index
    packet.rescaleTs(encoder.context.timeBase, stream.timeBase)
    ensure(await this.context.interleavedWriteFrame(packet), 'The output cannot be written')
  }

  /** Bytes handed to the file so far. */
  get bytesWritten(): number {
    return this.opened ? Number(this.context.pbBytes) : 0
  }

  async finish(): Promise<void> {
    ensure(await this.context.writeTrailer(), 'The end of the output cannot be written')
    await this.context.flush()
    await this.context.closeOutput()
    this.opened = false
  }

  async close(): Promise<void> {
    if (this.opened) await this.context.closeOutput()
    this.context.freeContext()
  }
}
