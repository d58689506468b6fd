import { z } from 'zod'
import { bordersInAll } from './signal/borders.ts'
import { middle } from './findings/finding.ts'
import { isBorneOut, leastFieldLines } from './findings/scan.ts'
import type { MeasuredPicture } from './measurement.ts'

/** What a few windows of a picture show by themselves: of a result beside its source, so that what came in on the way is seen. */
export const Glance = z.object({
  /** Frames whose fields could be judged, and the part of them that shows two moments. */
  judged: z.int().min(0),
  combed: z.number().min(0).max(1),
  /** Black edges as parts of width and height: left, top, right, bottom; null when the picture is too dark to tell. */
  borders: z.array(z.number()).length(4).nullable(),
  /** Part of the picture outside the levels of limited range. */
  illegal: z.number(),
  /** 95th percentile of the distance of chroma from neutral, in codes. */
  saturation: z.number(),
})
export type Glance = z.infer<typeof Glance>

/** Two glances at the same times. */
export const Glances = z.object({ source: Glance, result: Glance })
export type Glances = z.infer<typeof Glances>

/** What a measured picture shows at a glance. @param isFlagged whether its file says that it is in fields */
export function glanceOf(
  { windows, width, height }: Pick<MeasuredPicture, 'windows' | 'width' | 'height'>,
  isFlagged = false,
): Glance {
  const canBeFields = isFlagged || height >= leastFieldLines
  const letters = windows
    .filter(window => canBeFields && isBorneOut(window))
    .map(window => window.scan)
    .join('')
  const count = (pattern: RegExp) => letters.replace(pattern, '').length
  const [combed, whole] = [count(/[^tb]/g), count(/[^p]/g)]
  const borders = bordersInAll(windows.map(window => window.borders))
  return {
    judged: combed + whole,
    combed: combed / Math.max(1, combed + whole),
    borders: borders && borders.map((value, index) => value / (index % 2 === 0 ? width : height)),
    illegal: middle(windows.map(window => middle(window.illegal))) || 0,
    saturation: Math.max(0, ...windows.map(window => middle(window.saturation) || 0)),
  }
}
