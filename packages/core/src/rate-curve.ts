import { z } from 'zod'
import type { QualityScale } from './codecs/picture-codec.ts'
import {
  ForecastQuality,
  forecastJob,
  qualityOf,
  SampleWindow,
  type JobExtent,
  type SampleMeasurement,
} from './forecast/forecast.ts'
import { Range } from './range.ts'

/** The same stretches of a source, treated once and encoded at several values of a codec's scale. */
export const CurveMeasurement = z.object({
  points: z.array(z.object({ value: z.number(), windows: z.array(SampleWindow).min(1) })).min(1),
  /** One frame that is kept as a picture, treated and as it comes out at each of these values: its time in the result. Absent where none are kept. */
  pictures: z.object({ seconds: z.number().min(0), values: z.array(z.number()) }).optional(),
  /** Wall time of the whole measurement. */
  tookSeconds: z.number().positive(),
})
export type CurveMeasurement = z.infer<typeof CurveMeasurement>

/** One value of a codec's scale: what a whole result will weigh, and how like its treated source it will be. */
export const CurvePoint = ForecastQuality.extend({ value: z.number(), bytes: Range })
export type CurvePoint = z.infer<typeof CurvePoint>

/** Values that a curve is measured at. */
const pointCount = 6
/** From the usual value, how far a curve goes to either side, as parts of the scale. */
const [finer, coarser] = [0.2, 0.4]

/**
 * The values of a scale that a curve is measured at: spread around the usual one, where what people deliver lies, with the spec's own among them.
 * @param own the value of the spec, where it holds a quality
 * @returns ascending, best first
 */
export function curveValues(scale: QualityScale, own: number | null): number[] {
  const span = scale.worst - scale.best
  const onScale = (value: number) =>
    Math.min(scale.worst, Math.max(scale.best, Math.round(value / scale.step) * scale.step))
  const [from, to] = [onScale(scale.usual - finer * span), onScale(scale.usual + coarser * span)]
  const spread = Array.from({ length: pointCount }, (_, index) =>
    onScale(from + ((to - from) * index) / (pointCount - 1)),
  )
  if (own !== null && !spread.includes(own)) {
    // It takes the place of its neighbour, so that the curve costs no more for it; beyond the ends it is one more.
    const nearest = spread.reduce((best, value) => (Math.abs(value - own) < Math.abs(best - own) ? value : best))
    const isEnd = own < from || own > to
    if (!isEnd && nearest !== from && nearest !== to) spread.splice(spread.indexOf(nearest), 1)
    spread.push(own)
  }
  return [...new Set(spread)].sort((a, b) => a - b)
}

/** Which of the stretches of a forecast suffers most from being encoded: its frames show what a quality costs. */
export function hardestStretch(windows: readonly Pick<SampleWindow, 'quality'>[]): number {
  const likeness = ({ quality }: Pick<SampleWindow, 'quality'>) => quality?.xpsnr ?? Number.POSITIVE_INFINITY
  return windows.reduce((worst, window, index) => (likeness(window) < likeness(windows[worst]!) ? index : worst), 0)
}

/**
 * The points of a curve, best first. Sizes are worked out from its stretches as a forecast is from those of its sample, sound and container included.
 * @param sample of the same source, treatment and codec
 * @param own the value that the sample was encoded at, where its spec holds one: its stretches are a point as well
 */
export function curvePoints(
  curve: CurveMeasurement,
  sample: SampleMeasurement,
  extent: JobExtent,
  own: number | null,
): CurvePoint[] {
  const { capBytes: _, ...free } = extent
  const isKnown = own !== null && qualityOf(sample.windows) !== null
  const measured = curve.points.filter(({ value }) => !isKnown || value !== own)
  return [...measured, ...(isKnown ? [{ value: own, windows: sample.windows }] : [])]
    .flatMap(({ value, windows }) => {
      const quality = qualityOf(windows)
      const { bytes } = forecastJob({ ...sample, windows }, { ...free, sizeIs: 'by quality' })
      return quality ? [{ value, bytes, ...quality }] : []
    })
    .sort((a, b) => a.value - b.value)
}

const mix = (a: number, b: number, part: number) => a + (b - a) * part
const mixLog = (a: number, b: number, part: number) => (a > 0 && b > 0 ? a * (b / a) ** part : mix(a, b, part))
const mixOrNone = (a: number | null, b: number | null, part: number) =>
  a === null || b === null ? (part < 1 ? a : b) : mix(a, b, part)

/**
 * A curve between its points: an encoder's bytes go down by about the same factor from step to step of its scale (as logarithms they are nearly a line), its
 * decibels by about the same difference. Outside its ends it is what its ends are.
 */
export function curveAt(points: readonly CurvePoint[], value: number): CurvePoint {
  const after = points.findIndex(point => point.value >= value)
  if (after === 0 || points[after]?.value === value) return points[after]!
  if (after < 0) return points.at(-1)!
  const [a, b] = [points[after - 1]!, points[after]!]
  const part = (value - a.value) / (b.value - a.value)
  return {
    value,
    bytes: {
      expected: mixLog(a.bytes.expected, b.bytes.expected, part),
      low: mixLog(a.bytes.low, b.bytes.low, part),
      high: mixLog(a.bytes.high, b.bytes.high, part),
    },
    xpsnr: mixOrNone(a.xpsnr, b.xpsnr, part),
    worstXpsnr: mixOrNone(a.worstXpsnr, b.worstXpsnr, part),
    ssim: mix(a.ssim, b.ssim, part),
  }
}

/** The best value of a scale whose result is expected to have at most so many bytes; null where the coarsest that was measured has more. */
export function valueUnder(points: readonly CurvePoint[], scale: QualityScale, bytes: number): number | null {
  const [first, last] = [points[0]!.value, points.at(-1)!.value]
  for (let value = first; value <= last + scale.step / 2; value += scale.step)
    if (curveAt(points, value).bytes.expected <= bytes) return Math.min(last, value)
  return null
}

/**
 * Where more bytes begin to bring less than they do on the whole curve: the point that lies farthest above the straight line from its end of fewest bytes to
 * that of most, bytes against decibels (the "knee" of Satopää and others, Finding a Kneedle in a Haystack, 2011).
 * @returns null where there are too few points with errors, or none lies above the line
 */
export function kneeOf(points: readonly CurvePoint[]): CurvePoint | null {
  const known = points.flatMap(point =>
    point.xpsnr === null ? [] : [{ point, x: point.bytes.expected, y: point.xpsnr }],
  )
  if (known.length < 3) return null
  const [most, least] = [known[0]!, known.at(-1)!]
  if (most.x <= least.x || most.y <= least.y) return null
  const above = ({ x, y }: { x: number; y: number }) =>
    (y - least.y) / (most.y - least.y) - (x - least.x) / (most.x - least.x)
  const knee = known.reduce((best, entry) => (above(entry) > above(best) ? entry : best))
  return above(knee) > 0.05 ? knee.point : null
}
