import type { Frame } from 'node-av/lib'

/** Something that frames go through: pushed in at one end, pulled out at the other. */
export interface Stage {
  push(frame: Frame | null): Promise<void>
  pull(frame: Frame): Promise<'frame' | 'again' | 'end'>
  readonly timeBase: { num: number; den: number }
  free(): void
}

/** A stage of our own that has at most one finished frame waiting. */
export abstract class SingleStage implements Stage {
  /** The finished frame that is handed out next; it is freed once it was. */
  protected ready: Frame | null = null
  protected hasEnded = false

  constructor(readonly timeBase: { num: number; den: number }) {}

  /** Takes a frame in. */
  protected abstract take(frame: Frame): Promise<void>

  /** What still comes when no more frames do; null when nothing does. */
  protected last(): Frame | null {
    return null
  }

  async push(frame: Frame | null): Promise<void> {
    if (frame === null) this.hasEnded = true
    else await this.take(frame)
  }

  async pull(frame: Frame): Promise<'frame' | 'again' | 'end'> {
    if (!this.ready && this.hasEnded) this.ready = this.last()
    if (!this.ready) return this.hasEnded ? 'end' : 'again'
    frame.unref()
    frame.ref(this.ready)
    this.ready.free()
    this.ready = null
    return 'frame'
  }

  free(): void {
    this.ready?.free()
  }
}
