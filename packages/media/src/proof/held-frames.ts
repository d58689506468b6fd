import type { Frame } from 'node-av/lib'

/**
 * Treated frames that wait for what an encoder makes of them. There are never more than so many: where an encoder holds back more, every second, fourth,
 * eighth ... is kept from then on.
 */
export class HeldFrames {
  private readonly held = new Map<number, Frame>()
  private every = 1

  /** @param most frames at a time, at least one */
  constructor(private readonly most: number) {}

  /** Keeps a reference to a frame, or passes it over. */
  hold(frame: Frame, number: number): void {
    if (number % this.every !== 0) return
    if (this.held.size >= Math.max(1, this.most)) this.thin()
    // The first frame of all stays whatever the step, so there may be no room still.
    if (number % this.every !== 0 || this.held.size >= Math.max(1, this.most)) return
    const kept = frame.clone()
    if (kept) this.held.set(number, kept)
  }

  private thin(): void {
    this.every *= 2
    for (const [number, frame] of this.held)
      if (number % this.every !== 0) {
        frame.free()
        this.held.delete(number)
      }
  }

  /** Hands out a frame, which is the caller's to free; null where it was passed over. */
  take(number: number): Frame | null {
    const frame = this.held.get(number) ?? null
    this.held.delete(number)
    return frame
  }

  free(): void {
    for (const frame of this.held.values()) frame.free()
    this.held.clear()
  }
}
