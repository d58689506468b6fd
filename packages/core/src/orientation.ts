/**
 * How a stored picture is turned and mirrored to be looked at, out of the eight ways that keep its pixels, by the display matrix of
 * ISO/IEC 14496-12 (6.2.2), whose first four factors map a stored place (p, q) to p' = a p + c q, q' = b p + d q.
 */
export interface Orientation {
  /** What is done to it, in a technician's words. */
  words: string
  /** The factors a, b, c, d as signs. */
  signs: readonly [number, number, number, number]
  /** Whether width and height change places. */
  swaps: boolean
}

const orientations: readonly Orientation[] = [
  { words: 'turned by 90 degrees', signs: [0, 1, -1, 0], swaps: true },
  { words: 'turned by 180 degrees', signs: [-1, 0, 0, -1], swaps: false },
  { words: 'turned by 270 degrees', signs: [0, -1, 1, 0], swaps: true },
  { words: 'mirrored left to right', signs: [-1, 0, 0, 1], swaps: false },
  { words: 'mirrored top to bottom', signs: [1, 0, 0, -1], swaps: false },
  { words: 'turned by 90 degrees and mirrored left to right', signs: [0, 1, 1, 0], swaps: true },
  { words: 'turned by 270 degrees and mirrored left to right', signs: [0, -1, -1, 0], swaps: true },
]

/**
 * The orientation that a display matrix states.
 * @param factors a, b, c, d of it, in any scale
 * @returns null when the picture stands as it is stored, or at an angle that is none of the eight
 */
export function orientationOf(factors: readonly [number, number, number, number]): Orientation | null {
  const largest = Math.max(...factors.map(Math.abs))
  if (largest === 0) return null
  const signs = factors.map(value => (Math.abs(value) < 0.05 * largest ? 0 : Math.sign(value)))
  return orientations.find(entry => entry.signs.every((sign, index) => sign === signs[index])) ?? null
}
