import type { Plane } from './plane.ts'

const blockSize = 16
/** Blocks needed for an answer. */
const fewestBlocks = 24
/** Of the blocks' figures, the one below which this part lies stands for the picture: texture raises the others. */
const quietPart = 0.2

/**
 * Noise of a picture as the standard deviation of its samples, in codes; null when hardly any part is unclipped.
 *
 * Each block of 16x16 is measured by the difference of two Laplacians, which answers to neither level nor slope (J. Immerkaer, "Fast noise
 * variance estimation", 1996): in the picture itself, and in its difference from the frame before, divided by the square root of two. Still
 * texture drops out of the second and moving edges out of the first, so the smaller of both counts; the quietest fifth of the blocks
 * stands for the whole.
 * @param before the frame before, of the same size; null when there is none that differs
 */
export function noiseOf(now: Plane, before: Plane | null): number | null {
  const inPicture: number[] = []
  const inDifference: number[] = []
  for (let top = 0; top + blockSize <= now.height; top += blockSize) {
    for (let left = 0; left + blockSize <= now.width; left += blockSize) {
      if (isClipped(now, left, top)) continue
      inPicture.push(blockNoise(now, null, left, top))
      if (before) inDifference.push(blockNoise(now, before, left, top) / Math.SQRT2)
    }
  }
  if (inPicture.length < fewestBlocks) return null
  const quiet = (values: number[]) => values.sort((a, b) => a - b)[Math.floor(values.length * quietPart)]!
  return before ? Math.min(quiet(inPicture), quiet(inDifference)) : quiet(inPicture)
}

function isClipped({ data, stride }: Plane, left: number, top: number): boolean {
  let clipped = 0
  for (let row = top; row < top + blockSize; row += 2) {
    for (let at = row * stride + left, end = at + blockSize; at < end; at += 2)
      if (data[at]! <= 18 || data[at]! >= 233) clipped++
  }
  return clipped > 6
}

function blockNoise(now: Plane, before: Plane | null, left: number, top: number): number {
  const { data, stride } = now
  let sum = 0
  for (let row = top + 1; row < top + blockSize - 1; row++) {
    for (let column = left + 1; column < left + blockSize - 1; column++) {
      const at = row * stride + column
      let value = laplacianDifference(data, at, stride)
      if (before) value -= laplacianDifference(before.data, row * before.stride + column, before.stride)
      sum += Math.abs(value)
    }
  }
  return (Math.sqrt(Math.PI / 2) / (6 * (blockSize - 2) ** 2)) * sum
}

function laplacianDifference(data: Uint8Array, at: number, stride: number): number {
  const [up, down] = [at - stride, at + stride]
  return (
    data[up - 1]! -
    2 * data[up]! +
    data[up + 1]! -
    2 * data[at - 1]! +
    4 * data[at]! -
    2 * data[at + 1]! +
    data[down - 1]! -
    2 * data[down]! +
    data[down + 1]!
  )
}
