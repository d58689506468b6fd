import { AVDISCARD_ALL, AVDISCARD_DEFAULT, AV_NOPTS_VALUE, AVSEEK_FLAG_BACKWARD } from 'node-av/constants'
import { Packet, type FormatContext } from 'node-av/lib'
import { isAgain } from '../ground/libav.ts'
import type { PlainInput } from '../ground/media-input.ts'
import { openInput } from './input.ts'

/** A packet of a subtitle track: words, or pictures of words. */
export interface SubtitlePacket {
  /** Place of its track among those that are read. */
  track: number
  /** When it is shown, in seconds from the source's first picture, and for how long; null where its own data says. */
  from: number
  seconds: number | null
  data: Buffer
}

/** Subtitles may lie in the file so far behind the picture that they belong to, in seconds. */
const mostBehind = 10

/**
 * Reads the packets of some subtitle tracks of a source, in the order of the file. Nothing is decoded. The picture's packets tell how far the file is read, so
 * that a track with few subtitles, or none, is not looked for to the end of it.
 */
export class SubtitleReader {
  private readonly packet = new Packet()
  private held: SubtitlePacket | null = null
  /** Time of the picture that was met last, in seconds from its first. */
  private clock = Number.NEGATIVE_INFINITY
  private ended = false

  private constructor(
    private readonly container: FormatContext,
    private readonly trackOf: (streamIndex: number) => number | undefined,
    private readonly pictureStream: number,
    private readonly zeroSeconds: number,
    /** What the head of each track says: styles, or the colours of its pictures; null for none. */
    readonly heads: readonly (Buffer | null)[],
  ) {
    this.packet.alloc()
  }

  /**
   * @param tracks their places among the source's subtitle tracks, and their streams
   * @param picture the stream of the source's picture, and the time of its first one, by the file's own times
   * @throws MediaError when the source cannot be opened
   */
  static async open(
    input: PlainInput,
    tracks: readonly { position: number; streamIndex: number | null }[],
    picture: { streamIndex: number; zeroSeconds: number },
  ): Promise<SubtitleReader> {
    const container = await openInput(input)
    try {
      // Tracks of a title begin late: they are told by their numbers on the disc once they are there.
      const ids = input.kind === 'title' ? tracks.map(({ position }) => input.subtitles[position]?.streamId) : null
      const indexes = tracks.map(({ streamIndex }) => streamIndex)
      const trackOf = (streamIndex: number) => {
        const track = ids ? ids.indexOf(container.streams[streamIndex]?.id) : indexes.indexOf(streamIndex)
        return track < 0 ? undefined : track
      }
      for (const stream of container.streams)
        stream.discard =
          trackOf(stream.index) === undefined && stream.index !== picture.streamIndex
            ? AVDISCARD_ALL
            : AVDISCARD_DEFAULT
      const heads =
        input.kind === 'title'
          ? tracks.map(() => paletteHead(input))
          : indexes.map(index => container.streams[index!]?.codecpar.extradata ?? null)
      return new SubtitleReader(container, trackOf, picture.streamIndex, picture.zeroSeconds, heads)
    } catch (error) {
      await container.closeInput()
      throw error
    }
  }

  /** Goes to a time of the source, in seconds, or before it. A file that cannot be sought in is read from where it stands. */
  async seek(seconds: number): Promise<void> {
    const { num, den } = this.container.streams[this.pictureStream]!.timeBase
    const ticks = BigInt(Math.round(((seconds + this.zeroSeconds) * den) / num))
    await this.container.seekFrame(this.pictureStream, ticks, AVSEEK_FLAG_BACKWARD)
    this.clock = Number.NEGATIVE_INFINITY
    this.held = null
  }

  /**
   * The next packet, which stays the next until it is taken.
   * @param untilSeconds time of the source up to which is looked; a packet that was met is told although it may be later
   * @returns null where none was met so far, or none is left; damage ends the reading as it does a picture's
   */
  async peek(untilSeconds: number): Promise<SubtitlePacket | null> {
    this.held ??= await this.read(untilSeconds + mostBehind)
    return this.held
  }

  /** Passes on to the packet behind the one that `peek` told. */
  take(): void {
    this.held = null
  }

  private async read(untilSeconds: number): Promise<SubtitlePacket | null> {
    while (!this.ended && this.clock <= untilSeconds) {
      const code = await this.container.readFrame(this.packet)
      if (isAgain(code)) continue
      if (code < 0) {
        this.ended = true
        break
      }
      const { packet } = this
      const track = this.trackOf(packet.streamIndex)
      if (packet.streamIndex === this.pictureStream && packet.dts !== AV_NOPTS_VALUE)
        this.clock = secondsOfPacket(this.container, packet.streamIndex, packet.dts) - this.zeroSeconds
      const found =
        track !== undefined && packet.pts !== AV_NOPTS_VALUE && packet.data !== null && packet.size > 0
          ? {
              track,
              from: secondsOfPacket(this.container, packet.streamIndex, packet.pts) - this.zeroSeconds,
              seconds:
                packet.duration > 0n ? secondsOfPacket(this.container, packet.streamIndex, packet.duration) : null,
              data: Buffer.from(packet.data),
            }
          : null
      packet.unref()
      if (found) return found
    }
    return null
  }

  async close(): Promise<void> {
    this.packet.free()
    await this.container.closeInput()
  }
}

function secondsOfPacket(container: FormatContext, streamIndex: number, ticks: bigint): number {
  const { num, den } = container.streams[streamIndex]!.timeBase
  return (Number(ticks) * num) / den
}

/** The head that pictures of a disc's subtitles need elsewhere: the size of the picture and the sixteen colours of its tables. */
function paletteHead({ palette, width, height }: Extract<PlainInput, { kind: 'title' }>): Buffer | null {
  if (!palette || !width || !height) return null
  const colours = palette.map(colour => colour.toString(16).padStart(6, '0')).join(', ')
  return Buffer.from(`size: ${width}x${height}\npalette: ${colours}\n`)
}
