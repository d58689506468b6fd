import { describePixelFormat, type Region } from '@hematine/core'
import { avGetPixFmtName, type Frame } from 'node-av/lib'

/** Points across and down at which a picture is looked at, and samples around each that are averaged, in each direction. */
export const thumbnailSide = 32
const around = 4

/** Where the samples of one part lie, and how much of brightness they are. */
interface Part {
  plane: number
  offset: number
  weight: number
}

interface Layout {
  bytes: number
  step: number
  shift: number
  parts: Part[]
}

/** Shares of red, green and blue in brightness (ITU-R BT.601, 2.5.1); luma of other matrices differs from it too little to turn a picture. */
const shares = { red: 0.299, green: 0.587, blue: 0.114 }

/** Of packed layouts of 8 bits, the bytes from pixel to pixel and where brightness, or red, green and blue, stand in them. */
const packed: Record<string, [step: number, ...offsets: number[]]> = {
  rgb24: [3, 0, 1, 2],
  bgr24: [3, 2, 1, 0],
  rgba: [4, 0, 1, 2],
  bgra: [4, 2, 1, 0],
  rgb0: [4, 0, 1, 2],
  bgr0: [4, 2, 1, 0],
  argb: [4, 1, 2, 3],
  abgr: [4, 3, 2, 1],
  '0rgb': [4, 1, 2, 3],
  '0bgr': [4, 3, 2, 1],
  yuyv422: [2, 0],
  uyvy422: [2, 1],
}

function partsOf(places: readonly { plane: number; offset: number }[]): Part[] {
  if (places.length === 1) return [{ ...places[0]!, weight: 1 }]
  return Object.values(shares).map((weight, index) => ({ ...places[index]!, weight }))
}

/** Where the samples lie that make up brightness: luma, or red, green and blue. Null for layouts that are not read here. */
function layoutOf(name: string): Layout | null {
  const { bitDepth, isRgb } = describePixelFormat(name)
  const known = packed[name]
  if (known) {
    const [step, ...offsets] = known
    return { bytes: 1, step, shift: 0, parts: partsOf(offsets.map(offset => ({ plane: 0, offset }))) }
  }
  if (isRgb && !name.startsWith('gbr')) return null
  if (/be$|f(16|32)|^(mono|pal|v30|xv|y210|y212|ayuv|vuy)/.test(name)) return null
  const bytes = bitDepth > 8 ? 2 : 1
  // Of these, the bits stand at the upper end of their word.
  const isHigh = /^p[0-4]1[0-6]/.test(name)
  const planes = isRgb ? [2, 0, 1] : [0]
  return {
    bytes,
    step: bytes,
    shift: bytes === 1 ? 0 : isHigh ? 8 : bitDepth - 8,
    parts: partsOf(planes.map(plane => ({ plane, offset: 0 }))),
  }
}

/**
 * A picture at 32x32 points, each the mean of the brightness of 4x4 samples around it, in codes of 8 bits.
 * @param within the part of the frame that is looked at; all of it unless said
 * @returns null for sample layouts that are not read here
 */
export function thumbnailOf(frame: Frame, within: Region | null = null): Uint8Array | null {
  const layout = layoutOf(avGetPixFmtName(frame.format as never) ?? '')
  const planes = frame.data
  if (!layout || !planes) return null
  const {
    width,
    height,
    left: firstX,
    top: firstY,
  } = within ?? { left: 0, top: 0, width: frame.width, height: frame.height }
  const { bytes, step, shift } = layout
  const parts = layout.parts.map(part => ({
    ...part,
    samples: planes[part.plane]!,
    stride: frame.linesize[part.plane]!,
  }))
  if (parts.some(({ stride }) => stride <= 0)) return null
  const result = new Uint8Array(thumbnailSide * thumbnailSide)
  const [spanX, spanY] = [Math.min(around, width), Math.min(around, height)]
  for (let row = 0; row < thumbnailSide; row++) {
    const top =
      firstY + Math.max(0, Math.min(height - spanY, Math.floor(((row + 0.5) * height) / thumbnailSide - spanY / 2)))
    for (let column = 0; column < thumbnailSide; column++) {
      const left =
        firstX + Math.max(0, Math.min(width - spanX, Math.floor(((column + 0.5) * width) / thumbnailSide - spanX / 2)))
      let sum = 0
      for (const { samples, stride, offset, weight } of parts)
        for (let y = top; y < top + spanY; y++) {
          let at = y * stride + left * step + offset
          for (let x = 0; x < spanX; x++, at += step)
            sum += weight * (bytes === 1 ? samples[at]! : (samples[at]! | (samples[at + 1]! << 8)) >> shift)
        }
      result[row * thumbnailSide + column] = sum / (spanX * spanY)
    }
  }
  return result
}
