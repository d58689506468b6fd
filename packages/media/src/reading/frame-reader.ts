import type { Rational } from '@hematine/core'
import type { FormatContext, Frame, Stream } from 'node-av/lib'
import type { MediaInput } from '../ground/media-input.ts'
import { ShapedFrames, type FrameReader } from './shaped-frames.ts'

export type { FrameReader }

/**
 * Opens one stream of a source for reading.
 * @param streamIndex of a join: the stream's number in its first part
 * @throws MediaError
 */
export function openFrames(input: MediaInput, streamIndex: number, threads = 0): Promise<FrameReader> {
  return input.kind === 'join'
    ? JoinedFrames.open(input, streamIndex, threads)
    : ShapedFrames.open(input, streamIndex, threads)
}

type Join = Extract<MediaInput, { kind: 'join' }>

/** A stream that goes on from part to part; times are those of the first part, the others put behind it. */
class JoinedFrames implements FrameReader {
  private errorsBefore = 0
  private at = 0
  private readonly starts: number[] = []

  private constructor(
    private readonly input: Join,
    private readonly which: (part: Join['parts'][number]) => number,
    private readonly threads: number,
    private reader: FrameReader,
    readonly timeBase: Rational,
  ) {
    let begin = 0
    for (const { seconds } of input.parts) {
      this.starts.push(begin)
      begin += seconds
    }
  }

  static async open(input: Join, streamIndex: number, threads: number): Promise<JoinedFrames> {
    const [first] = input.parts
    const track = first!.sound.indexOf(streamIndex)
    const which = (part: Join['parts'][number]) => (track >= 0 ? part.sound[track]! : part.picture!.stream)
    const reader = await ShapedFrames.open(first!.input, which(first!), threads)
    return new JoinedFrames(input, which, threads, reader, reader.timeBase)
  }

  get errors(): number {
    return this.errorsBefore + this.reader.errors
  }

  get stream(): Stream {
    return this.reader.stream
  }

  get container(): FormatContext {
    return this.reader.container
  }

  /** Time in a part's own container at which it begins. */
  private zeroOf(part: number): number {
    return this.input.parts[part]!.picture?.zeroSeconds ?? 0
  }

  private async go(part: number): Promise<void> {
    const { input } = this.input.parts[part]!
    const next = await ShapedFrames.open(input, this.which(this.input.parts[part]!), this.threads)
    this.errorsBefore += this.reader.errors
    await this.reader.close()
    this.reader = next
    this.at = part
  }

  async next(frame: Frame): Promise<boolean> {
    for (;;) {
      while (!(await this.reader.next(frame))) {
        if (this.at + 1 >= this.input.parts.length) return false
        await this.go(this.at + 1)
      }
      const own = (Number(frame.pts) * this.reader.timeBase.num) / this.reader.timeBase.den - this.zeroOf(this.at)
      // What a later part has before its picture begins, and an earlier one after it ends, would lie over its neighbour.
      const isOutside =
        (this.at > 0 && own < -slack) ||
        (this.at + 1 < this.input.parts.length && own > this.input.parts[this.at]!.seconds - slack)
      if (!isOutside) {
        frame.pts = this.ticksOf(this.starts[this.at]! + own + this.zeroOf(0))
        return true
      }
      frame.unref()
    }
  }

  private ticksOf(seconds: number): bigint {
    return BigInt(Math.round((seconds * this.timeBase.den) / this.timeBase.num))
  }

  async seek(ticks: bigint): Promise<void> {
    const seconds = (Number(ticks) * this.timeBase.num) / this.timeBase.den - this.zeroOf(0)
    const part = Math.max(
      0,
      this.starts.findLastIndex(start => start <= seconds + slack),
    )
    await this.go(part)
    const own = seconds - this.starts[part]!
    const { num, den } = this.reader.timeBase
    if (own > slack) await this.reader.seek(BigInt(Math.round(((own + this.zeroOf(part)) * den) / num)))
  }

  close(): Promise<void> {
    return this.reader.close()
  }
}

/** Times are rounded by their containers' clocks: this much is no difference, in seconds. */
const slack = 0.002
