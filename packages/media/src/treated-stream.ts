import { Frame } from 'node-av/lib'
import type { StreamDecoder } from './decoder.ts'
import type { Graph } from './graph.ts'

/** A stream of a source, decoded and sent through filters; the filters are set up by the first decoded frame. */
export abstract class TreatedStream {
  protected readonly decoded = new Frame()
  private graph: Graph | null = null
  private ended = false

  /** @param startTicks time in the stream that is time 0 for the filters */
  protected constructor(protected readonly decoder: StreamDecoder, private readonly startTicks: bigint) {
    this.decoded.alloc()
  }

  /** Filters for frames like the one in `decoded`. */
  protected abstract buildGraph(): Promise<Graph>
  /** Whether a decoded frame is of use, by its time in the stream. */
  protected abstract isNeeded(ticks: bigint): boolean
  /** Whether a finished frame is handed out. */
  protected abstract isWanted(frame: Frame): boolean

  /** Packets or frames that the decoder complained about. */
  get errors(): number {
    return this.decoder.errors
  }

  /** Fills `frame` with the next finished frame. @returns false at the end */
  async next(frame: Frame): Promise<boolean> {
    for (;;) {
      const state = this.graph ? await this.graph.pull(frame) : 'again'
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
    while (await this.decoder.next(this.decoded)) {
      if (!this.isNeeded(this.decoded.pts)) {
        this.decoded.unref()
        continue
      }
      this.graph ??= await this.buildGraph()
      this.decoded.pts -= this.startTicks
      await this.graph.push(this.decoded)
      this.decoded.unref()
      return
    }
    this.ended = true
    await this.graph?.push(null)
  }

  async close(): Promise<void> {
    this.graph?.free()
    this.decoded.free()
    await this.decoder.close()
  }
}
