import { monitorEventLoopDelay, type IntervalHistogram } from 'node:perf_hooks'
import type { Health } from '#shared/api'

const resolutionMilliseconds = 10
const windowMilliseconds = 60_000

function watch(): { delays: IntervalHistogram; since: number } {
  const delays = monitorEventLoopDelay({ resolution: resolutionMilliseconds })
  delays.enable()
  return { delays, since: Date.now() }
}

/** Watches how long the event loop keeps callers waiting, in windows of a minute: a reading covers the running one and the one before. */
export class HealthWatch {
  private now = watch()
  private before: typeof this.now | null = null
  private readonly timer: NodeJS.Timeout

  constructor() {
    this.timer = setInterval(() => {
      this.now.delays.disable()
      this.before = this.now
      this.now = watch()
    }, windowMilliseconds)
    this.timer.unref()
  }

  /** The worse of both windows for each figure. The monitor's own interval is no delay and taken off. */
  read(): Health {
    const windows = this.before ? [this.now, this.before] : [this.now]
    const worst = (figure: (delays: IntervalHistogram) => number) =>
      Math.max(
        0,
        ...windows
          .filter(({ delays }) => delays.count > 0)
          .map(({ delays }) => figure(delays) / 1e6 - resolutionMilliseconds),
      )
    return {
      eventLoopDelayMilliseconds: {
        median: worst(delays => delays.percentile(50)),
        p99: worst(delays => delays.percentile(99)),
        max: worst(delays => delays.max),
      },
      overSeconds: (Date.now() - windows.at(-1)!.since) / 1000,
      residentBytes: process.memoryUsage.rss(),
    }
  }

  close(): void {
    clearInterval(this.timer)
    this.now.delays.disable()
  }
}
