import { levelRates, pictureCodec } from './codecs/index.ts'
import { describeBitRate } from './format.ts'
import type { PictureSpec } from './spec/schema.ts'

/** What a player reads of a stream each second, and how much of it it keeps ahead. */
export interface StreamLimits {
  bitsPerSecond: number
  bufferBits: number
}

/** What a stream asks of a player that reads at a rate. */
export interface StreamFlow {
  /** The buffer in which it plays without running dry. */
  bufferBits: number
  /** When one of the size that is allowed runs dry, in seconds from the first picture; null where it never does. */
  dryAtSeconds: number | null
  /** Most bits within one second. */
  busiestSecondBits: number
}

/** The limits that a spec sets to a picture's stream: its own, or those of its level; null for none. */
export function streamLimits({ video }: Pick<PictureSpec, 'video'>): StreamLimits | null {
  const { rateControl } = video
  if (rateControl.kind === 'average rate' && rateControl.peakBitsPerSecond !== null && rateControl.bufferBits !== null)
    return { bitsPerSecond: rateControl.peakBitsPerSecond, bufferBits: rateControl.bufferBits }
  const { levels } = pictureCodec(video.codec)
  const rates = levels && levelRates(levels, video)
  return rates && { bitsPerSecond: rates.peakBitsPerSecond, bufferBits: rates.bufferBits }
}

/**
 * Follows the pictures of a stream as a player takes them: bits come at a rate until its buffer is full, and each picture takes its own out at the time at
 * which it is decoded (ITU-T H.264 annex C and H.262 annex C, with a rate that may be lower).
 */
export class FlowMeter {
  private needed = 0
  private last: number | null = null
  private first = 0
  private readonly flow: StreamFlow = { bufferBits: 0, dryAtSeconds: null, busiestSecondBits: 0 }
  /** Pictures of the second that ends with the newest. */
  private readonly second: { seconds: number; bits: number }[] = []
  private secondBits = 0

  constructor(private readonly limits: StreamLimits) {}

  /** The next picture in the order of decoding. @param seconds when it is decoded */
  add(seconds: number, bits: number): void {
    if (this.last === null) this.first = seconds
    const passed = Math.max(0, seconds - (this.last ?? seconds))
    this.last = this.last === null ? seconds : Math.max(this.last, seconds)
    // What must lie in the buffer for this picture and those before it whose bits could not come in the meantime.
    this.needed = Math.max(0, this.needed - passed * this.limits.bitsPerSecond) + bits
    this.flow.bufferBits = Math.max(this.flow.bufferBits, this.needed)
    if (this.needed > this.limits.bufferBits) this.flow.dryAtSeconds ??= this.last - this.first
    this.second.push({ seconds, bits })
    this.secondBits += bits
    while (this.second[0]!.seconds <= seconds - 1) this.secondBits -= this.second.shift()!.bits
    this.flow.busiestSecondBits = Math.max(this.flow.busiestSecondBits, this.secondBits)
  }

  get found(): StreamFlow {
    return { ...this.flow }
  }
}

/** "1.84 Mbit at 8.0 Mbit/s". */
export const describeLimits = ({ bitsPerSecond, bufferBits }: StreamLimits): string =>
  `${describeBits(bufferBits)} at ${describeBitRate(bitsPerSecond)}`

/** "1.84 Mbit", "820 kbit". */
export function describeBits(bits: number): string {
  return bits >= 1e6 ? `${(bits / 1e6).toFixed(2)} Mbit` : `${Math.round(bits / 1000)} kbit`
}
