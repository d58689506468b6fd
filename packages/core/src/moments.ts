import { z } from 'zod'
import type { MeasuredPicture, MeasuredWindow } from './measurement.ts'

/** Why a stretch of a source was chosen. "by hand" was set by a person. */
export const MomentReason = z.enum([
  'typical',
  'most motion',
  'darkest',
  'most detail',
  'worst blocking',
  'most noise',
  'a cut',
  'lettering',
  'by hand',
])
export type MomentReason = z.infer<typeof MomentReason>

/** A short range of a source, in seconds, because it is a hard or a typical case. */
export const Moment = z.object({ reason: MomentReason, from: z.number().min(0), to: z.number().positive() })
export type Moment = z.infer<typeof Moment>

/** Length of a moment that is chosen by measurement, and the most that a moment may have. */
export const momentSeconds = 2
export const longestMomentSeconds = 10
export const mostMoments = 6

const mean = (values: readonly number[]) =>
  values.length === 0 ? 0 : values.reduce((sum, value) => sum + value, 0) / values.length

/** Figures by which windows are compared; each names the moment that is the most extreme in it. */
const figures: { reason: MomentReason; of: (window: MeasuredWindow) => number | null; least?: number }[] = [
  // First, for a title is often the most detail as well.
  { reason: 'lettering', of: window => window.still?.lettering ?? null, least: 0.012 },
  { reason: 'most motion', of: window => mean(window.change.slice(1)), least: 0.5 },
  { reason: 'a cut', of: window => Math.max(...window.histogramChange), least: 0.35 },
  { reason: 'darkest', of: window => (mean(window.high) < 24 ? null : -mean(window.mean)) },
  {
    reason: 'most detail',
    of: window =>
      window.still?.detailX && window.still.detailY
        ? window.still.detailX.cutoff * window.still.detailY.cutoff - window.still.flat
        : null,
  },
  { reason: 'worst blocking', of: window => (window.still ? window.still.gridX * window.still.gridY : null), least: 2 },
  { reason: 'most noise', of: window => window.still?.noise ?? null, least: 1.5 },
]

/**
 * Three to six moments of a source from what was measured of it: the stretch nearest to the middle in brightness and motion, then the
 * extremes, no two of which overlap. A source shorter than three moments gives as many as it holds.
 */
export function chooseMoments(picture: MeasuredPicture | null, durationSeconds: number): Moment[] {
  const length = Math.min(momentSeconds, durationSeconds)
  const around = (seconds: number, reason: MomentReason): Moment => {
    const from = Math.max(0, Math.min(durationSeconds - length, seconds - length / 2))
    return { reason, from: Number(from.toFixed(3)), to: Number((from + length).toFixed(3)) }
  }
  const chosen: Moment[] = []
  const take = (moment: Moment) => {
    if (chosen.length < mostMoments && !chosen.some(other => moment.from < other.to && other.from < moment.to))
      chosen.push(moment)
  }
  const windows = picture?.windows.filter(window => window.seconds.length > 0) ?? []
  if (windows.length > 0) {
    const [brightness, motion] = [
      mean(windows.map(window => mean(window.mean))),
      mean(windows.map(window => mean(window.change))),
    ]
    const apart = (window: MeasuredWindow) =>
      Math.abs(mean(window.mean) - brightness) / Math.max(1, brightness) +
      Math.abs(mean(window.change) - motion) / Math.max(0.5, motion)
    take(around(centre(windows.reduce((best, window) => (apart(window) < apart(best) ? window : best))), 'typical'))
    for (const { reason, of, least } of figures) {
      const ranked = windows
        .flatMap(window => {
          const value = of(window)
          return value === null || (least !== undefined && value < least) ? [] : [{ window, value }]
        })
        .sort((a, b) => b.value - a.value)
      // The most extreme one that is not taken yet, if it is extreme at all.
      for (const { window } of ranked.slice(0, 3)) {
        const before = chosen.length
        take(
          around(
            reason === 'a cut'
              ? window.seconds[window.histogramChange.indexOf(Math.max(...window.histogramChange))]!
              : centre(window),
            reason,
          ),
        )
        if (chosen.length > before) break
      }
    }
  }
  for (const part of [0.5, 0.2, 0.8]) if (chosen.length < 3) take(around(durationSeconds * part, 'typical'))
  return chosen.sort((a, b) => a.from - b.from)
}

function centre(window: MeasuredWindow): number {
  return (window.seconds[0]! + window.seconds.at(-1)!) / 2
}
