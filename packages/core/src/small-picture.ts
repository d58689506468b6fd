/** Pictures as small as they can be looked at and still be told from one another: 32x32 points of brightness, row by row, in codes of 8 bits. */

/** Points across and down. */
export const smallSide = 32

/** How a picture stands by the signs of a display matrix's factors a, b, c, d. */
export type Signs = readonly [number, number, number, number]
export const upright: Signs = [1, 0, 0, 1]

/** A stored picture as it stands after turning. */
export function turnedPicture(picture: ArrayLike<number>, [a, b, c, d]: Signs): number[] {
  const middle = (smallSide - 1) / 2
  return Array.from({ length: smallSide * smallSide }, (_, at) => {
    const [x, y] = [(at % smallSide) - middle, Math.floor(at / smallSide) - middle]
    // The inverse of a matrix of signs is its transpose.
    return picture[(c * x + d * y + middle) * smallSide + a * x + b * y + middle]!
  })
}

/** How alike two pictures are (correlation, -1 to 1; 0 where one is even), and the standard deviation of the one with less of it. */
export function pictureLikeness(a: ArrayLike<number>, b: ArrayLike<number>): { value: number; contrast: number } {
  const [meanA, meanB] = [meanOf(a), meanOf(b)]
  let [sumAB, sumAA, sumBB] = [0, 0, 0]
  for (let index = 0; index < a.length; index++) {
    const [x, y] = [a[index]! - meanA, b[index]! - meanB]
    sumAB += x * y
    sumAA += x * x
    sumBB += y * y
  }
  return {
    value: sumAA > 0 && sumBB > 0 ? sumAB / Math.sqrt(sumAA * sumBB) : 0,
    contrast: Math.sqrt(Math.min(sumAA, sumBB) / a.length),
  }
}

/** Mean brightness of a picture. */
export function meanOf(picture: ArrayLike<number>): number {
  let sum = 0
  for (let index = 0; index < picture.length; index++) sum += picture[index]!
  return sum / picture.length
}
