import { totalmem } from 'node:os'
import { MediaError } from '../ground/libav.ts'

/** What one pixel of a picture takes at most while it is looked at and treated: as it was decoded, and in the forms that steps want. */
const bytesAPixel = 16
/** Part of this machine's memory that one picture may take. */
const mostPart = 1 / 4

/** The memory that there is to work with: this machine's, or what it is limited to. */
export const memoryBytes = (): number => Math.min(totalmem(), process.constrainedMemory() || Infinity)

/** The most pixels of a picture that this machine has the memory for. */
export function mostPixels(memory = memoryBytes()): number {
  return Math.floor((memory * mostPart) / bytesAPixel)
}

/** @throws MediaError when a picture of this size would take more memory than it may */
export function refuseTooLarge(width: number, height: number, most = mostPixels()): void {
  if (width * height <= most) return
  const megapixels = (pixels: number) => `${Math.round(pixels / 1e6)} million pixels`
  throw new MediaError(
    `The picture is ${width}x${height}, ${megapixels(width * height)}; with this machine's memory at most ${megapixels(most)} are taken. Make it smaller first, or work on a machine with more memory.`,
  )
}
