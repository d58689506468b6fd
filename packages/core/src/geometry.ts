import { z } from 'zod'
import { type Rational, divide, equal, multiply, rational, toNumber } from './rational.ts'

/** A coded picture size in pixels. */
export const FrameSize = z.object({ width: z.int().positive(), height: z.int().positive() })
export type FrameSize = z.infer<typeof FrameSize>

/** A frame as it is stored: its size and the shape of its pixels (width over height). */
export interface StoredFrame extends FrameSize {
  pixelAspect: Rational
}

export const squarePixel: Rational = { num: 1, den: 1 }

/** Shape of the shown picture (width over height): stored width x pixel aspect / stored height. */
export function displayAspect(frame: StoredFrame): Rational {
  return multiply(rational(frame.width, frame.height), frame.pixelAspect)
}

/** Pixel aspect that makes a stored size show with a given display aspect. */
export function pixelAspectFor(size: FrameSize, display: Rational): Rational {
  return divide(display, rational(size.width, size.height))
}

/** A picture on paper: "20.3 x 15.2 cm at 300 dots per inch". An inch is 2.54 cm. */
export function describePrint({ width, height }: FrameSize, dotsPerInch: number): string {
  const centimetres = (pixels: number) => ((pixels / dotsPerInch) * 2.54).toFixed(1)
  return `${centimetres(width)} x ${centimetres(height)} cm at ${dotsPerInch} dots per inch`
}

/** The whole multiple of `step` nearest to a value, never less than one step. */
export function roundToMultiple(value: number, step: number): number {
  return Math.max(step, Math.round(value / step) * step)
}

/** How a spec wants the picture sized. */
export const FrameRule = z.object({
  /** Box the picture must fit in, in pixels. */
  maxWidth: z.int().positive(),
  maxHeight: z.int().positive(),
  /** Whether a smaller picture is enlarged until it touches the box. */
  enlarge: z.boolean(),
  /** Whether the result must have square pixels; otherwise a stored frame that fits is left as it is. */
  squarePixels: z.boolean(),
  /**
   * How the frame gets exactly the box's size whatever the picture's shape: what the picture leaves of it is black, or what hangs over is cut off; left out,
   * the picture's shape decides. Pixels are square, or as `shownAs` makes them.
   */
  exactly: z.enum(['padded', 'cropped']).optional(),
  /** The shape that an exact frame is shown in, as discs and tapes state it; "nearer" is 4:3 or 16:9 by the picture. */
  shownAs: z.enum(['4:3', '16:9', 'nearer']).optional(),
  /** Sides are whole multiples of so many pixels; left out, of what the codec needs. */
  multiple: z.union([z.literal(4), z.literal(8), z.literal(16)]).optional(),
})
export type FrameRule = z.infer<typeof FrameRule>

const shapes = { '4:3': rational(4, 3), '16:9': rational(16, 9) }
/** Shapes that are this near to each other are taken for the same: a bar, or what is cut off, would be a line or two. */
const nearShape = 0.005

/** A picture on its way into a frame of exact size: the size that it is brought to, and the frame that it is padded or cropped to. */
export interface ExactFrame {
  picture: StoredFrame
  frame: StoredFrame
}

/**
 * How a picture comes into a frame of exact size, undistorted.
 * @param keepsLines whether the picture's height has to stay, as that of fields has: it is brought to size across alone
 * @param multiple of which sides of the picture are
 * @returns null when lines that have to stay do not come into the frame
 */
export function fitExactly(
  source: StoredFrame,
  { maxWidth, maxHeight, enlarge, exactly, shownAs }: FrameRule,
  { keepsLines = false, multiple = 2 }: { keepsLines?: boolean; multiple?: number } = {},
): ExactFrame | null {
  const box = { width: maxWidth, height: maxHeight }
  const display = displayAspect(source)
  const pixelAspect = shownAs
    ? pixelAspectFor(box, shapes[shownAs === 'nearer' ? nearerShape(display) : shownAs])
    : squarePixel
  const frame = { ...box, pixelAspect }
  // What the picture is in pixels of the new shape, without lines or columns thrown away.
  const aspect = toNumber(display) / toNumber(pixelAspect)
  const isCropped = exactly === 'cropped'
  const natural =
    keepsLines || source.height * aspect >= source.width
      ? { width: source.height * aspect, height: source.height }
      : { width: source.width, height: source.width / aspect }
  const [across, down] = [maxWidth / natural.width, maxHeight / natural.height]
  const isSame = Math.abs(across / down - 1) < nearShape
  const side = (value: number, most: number) => {
    const whole = roundToMultiple(value, multiple)
    return isCropped ? Math.max(whole, most) : Math.min(whole, most)
  }
  if (keepsLines) {
    if (isCropped ? source.height < maxHeight : source.height > maxHeight) return null
    const isNear = Math.abs(across - 1) < nearShape
    const width = isNear ? maxWidth : roundToMultiple(natural.width, multiple)
    if (isCropped ? width < maxWidth : width > maxWidth) return null
    return { picture: { width, height: source.height, pixelAspect }, frame }
  }
  const filled = isCropped ? Math.max(across, down) : Math.min(across, down)
  const scale = enlarge || isCropped ? filled : Math.min(1, filled)
  const picture =
    isSame && scale === filled
      ? box
      : { width: side(natural.width * scale, maxWidth), height: side(natural.height * scale, maxHeight) }
  return { picture: { ...picture, pixelAspect }, frame }
}

/** Which of the two shapes of television a picture is nearer to, as a factor. */
function nearerShape(display: Rational): '4:3' | '16:9' {
  const away = (shape: Rational) => Math.abs(Math.log(toNumber(display) / toNumber(shape)))
  return away(shapes['4:3']) <= away(shapes['16:9']) ? '4:3' : '16:9'
}

/**
 * The stored frame that shows a source's picture, undistorted, under a spec's rule.
 * Sides are rounded to `multiple` (2 for 4:2:0). The pixel aspect of the result is 1:1 for square pixels; rounding
 * then distorts the shape by less than one pixel multiple, which is accepted. Without square pixels the source's display aspect is kept exactly.
 */
export function fitFrame(source: StoredFrame, rule: FrameRule, multiple = 2): StoredFrame {
  const display = displayAspect(source)
  const aspect = toNumber(display)
  const fits = source.width <= rule.maxWidth && source.height <= rule.maxHeight
  if (!rule.squarePixels) {
    if (fits && !rule.enlarge) return evenFrame(source, display, multiple)
    const scale = Math.min(rule.maxWidth / source.width, rule.maxHeight / source.height)
    const size = {
      width: roundDownToMultiple(source.width * scale, multiple),
      height: roundDownToMultiple(source.height * scale, multiple),
    }
    return {
      ...size,
      pixelAspect: equal(source.pixelAspect, squarePixel) ? squarePixel : pixelAspectFor(size, display),
    }
  }
  // Keep the sharper side: widen narrow pixels' frames, and never throw lines away unless the box asks for it.
  const natural =
    toNumber(source.pixelAspect) >= 1
      ? { width: source.height * aspect, height: source.height }
      : { width: source.width, height: source.width / aspect }
  const boxScale = Math.min(rule.maxWidth / natural.width, rule.maxHeight / natural.height)
  const scale = rule.enlarge ? boxScale : Math.min(1, boxScale)
  return {
    width: Math.min(roundToMultiple(natural.width * scale, multiple), roundDownToMultiple(rule.maxWidth, multiple)),
    height: Math.min(roundToMultiple(natural.height * scale, multiple), roundDownToMultiple(rule.maxHeight, multiple)),
    pixelAspect: squarePixel,
  }
}

function roundDownToMultiple(value: number, step: number): number {
  return Math.max(step, Math.floor(value / step + 1e-9) * step)
}

/** Keeps a frame as stored, unless the codec's multiple forces a small change of size. */
function evenFrame(source: StoredFrame, display: Rational, multiple: number): StoredFrame {
  const size = { width: roundToMultiple(source.width, multiple), height: roundToMultiple(source.height, multiple) }
  if (size.width === source.width && size.height === source.height) return { ...size, pixelAspect: source.pixelAspect }
  return { ...size, pixelAspect: equal(source.pixelAspect, squarePixel) ? squarePixel : pixelAspectFor(size, display) }
}

const familiarAspects: [string, number][] = [
  ['4:3', 4 / 3],
  ['16:9', 16 / 9],
  ['1:1', 1],
  ['5:4', 5 / 4],
  ['3:2', 3 / 2],
  ['1.85:1', 1.85],
  ['2.39:1', 2.39],
]

/** A display aspect in words a technician uses: "16:9" where it is within 0.4 %, otherwise "1.78:1" style. */
export function describeAspect(display: Rational): string {
  const value = toNumber(display)
  const familiar = familiarAspects.find(([, known]) => Math.abs(value / known - 1) < 0.004)
  return familiar ? familiar[0] : `${value.toFixed(2)}:1`
}
