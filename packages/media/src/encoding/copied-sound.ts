import type { AudioFacts } from '@hematine/core'
import { AV_NOPTS_VALUE, AVSEEK_FLAG_BACKWARD } from 'node-av/constants'
import { Packet, type FormatContext, type Stream } from 'node-av/lib'
import type { WorkGate } from '../ground/gate.ts'
import { isAgain, MediaError } from '../ground/libav.ts'
import type { MediaInput, PlainInput } from '../ground/media-input.ts'
import { keepOnlyStream, openInput } from '../reading/input.ts'
import type { PacketSink } from './output.ts'

/**
 * Sets a packet of copied sound to the times of a result.
 * @param zero time of the picture's beginning, in ticks of the track
 * @returns whether the result has it: one that reaches over the picture's beginning stays whole, and so does one that ends with it, since decoders need what
 * comes before the first
 */
export function moveSound(packet: Packet, zero: bigint): boolean {
  if (packet.size === 0 || packet.pts === AV_NOPTS_VALUE || packet.pts + packet.duration < zero) return false
  packet.pts -= zero
  packet.dts = packet.pts
  packet.pos = -1n
  return true
}

/** A sound track of a source on its way into a file as it is, packet by packet. What is heard before the picture begins is left out. */
export class CopiedSound {
  private readonly packet = new Packet()
  private ended = false
  private seconds = 0

  private constructor(
    private readonly container: FormatContext,
    private readonly stream: Stream,
    /** Time of the picture's beginning, in ticks of the track. */
    private readonly zero: bigint,
    private readonly index: number,
  ) {
    this.packet.alloc()
  }

  /** Opens a track and adds it to an output. @param zeroSeconds time in the source at which its picture begins @throws MediaError when the source cannot be opened */
  static async open(
    input: MediaInput,
    track: AudioFacts,
    zeroSeconds: number,
    output: PacketSink,
    facts: Parameters<NonNullable<PacketSink['addCopy']>>[1],
  ): Promise<CopiedSound> {
    if (input.kind === 'join' || !output.addCopy) throw new MediaError('The sound cannot be copied into this result.')
    const container = await openInput(input)
    try {
      keepOnlyStream(container, track.streamIndex)
      const stream = container.streams[track.streamIndex]!
      const { num, den } = stream.timeBase
      const zero = BigInt(Math.round((zeroSeconds * den) / num))
      return new CopiedSound(container, stream, zero, output.addCopy(stream, facts))
    } catch (error) {
      await container.closeInput()
      throw error
    }
  }

  /** Writes what is heard before a time of the result, in seconds. */
  async writeUntil(seconds: number, output: Pick<PacketSink, 'write'>, gate?: WorkGate): Promise<void> {
    const { num, den } = this.stream.timeBase
    while (!this.ended && this.seconds < seconds) {
      await gate?.turn()
      const code = await this.container.readFrame(this.packet)
      if (isAgain(code)) continue
      if (code < 0) {
        this.ended = true
        return
      }
      const { packet } = this
      if (packet.streamIndex === this.stream.index && moveSound(packet, this.zero)) {
        this.seconds = (Number(packet.pts + packet.duration) * num) / den
        await output.write(packet, this.index)
      }
      packet.unref()
    }
  }

  async close(): Promise<void> {
    this.packet.free()
    await this.container.closeInput()
  }
}

/**
 * How many bytes and packets a second of a track has, from some seconds of it.
 * @param from where they begin, in the file's own time; where it cannot be sought in, its beginning stands for them
 * @throws MediaError when the source cannot be opened
 */
export async function sizeOfTrack(
  input: PlainInput,
  streamIndex: number,
  from: number,
  seconds: number,
): Promise<{ bytes: number; packets: number }> {
  const container = await openInput(input)
  const packet = new Packet()
  packet.alloc()
  try {
    keepOnlyStream(container, streamIndex)
    const { num, den } = container.streams[streamIndex]!.timeBase
    await container.seekFrame(streamIndex, BigInt(Math.round((from * den) / num)), AVSEEK_FLAG_BACKWARD)
    let [bytes, packets, first, end] = [0, 0, Number.NaN, 0]
    while (!(end - first >= seconds)) {
      const code = await container.readFrame(packet)
      if (isAgain(code)) continue
      if (code < 0) break
      if (packet.streamIndex === streamIndex && packet.pts !== AV_NOPTS_VALUE) {
        if (Number.isNaN(first)) first = (Number(packet.pts) * num) / den
        end = (Number(packet.pts + packet.duration) * num) / den
        bytes += packet.size
        packets++
      }
      packet.unref()
    }
    const length = Math.max(end - first, 1e-3)
    return packets === 0 ? { bytes: 0, packets: 0 } : { bytes: bytes / length, packets: packets / length }
  } finally {
    packet.free()
    await container.closeInput()
  }
}
