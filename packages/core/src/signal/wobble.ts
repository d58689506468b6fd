import type { Plane } from './plane.ts'

/** Cells across and down into which both pictures are divided, whatever their sizes. */
const [across, down] = [40, 30]
/** A cell of the source stands still when its mean moves by less than this many codes from frame to frame and its pixels by less than this. */
const stillMean = 0.4
const stillPixels = 2.5
/** Fewer still cells than this say nothing. */
const fewestStill = 60

interface Cell {
  meanBefore: number
  meanNow: number
  change: number
}

function cellOf(before: Plane, now: Plane, column: number, row: number): Cell {
  const [left, right] = [Math.floor((column * now.width) / across), Math.floor(((column + 1) * now.width) / across)]
  const [top, bottom] = [Math.floor((row * now.height) / down), Math.floor(((row + 1) * now.height) / down)]
  let [sumBefore, sumNow, change, count] = [0, 0, 0, 0]
  for (let y = top; y < bottom; y++)
    for (let x = left; x < right; x++) {
      const [a, b] = [before.data[y * before.stride + x]!, now.data[y * now.stride + x]!]
      sumBefore += a
      sumNow += b
      change += Math.abs(b - a)
      count++
    }
  return {
    meanBefore: sumBefore / Math.max(1, count),
    meanNow: sumNow / Math.max(1, count),
    change: change / Math.max(1, count),
  }
}

/**
 * How much a result changes from frame to frame where its source stands still, in codes of luma (mean absolute difference), and the
 * same for the source itself. Grass, water and textures that a treatment makes wobble show here; noise that it takes away does too.
 * @param source two frames of the source that follow each other @param result the same two of the result, of any size
 * @returns null when too little stands still to tell
 */
export function wobbleOf(
  source: readonly [Plane, Plane],
  result: readonly [Plane, Plane],
): { before: number; after: number } | null {
  let [before, after, still] = [0, 0, 0]
  for (let row = 0; row < down; row++)
    for (let column = 0; column < across; column++) {
      const cell = cellOf(source[0], source[1], column, row)
      if (Math.abs(cell.meanNow - cell.meanBefore) > stillMean || cell.change > stillPixels) continue
      still++
      before += cell.change
      after += cellOf(result[0], result[1], column, row).change
    }
  return still < fewestStill ? null : { before: before / still, after: after / still }
}
