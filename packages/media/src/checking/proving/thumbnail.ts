import { describePixelFormat } from '@hematine/core'
import { avGetPixFmtName, type Frame } from 'node-av/lib'

/** Points across and down at which a picture is looked at, and samples around each that are averaged, in each direction. */
export const thumbnailSide = 32
const around = 4

interface Layout {
  bytes: number
  step: number
  offset: number
  shift: number
}

/** Where the samples lie that stand for brightness: luma, or green. Null for layouts that are not read here. */
function layoutOf(name: string): Layout | null {
  const { bitDepth, isRgb } = describePixelFormat(name)
  const packed: Record<string, [step: number, offset: number]> = {
    rgb24: [3, 1],
    bgr24: [3, 1],
    rgba: [4, 1],
    bgra: [4, 1],
    rgb0: [4, 1],
    bgr0: [4, 1],
    argb: [4, 2],
    abgr: [4, 2],
    '0rgb': [4, 2],
    '0bgr': [4, 2],
    yuyv422: [2, 0],
    uyvy422: [2, 1],
  }
  const known = packed[name]
  if (known) return { bytes: 1, step: known[0], offset: known[1], shift: 0 }
  if (isRgb && !name.startsWith('gbr')) return null
  if (/be$|f(16|32)|^(mono|pal|v30|xv|y210|y212|ayuv|vuy)/.test(name)) return null
  const bytes = bitDepth > 8 ? 2 : 1
  // Of these, the bits stand at the upper end of their word.
  const isHigh = /^p[0-4]1[0-6]/.test(name)
  return { bytes, step: bytes, offset: 0, shift: bytes === 1 ? 0 : isHigh ? 8 : bitDepth - 8 }
}

/**
 * A picture at 32x32 points, each the mean of the brightness of 4x4 samples around it, in codes of 8 bits.
 * @returns null for sample layouts that are not read here
 */
export function thumbnailOf(frame: Frame): Uint8Array | null {
  const layout = layoutOf(avGetPixFmtName(frame.format as never) ?? '')
  const plane = frame.data?.[0]
  if (!layout || !plane) return null
  const { width, height } = frame
  const stride = frame.linesize[0]!
  if (stride <= 0) return null
  const { bytes, step, offset, shift } = layout
  const result = new Uint8Array(thumbnailSide * thumbnailSide)
  const [spanX, spanY] = [Math.min(around, width), Math.min(around, height)]
  for (let row = 0; row < thumbnailSide; row++) {
    const top = Math.max(0, Math.min(height - spanY, Math.floor(((row + 0.5) * height) / thumbnailSide - spanY / 2)))
    for (let column = 0; column < thumbnailSide; column++) {
      const left = Math.max(
        0,
        Math.min(width - spanX, Math.floor(((column + 0.5) * width) / thumbnailSide - spanX / 2)),
      )
      let sum = 0
      for (let y = top; y < top + spanY; y++) {
        let at = y * stride + left * step + offset
        for (let x = 0; x < spanX; x++, at += step)
          sum += bytes === 1 ? plane[at]! : (plane[at]! | (plane[at + 1]! << 8)) >> shift
      }
      result[row * thumbnailSide + column] = sum / (spanX * spanY)
    }
  }
  return result
}
