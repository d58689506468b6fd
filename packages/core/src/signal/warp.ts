import type { Motion } from './motion.ts'
import type { Samples } from './repair.ts'

/** Fractions of a sample that places are rounded to. */
const phases = 64
/** Catmull-Rom weights of the four samples around a place, by its fraction. */
const weights = Float64Array.from({ length: phases * 4 }, (_, index) => {
  const t = Math.floor(index / 4) / phases
  const [a, b] = [t * t * t, t * t]
  return [-0.5 * a + b - 0.5 * t, 1.5 * a - 2.5 * b + 1, -1.5 * a + 2 * b + 0.5 * t, 0.5 * a - 0.5 * b][index % 4]!
})

/**
 * A plane put back to its steady place: what moved by `off` is fetched from where it is now, by bicubic interpolation, and an edge is cut off.
 * @param off of the luma plane, in its samples @param edge of the luma plane
 * @param luma size of the luma plane; this plane may have fewer samples @param shape width of a pixel over its height
 * @param most largest code
 */
export function putBack<Values extends Uint8Array | Uint16Array>(
  plane: Samples<Values>,
  off: Motion,
  edge: number,
  luma: { width: number; height: number },
  shape: number,
  most: number,
): Samples<Values> {
  const { data, width, height } = plane
  const [scaleX, scaleY] = [luma.width / width, luma.height / height]
  const [newWidth, newHeight] = [width - Math.round((2 * edge) / scaleX), height - Math.round((2 * edge) / scaleY)]
  const result = (
    data instanceof Uint8Array ? new Uint8Array(newWidth * newHeight) : new Uint16Array(newWidth * newHeight)
  ) as Values
  const [sine, cosine] = [Math.sin(off.angle), Math.cos(off.angle)]
  for (let y = 0, at = 0; y < newHeight; y++) {
    const fromY = (y + 0.5) * scaleY + edge - luma.height / 2
    for (let x = 0; x < newWidth; x++, at++) {
      const fromX = (x + 0.5) * scaleX + edge - luma.width / 2
      const sourceX = (luma.width / 2 + fromX * cosine - (fromY * sine) / shape + off.x) / scaleX - 0.5
      const sourceY = (luma.height / 2 + fromY * cosine + fromX * sine * shape + off.y) / scaleY - 0.5
      const [roundX, roundY] = [Math.round(sourceX * phases), Math.round(sourceY * phases)]
      const [left, top] = [Math.floor(roundX / phases), Math.floor(roundY / phases)]
      const [phaseX, phaseY] = [(roundX - left * phases) * 4, (roundY - top * phases) * 4]
      let sum = 0
      if (left >= 1 && top >= 1 && left + 2 < width && top + 2 < height) {
        let row = (top - 1) * width + left - 1
        for (let line = 0; line < 4; line++, row += width) {
          sum +=
            weights[phaseY + line]! *
            (weights[phaseX]! * data[row]! +
              weights[phaseX + 1]! * data[row + 1]! +
              weights[phaseX + 2]! * data[row + 2]! +
              weights[phaseX + 3]! * data[row + 3]!)
        }
      } else {
        for (let line = 0; line < 4; line++)
          for (let column = 0; column < 4; column++) {
            const [fetchX, fetchY] = [
              Math.min(width - 1, Math.max(0, left - 1 + column)),
              Math.min(height - 1, Math.max(0, top - 1 + line)),
            ]
            sum += weights[phaseY + line]! * weights[phaseX + column]! * data[fetchY * width + fetchX]!
          }
      }
      result[at] = sum <= 0 ? 0 : sum >= most ? most : Math.round(sum)
    }
  }
  return { data: result, width: newWidth, height: newHeight }
}
