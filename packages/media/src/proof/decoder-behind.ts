import { AV_FRAME_FLAG_CORRUPT } from 'node-av/constants'
import { avGetCodecName, Codec, CodecContext, CodecParameters, Frame, type Packet } from 'node-av/lib'
import { CodecCalls } from '../ground/codec-calls.ts'
import { ensure, isAgain, isEnd, MediaError } from '../ground/libav.ts'

/** A decoder that is told what an encoder says of itself, and then its packets, one after the other. */
export class DecoderBehind {
  /** Packets or frames that it complained about. */
  errors = 0
  private readonly frame = new Frame()
  private readonly calls: CodecCalls

  private constructor(
    private readonly context: CodecContext,
    /** Name of the codec. */
    readonly codec: string,
    /** What it was told before the first packet; null for nothing. */
    readonly head: Uint8Array | null,
  ) {
    this.frame.alloc()
    this.calls = new CodecCalls(context)
  }

  /**
   * @param threads that it may use; as many as there are cores for 0
   * @throws MediaError when nothing decodes what the encoder makes
   */
  static async open(encoder: CodecContext, threads: number): Promise<DecoderBehind> {
    const parameters = new CodecParameters()
    parameters.alloc()
    const context = new CodecContext()
    try {
      ensure(encoder.parametersFromContext(parameters), 'The proof cannot be set up')
      const name = avGetCodecName(parameters.codecId) ?? 'unknown'
      const codec = Codec.findDecoder(parameters.codecId)
      if (!codec) throw new MediaError(`The result cannot be proved: no decoder for ${name} is built in.`)
      context.allocContext3(codec)
      ensure(context.parametersToContext(parameters), 'The proof cannot be set up')
      context.pktTimebase = encoder.timeBase
      context.threadCount = threads
      ensure(await context.open2(codec, null), 'The decoder cannot be opened')
      const { extradata } = parameters
      return new DecoderBehind(context, name, extradata && Buffer.from(extradata))
    } catch (error) {
      context.freeContext()
      throw error
    } finally {
      parameters.free()
    }
  }

  /** Decodes a packet, null for the end, and hands out each frame that is ready; `take` must not keep it. */
  async decode(packet: Packet | null, take: (frame: Frame) => Promise<void> | void): Promise<void> {
    for (;;) {
      const sent = await this.calls.sendPacket(packet)
      if (isAgain(sent)) {
        await this.drain(take)
        continue
      }
      if (sent < 0 && !isEnd(sent)) this.errors++
      break
    }
    await this.drain(take)
  }

  private async drain(take: (frame: Frame) => Promise<void> | void): Promise<void> {
    const { frame } = this
    for (;;) {
      const code = await this.calls.receiveFrame(frame)
      if (isAgain(code) || isEnd(code)) return
      if (code < 0) {
        this.errors++
        return
      }
      if (frame.decodeErrorFlags !== 0 || frame.hasFlags(AV_FRAME_FLAG_CORRUPT)) this.errors++
      await take(frame)
      frame.unref()
    }
  }

  close(): void {
    this.frame.free()
    this.context.freeContext()
  }
}
