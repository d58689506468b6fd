import { toNumber } from '@hematine/core'
import { Frame } from 'node-av/lib'
import type { FrameReader } from './frame-reader.ts'

/** What a decoded stream is sent through. */
export interface Passage {
  push(frame: Frame | null): Promise<void>
  pull(frame: Frame): Promise<'frame' | 'again' | 'end'>
  free(): void
}

/** What is decoded behind the last range that is kept, in seconds: frames that look at their neighbours have theirs, also where times are told roughly. */
const behindSeconds = 1

/** A stream of a source, decoded and sent through filters; the filters are set up by the first decoded frame. */
export abstract class TreatedStream<Through extends Passage> {
  protected readonly decoded = new Frame()
  protected stages: Through | null = null
  /** Seconds spent decoding. */
  protected decodeSeconds = 0
  private ended = false
  /** The last frame before the first one of use, where it lasts until that. */
  private before: Frame | null = null

  /**
   * @param startTicks time in the stream that is time 0 for the filters
   * @param endTicks time in the stream at which the last range that is kept ends; null where nothing is trimmed
   */
  protected constructor(
    protected readonly decoder: FrameReader,
    private readonly startTicks: bigint,
    private readonly endTicks: bigint | null,
  ) {
    this.decoded.alloc()
  }

  /** Filters for frames like one. */
  protected abstract build(frame: Frame): Promise<Through>
  /** Whether a decoded frame is of use, by its time in the stream. */
  protected abstract isNeeded(ticks: bigint): boolean
  /** Whether a frame lasts until the next one, so that of those before the first one of use the last is of use, too: it is what is shown then. */
  protected abstract readonly lasts: boolean
  /** Gives a decoded frame what it lacks before the filters see it. */
  protected complete?(frame: Frame): void

  /** Whether a finished frame is handed out. */
  protected abstract isWanted(frame: Frame): boolean

  /** Packets or frames that the decoder complained about. */
  get errors(): number {
    return this.decoder.errors
  }

  /** Fills `frame` with the next finished frame. @returns false at the end */
  async next(frame: Frame): Promise<boolean> {
    for (;;) {
      const state = this.stages ? await this.stages.pull(frame) : 'again'
      if (state === 'end') return false
      if (state === 'frame') {
        if (this.isWanted(frame)) return true
        frame.unref()
        continue
      }
      if (this.ended) return false
      await this.feed()
    }
  }

  private async feed(): Promise<void> {
    while (await this.decodeNext()) {
      if (!this.isNeeded(this.decoded.pts)) {
        this.passOver()
        continue
      }
      // Nothing behind it is of use; it itself tells how long the one before it is shown.
      const isLast = this.endTicks !== null && this.secondsBetween(this.endTicks, this.decoded.pts) > behindSeconds
      await this.pushBefore()
      await this.push(this.decoded)
      this.decoded.unref()
      if (isLast) break
      return
    }
    this.ended = true
    await this.pushBefore()
    await this.stages?.push(null)
  }

  private secondsBetween(from: bigint, to: bigint): number {
    return Number(to - from) * toNumber(this.decoder.timeBase)
  }

  private passOver(): void {
    if (this.lasts && !this.stages) {
      this.before?.free()
      this.before = this.decoded.clone()
    }
    this.decoded.unref()
  }

  private async pushBefore(): Promise<void> {
    const { before } = this
    if (!before) return
    this.before = null
    try {
      await this.push(before)
    } finally {
      before.free()
    }
  }

  private async push(frame: Frame): Promise<void> {
    this.stages ??= await this.build(frame)
    frame.pts -= this.startTicks
    this.complete?.(frame)
    await this.stages.push(frame)
  }

  private async decodeNext(): Promise<boolean> {
    const begun = performance.now()
    const found = await this.decoder.next(this.decoded)
    this.decodeSeconds += (performance.now() - begun) / 1000
    return found
  }

  async close(): Promise<void> {
    this.stages?.free()
    this.before?.free()
    this.decoded.free()
    await this.decoder.close()
  }
}
