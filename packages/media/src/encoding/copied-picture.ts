import type { AudioFacts, PictureTreatment, VideoFacts } from '@hematine/core'
import {
  AV_NOPTS_VALUE,
  AV_PKT_FLAG_DISCARD,
  AVDISCARD_ALL,
  AVDISCARD_DEFAULT,
  AVFMT_FLAG_GENPTS,
} from 'node-av/constants'
import { Packet, type FormatContext } from 'node-av/lib'
import { isAgain, MediaError } from '../ground/libav.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { openInput } from '../reading/input.ts'
import { moveSound } from './copied-sound.ts'
import type { PictureTrack } from './encoded-picture.ts'
import type { PacketSink } from './output.ts'

/** A stream of the source that is copied: where it goes, and the ticks at which the picture begins. */
interface Copied {
  index: number
  zero: bigint
}

/**
 * Times of decoding for pictures that come in the order of decoding and state only when they are shown: a picture is decoded when the one is shown that is so
 * many places before it as pictures may be put off by.
 */
class DecodingOrder {
  /** Times at which pictures are shown that no time of decoding was taken from, ascending. */
  private readonly shown: bigint[] = []
  private count = 0
  private first = 0n

  /** @param delay how many pictures one may be put off by */
  constructor(private readonly delay: number) {}

  next(pts: bigint, duration: bigint): bigint {
    const after = this.shown.findIndex(other => other > pts)
    this.shown.splice(after < 0 ? this.shown.length : after, 0, pts)
    if (this.count === 0) this.first = pts
    const place = this.count++
    return place < this.delay
      ? this.first - BigInt(this.delay - place) * (duration > 0n ? duration : 1n)
      : this.shown.shift()!
  }
}

/** A source's picture on its way into a file as it is, packet by packet, with sound tracks that are copied beside it: the source is read once for all of them. */
export class CopiedPicture implements PictureTrack {
  /** One packet is written while the next is read: of large pictures each takes as long as the other. */
  private packet = new Packet()
  private ahead = new Packet()
  private reading: Promise<number> | null = null
  private readonly streams = new Map<number, Copied>()
  private isDecodable = false
  private order: DecodingOrder | null = null
  begun = 0
  readonly stepSeconds = new Map<number | 'decode' | 'other', number>()
  readonly encodeSeconds = 0
  readonly devices = {}

  private constructor(
    private readonly container: FormatContext,
    private readonly video: VideoFacts,
    private readonly output: PacketSink,
  ) {
    this.packet.alloc()
    this.ahead.alloc()
  }

  /** Opens a source and adds its picture to an output. @throws MediaError when the source cannot be opened */
  static async open(
    input: MediaInput,
    video: VideoFacts,
    { result }: PictureTreatment,
    output: PacketSink,
  ): Promise<CopiedPicture> {
    if (input.kind === 'join' || !output.addCopy) throw new MediaError('The picture cannot be copied into this result.')
    const container = await openInput(input)
    // Packets of transport and program streams often carry no time of their own.
    container.setFlags(AVFMT_FLAG_GENPTS)
    for (const stream of container.streams) stream.discard = AVDISCARD_ALL
    const picture = new CopiedPicture(container, video, output)
    try {
      const { codecpar } = container.streams[video.streamIndex]!
      // MKV keeps no times of decoding, and its reader guesses them.
      if (container.iformat?.name?.startsWith('matroska')) picture.order = new DecodingOrder(codecpar.videoDelay)
      picture.add(video.streamIndex, {
        roles: ['default'],
        pixelAspect: result.frame.pixelAspect,
        rate: result.rate,
        colour: result.colour,
      })
      return picture
    } catch (error) {
      await picture.close()
      throw error
    }
  }

  /** Adds a sound track of the same source, which is copied as well. */
  addSound({ streamIndex }: AudioFacts, facts: Parameters<NonNullable<PacketSink['addCopy']>>[1]): void {
    this.add(streamIndex, facts)
  }

  private add(streamIndex: number, facts: Parameters<NonNullable<PacketSink['addCopy']>>[1]): void {
    const stream = this.container.streams[streamIndex]!
    stream.discard = AVDISCARD_DEFAULT
    const { num, den } = stream.timeBase
    const { startTicks, timeBase } = this.video
    const zero = (startTicks * timeBase.num * den) / (timeBase.den * num)
    this.streams.set(streamIndex, { index: this.output.addCopy!(stream, facts), zero: BigInt(Math.round(zero)) })
  }

  async next(): Promise<boolean> {
    for (;;) {
      const code = await (this.reading ?? this.container.readFrame(this.ahead))
      this.reading = null
      if (isAgain(code)) continue
      if (code < 0) return false
      const packet = this.ahead
      this.ahead = this.packet
      this.packet = packet
      this.reading = this.container.readFrame(this.ahead)
      try {
        const stream = this.streams.get(packet.streamIndex)
        if (!stream || packet.size === 0) continue
        if (packet.streamIndex === this.video.streamIndex) {
          if (await this.writePicture(stream)) return true
        } else if (moveSound(packet, stream.zero)) await this.output.write(packet, stream.index)
      } finally {
        packet.unref()
      }
    }
  }

  /** What is decoded before the first picture that is shown, or only shown before it, stays out. */
  private async writePicture({ index, zero }: Copied): Promise<boolean> {
    const { packet } = this
    this.isDecodable ||= packet.isKeyframe
    if (packet.pts === AV_NOPTS_VALUE)
      throw new MediaError(
        'A picture of the source states no time, so it cannot be copied. Choose a spec that encodes it.',
      )
    if (!this.isDecodable || packet.hasFlags(AV_PKT_FLAG_DISCARD) || packet.pts < zero) return false
    this.begun ||= performance.now()
    packet.pts -= zero
    packet.dts = this.order
      ? this.order.next(packet.pts, packet.duration)
      : packet.dts === AV_NOPTS_VALUE
        ? packet.pts
        : packet.dts - zero
    if (packet.dts > packet.pts)
      throw new MediaError(
        'The order in which the pictures of the source are decoded does not follow from its times, so they cannot be copied. Choose a spec that encodes it.',
      )
    packet.pos = -1n
    await this.output.write(packet, index)
    return true
  }

  async finish(): Promise<void> {}

  async close(): Promise<void> {
    await this.reading?.catch(() => undefined)
    this.packet.free()
    this.ahead.free()
    await this.container.closeInput()
  }
}
