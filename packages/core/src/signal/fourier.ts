/** In-place fast Fourier transform (radix 2) of a signal of a power of two. */
export function transform(real: Float64Array, imaginary: Float64Array): void {
  const { length } = real
  for (let index = 1, reversed = 0; index < length; index++) {
    let bit = length >> 1
    for (; reversed & bit; bit >>= 1) reversed ^= bit
    reversed ^= bit
    if (index < reversed) {
      ;[real[index], real[reversed]] = [real[reversed]!, real[index]!]
      ;[imaginary[index], imaginary[reversed]] = [imaginary[reversed]!, imaginary[index]!]
    }
  }
  for (let size = 2; size <= length; size <<= 1) {
    const angle = (-2 * Math.PI) / size
    const half = size >> 1
    for (let step = 0; step < half; step++) {
      const [cosine, sine] = [Math.cos(angle * step), Math.sin(angle * step)]
      for (let start = step; start < length; start += size) {
        const other = start + half
        const [a, b] = [
          real[other]! * cosine - imaginary[other]! * sine,
          real[other]! * sine + imaginary[other]! * cosine,
        ]
        real[other] = real[start]! - a
        imaginary[other] = imaginary[start]! - b
        real[start]! += a
        imaginary[start]! += b
      }
    }
  }
}

/** Part of a signal's energy below which a stretch of it is silent. */
const barely = 1e-12

/**
 * How like two signals are at every one of a range of lags: at lag n, sample i of the first belongs to sample i + n of the second. Only what both have counts.
 * @param start of the piece of the first that is compared
 * @param size of that piece, in samples
 * @returns for each lag from `firstLag` to `lastLag`, from -1 (turned over) to 1 (the same but for loudness); 0 where either is silent
 */
export function correlations(
  first: ArrayLike<number>,
  second: ArrayLike<number>,
  { start, size, firstLag, lastLag }: { start: number; size: number; firstLag: number; lastLag: number },
): Float64Array {
  const end = Math.min(start + size, first.length)
  const [length, lags] = [Math.max(0, end - start), lastLag - firstLag + 1]
  // Values of the piece, and those of the second from where the first lag meets its beginning; outside of the second is nothing.
  const reach = length + lags - 1
  const padded = 2 ** Math.ceil(Math.log2(Math.max(2, reach)))
  const [piece, other] = [new Float64Array(padded), new Float64Array(padded)]
  for (let index = 0; index < length; index++) piece[index] = first[start + index]!
  for (let index = 0; index < reach; index++) other[index] = second[start + firstLag + index] ?? 0
  const [pieceEnergy, otherEnergy] = [energies(piece, length), energies(other, reach)]
  const products = crossed(piece, other)
  return Float64Array.from({ length: lags }, (_, lag) => {
    // Where the second begins late or ends early, so much less of the piece is compared.
    const from = Math.min(length, Math.max(0, -(start + firstLag + lag)))
    const to = Math.max(from, Math.min(length, second.length - (start + firstLag + lag)))
    const [a, b] = [pieceEnergy[to]! - pieceEnergy[from]!, otherEnergy[to + lag]! - otherEnergy[from + lag]!]
    // What is left of sums of large numbers is no energy.
    const isHeard = a > barely * pieceEnergy[length]! && b > barely * otherEnergy[reach]!
    return isHeard ? products[lag]! / Math.sqrt(a * b) : 0
  })
}

/** Energy of the first n values, for each n. */
function energies(values: Float64Array, length: number): Float64Array {
  const sums = new Float64Array(length + 1)
  for (let index = 0; index < length; index++) sums[index + 1] = sums[index]! + values[index]! ** 2
  return sums
}

/** Sums of products at every shift of the second against the first, by way of their spectra (the correlation theorem). Both are overwritten. */
function crossed(first: Float64Array, second: Float64Array): Float64Array {
  const { length } = first
  const [firstImaginary, secondImaginary] = [new Float64Array(length), new Float64Array(length)]
  transform(first, firstImaginary)
  transform(second, secondImaginary)
  const [real, imaginary] = [new Float64Array(length), new Float64Array(length)]
  for (let index = 0; index < length; index++) {
    const [a, b, c, d] = [first[index]!, firstImaginary[index]!, second[index]!, secondImaginary[index]!]
    // The first's conjugate times the second; its own conjugate, so that the transform turns it back.
    real[index] = (a * c + b * d) / length
    imaginary[index] = -(a * d - b * c) / length
  }
  transform(real, imaginary)
  return real
}
