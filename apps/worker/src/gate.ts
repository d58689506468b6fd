import { performance } from 'node:perf_hooks'
import type { WorkGate } from '@hematine/media'

/** Work was told to stop. */
export class Stopped extends Error {}

/** The gate that work passes at every frame: shut while paused, and it counts the time that was really worked. */
export class PausableGate implements WorkGate {
  private opening: Promise<void> | null = null
  private open: () => void = () => undefined
  private stopped = false
  private pausedSince: number | null = null
  private pausedSeconds = 0
  private begin = performance.now()

  /** Work begins now; a process may have stood ready for a while. */
  start(): void {
    this.begin = performance.now()
    this.pausedSeconds = 0
  }

  async turn(): Promise<void> {
    if (this.stopped) throw new Stopped()
    if (this.opening) {
      await this.opening
      if (this.stopped) throw new Stopped()
    }
  }

  pause(): void {
    if (this.opening || this.stopped) return
    this.pausedSince = performance.now()
    this.opening = new Promise(resolve => {
      this.open = resolve
    })
  }

  goOn(): void {
    if (this.pausedSince !== null) this.pausedSeconds += (performance.now() - this.pausedSince) / 1000
    this.pausedSince = null
    this.opening = null
    this.open()
  }

  stop(): void {
    this.stopped = true
    this.goOn()
  }

  /** Seconds since work began, pauses left out. */
  get workedSeconds(): number {
    const paused = this.pausedSeconds + (this.pausedSince === null ? 0 : (performance.now() - this.pausedSince) / 1000)
    return (performance.now() - this.begin) / 1000 - paused
  }
}
