import type { StepOf } from './step.ts'

/** Red, green and blue of the result as sums of those of the source (rows), before contrast. */
export type ColourMatrix = [[number, number, number], [number, number, number], [number, number, number]]

/** Luma weights of BT.709 (ITU-R BT.709-6, 3.2): what stays when all colour is taken out. */
const luma = [0.2126, 0.7152, 0.0722] as const
/** Exponent of the display that turns a gain in light into one of code values (ITU-R BT.1886: 2.4). */
const displayGamma = 2.4
/** Gain of red over blue at full warmth, and of magenta over green at full tint. */
const mostWarmth = 0.2
const mostTint = 0.15

/**
 * The colour part of a grade as one matrix on gamma-coded red, green and blue: gains for exposure (in stops of light), warmth and
 * tint, then saturation about luma. A grey keeps its luma under warmth and tint.
 */
export function gradeMatrix({
  exposure,
  saturation,
  warmth,
  tint,
}: Pick<StepOf<'grade'>, 'exposure' | 'saturation' | 'warmth' | 'tint'>): ColourMatrix {
  const gain = 2 ** (exposure / displayGamma)
  const raw = [
    1 + (mostWarmth * warmth) / 100 + (mostTint * tint) / 200,
    1 - (mostTint * tint) / 200,
    1 - (mostWarmth * warmth) / 100 + (mostTint * tint) / 200,
  ]
  const kept = raw.reduce((sum, value, index) => sum + value * luma[index]!, 0)
  const gains = raw.map(value => (value / kept) * gain)
  const colour = 1 + saturation / 100
  return [0, 1, 2].map(row =>
    [0, 1, 2].map(column => ((row === column ? colour : 0) + (1 - colour) * luma[column]!) * gains[column]!),
  ) as ColourMatrix
}

/** Slope of contrast about middle grey (half of full scale): 100 doubles it, -100 leaves none. */
export function contrastSlope(contrast: number): number {
  return 1 + contrast / 100
}
