import type { Plane } from './plane.ts'

export type Borders = [left: number, top: number, right: number, bottom: number]

/** A line counts as black when 98 % of it are at most this code: black with the noise and ringing of coding. */
const blackest = 27
const exceptions = 0.02
/** Frames whose mean is below this are too dark to tell a border from a night scene. */
const darkMean = 24

/** Widths of the black edges of a picture, in samples: left, top, right, bottom; null when it is too dark to tell. */
export function bordersOf(plane: Plane, mean: number): Borders | null {
  if (mean < darkMean) return null
  const { width, height, stride } = plane
  const [left, right] = edges(plane, width, height, 1, stride)
  const [top, bottom] = edges(plane, height, width, stride, 1)
  // All black in one direction means that nothing was found to stand between the borders.
  return left + right >= width || top + bottom >= height ? null : [left, top, right, bottom]
}

function edges(
  { data }: Plane,
  length: number,
  breadth: number,
  along: number,
  across: number,
): [first: number, last: number] {
  const isBlack = (place: number) => {
    let bright = 0
    for (let line = 0; line < breadth; line++)
      if (data[place * along + line * across]! > blackest && ++bright > breadth * exceptions) return false
    return true
  }
  let first = 0
  while (first < length && isBlack(first)) first++
  if (first === length) return [length, 0]
  let last = 0
  while (isBlack(length - 1 - last)) last++
  return [first, last]
}

/** The borders that hold in all of several pictures: the narrowest on each side. Pictures too dark to tell say nothing; null when all are. */
export function bordersInAll(borders: readonly (Borders | null)[]): Borders | null {
  const known = borders.filter(entry => entry !== null)
  if (known.length === 0) return null
  return [0, 1, 2, 3].map(side => Math.min(...known.map(entry => entry[side]!))) as Borders
}
