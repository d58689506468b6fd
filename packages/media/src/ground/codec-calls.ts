import { AVMEDIA_TYPE_VIDEO } from 'node-av/constants'
import type { CodecContext, Frame, Packet } from 'node-av/lib'

/**
 * Pixels up to which a picture is worked on in this thread: handing its work to another one and hearing of its end takes as long as the work itself
 * (docs/measurements.md, "Calls into the libraries"). Larger ones are handed over, so that decoding, filters and encoding run beside each other.
 */
const mostLightPixels = 120_000

/** Whether a picture is so small that it is worked on in this thread. */
export function isLight({ width, height }: { width: number; height: number }): boolean {
  return width * height <= mostLightPixels
}

/**
 * The calls of an open decoder or encoder. Sound and small pictures are worked on in this thread, larger pictures in another one. What comes out is fetched here:
 * the libraries do their work when something is put in. At the end they do it when the rest is fetched, so that is done in another thread, too.
 * Each answers with the library's code.
 */
export class CodecCalls {
  private readonly light: boolean
  private ending = false

  constructor(private readonly context: CodecContext) {
    this.light = context.codecType !== AVMEDIA_TYPE_VIDEO || isLight(context)
  }

  /** Puts a packet into a decoder, or null for the end. */
  sendPacket(packet: Packet | null): number | Promise<number> {
    this.ending = packet === null
    return this.light ? this.context.sendPacketSync(packet) : this.context.sendPacket(packet)
  }

  /** Fetches a frame from a decoder. */
  receiveFrame(frame: Frame): number | Promise<number> {
    return this.ending ? this.context.receiveFrame(frame) : this.context.receiveFrameSync(frame)
  }

  /** Puts a frame into an encoder, or null for the end. */
  sendFrame(frame: Frame | null): number | Promise<number> {
    this.ending = frame === null
    return this.light && frame ? this.context.sendFrameSync(frame) : this.context.sendFrame(frame)
  }

  /** Fetches a packet from an encoder. */
  receivePacket(packet: Packet): number | Promise<number> {
    return this.ending ? this.context.receivePacket(packet) : this.context.receivePacketSync(packet)
  }

  /** Lets a decoder forget what it was given, before another place is read. */
  flush(): void {
    this.context.flushBuffers()
    this.ending = false
  }
}
