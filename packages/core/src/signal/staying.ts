import { reduced } from './marks.ts'
import type { Plane } from './plane.ts'

/** Side of the squares that a reduced picture is looked at in. */
const side = 12
/** Standard deviation of luma in a square from which it has detail, in codes. */
const leastDetail = 3
/** Squares that are this alike show the same, be it brighter or darker. */
const leastLikeness = 0.7
/** With fewer squares that have detail nothing can be told. */
const leastSquares = 8

/**
 * Part of a picture that still shows what it showed in the one before: of the squares with detail in either, those whose luma goes along (correlation, which
 * a lamp that is switched on does not change).
 * @param before a plane of the same size
 * @returns 0 to 1; null where too little of them has detail
 */
export function stayingPart(before: Plane, now: Plane): number | null {
  const [a, b] = [reduced(before), reduced(now)]
  let [looked, stayed] = [0, 0]
  for (let row = 0; row + side <= a.height; row += side)
    for (let column = 0; column + side <= a.width; column += side) {
      let [sumA, sumB, squaresA, squaresB, products] = [0, 0, 0, 0, 0]
      for (let y = row; y < row + side; y++)
        for (let at = y * a.width + column; at < y * a.width + column + side; at++) {
          const [first, second] = [a.data[at]!, b.data[at]!]
          sumA += first
          sumB += second
          squaresA += first * first
          squaresB += second * second
          products += first * second
        }
      const count = side * side
      const [varianceA, varianceB] = [squaresA - (sumA * sumA) / count, squaresB - (sumB * sumB) / count]
      const least = leastDetail * leastDetail * count
      if (varianceA < least && varianceB < least) continue
      looked++
      if (varianceA <= 0 || varianceB <= 0) continue
      if ((products - (sumA * sumB) / count) / Math.sqrt(varianceA * varianceB) >= leastLikeness) stayed++
    }
  return looked < leastSquares ? null : stayed / looked
}
