import sharp from 'sharp'
import { MediaError } from './libav.ts'

/** Most pixels along a side of a mark's picture. */
const largestMark = 4096

/**
 * A picture for a mark as PNG with transparency, whatever it came as.
 * @throws MediaError when the bytes are no picture that can be read
 */
export async function readMark(bytes: Uint8Array): Promise<Buffer> {
  try {
    const { data, info } = await sharp(bytes, { limitInputPixels: largestMark ** 2 }).rotate().toColourspace('srgb').ensureAlpha().png().toBuffer({ resolveWithObject: true })
    if (Math.max(info.width, info.height) > largestMark) throw new Error('too large')
    return data
  } catch {
    throw new MediaError(`The file is no picture that can be read (PNG, JPEG, WebP, TIFF or SVG, at most ${largestMark} pixels along a side). Choose another.`)
  }
}
