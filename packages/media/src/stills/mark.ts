import { MediaError } from '../ground/libav.ts'
import { pictures } from '../ground/when-wanted.ts'

/** Most pixels along a side of a mark's picture. */
const largestMark = 4096

/**
 * A picture for a mark as PNG with transparency, whatever it came as. One that is such a PNG already stays as it is, to the byte, so that a
 * treatment's file names the same picture wherever it is read.
 * @throws MediaError when the bytes are no picture that can be read
 */
export async function readMark(bytes: Uint8Array): Promise<Buffer> {
  try {
    const picture = () => pictures()(bytes, { limitInputPixels: largestMark ** 2 })
    const { format, space, hasAlpha, width, height } = await picture().metadata()
    if (Math.max(width, height) > largestMark) throw new Error('too large')
    const png = await picture().rotate().toColourspace('srgb').ensureAlpha().png().toBuffer()
    return format === 'png' && space === 'srgb' && hasAlpha ? Buffer.from(bytes) : png
  } catch {
    throw new MediaError(
      `The file is no picture that can be read (PNG, JPEG, WebP, TIFF or SVG, at most ${largestMark} pixels along a side). Choose another.`,
    )
  }
}
