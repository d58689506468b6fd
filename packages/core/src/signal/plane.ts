/** One plane of 8-bit samples; row r begins at `r * stride`. */
export interface Plane {
  data: Uint8Array
  width: number
  height: number
  stride: number
}

/** The lines of one field of a plane, as a plane of half the height: `first` 0 for the top field, 1 for the bottom field. */
export function fieldOf(plane: Plane, first: 0 | 1): Plane {
  return {
    data: plane.data.subarray(first * plane.stride),
    width: plane.width,
    height: Math.floor((plane.height - first + 1) / 2),
    stride: plane.stride * 2,
  }
}

/** How many samples have each of the 256 values. */
export function histogram({ data, width, height, stride }: Plane): Uint32Array {
  const counts = new Uint32Array(256)
  for (let row = 0; row < height; row++) {
    const end = row * stride + width
    for (let at = row * stride; at < end; at++) counts[data[at]!]!++
  }
  return counts
}

/** Value below which a part of the samples lies. */
export function percentileOf(counts: Uint32Array, part: number): number {
  const total = counts.reduce((sum, count) => sum + count, 0)
  let [sum, value] = [0, 0]
  while (value < 255 && sum + counts[value]! <= total * part) sum += counts[value++]!
  return value
}

export interface Levels {
  mean: number
  /** First and ninety-ninth percentile. */
  low: number
  high: number
  /** Part outside 16 to 235 by more than 3 codes: filters and coding overshoot by about that much. */
  illegal: number
  /** Part within 2 codes of the value that only 0.1 % exceed. */
  atTop: number
}

/** What a luma histogram says of exposure, in codes of limited range. */
export function levelsOf(counts: Uint32Array): Levels {
  let [total, weighted, illegal] = [0, 0, 0]
  for (let value = 0; value < 256; value++) {
    total += counts[value]!
    weighted += counts[value]! * value
    if (value < 13 || value > 238) illegal += counts[value]!
  }
  const top = percentileOf(counts, 0.999)
  let atTop = 0
  for (let value = Math.max(0, top - 2); value <= Math.min(255, top + 2); value++) atTop += counts[value]!
  return {
    mean: weighted / total,
    low: percentileOf(counts, 0.01),
    high: percentileOf(counts, 0.99),
    illegal: illegal / total,
    atTop: atTop / total,
  }
}

/** Part of the pixels that changed class between two histograms, in 32 classes of 8 values. */
export function histogramChange(before: Uint32Array, now: Uint32Array): number {
  let [moved, total] = [0, 0]
  for (let value = 0; value < 256; value += 8) {
    let difference = 0
    for (let part = value; part < value + 8; part++) {
      difference += now[part]! - before[part]!
      total += now[part]!
    }
    moved += Math.abs(difference)
  }
  return moved / (2 * total)
}

/** Mean absolute difference of two planes of the same size, over every other sample of every other row. */
export function meanChange(before: Plane, now: Plane): number {
  let [sum, count] = [0, 0]
  for (let row = 0; row < now.height; row += 2) {
    const [a, b] = [row * before.stride, row * now.stride]
    for (let column = 0; column < now.width; column += 2) {
      sum += Math.abs(now.data[b + column]! - before.data[a + column]!)
      count++
    }
  }
  return sum / count
}

/** Part of the samples that equal their right neighbour. */
export function flatPart({ data, width, height, stride }: Plane): number {
  let equal = 0
  for (let row = 0; row < height; row++) {
    const start = row * stride
    for (let column = 1; column < width; column++) if (data[start + column] === data[start + column - 1]) equal++
  }
  return equal / (height * (width - 1))
}

/** Chroma further from neutral than this is colour to anybody's eye, in codes. */
const vividLimit = 24

/** Distances from neutral by their squares: of millions of samples a picture, a root of each would take longer than all else. */
const distances = Uint8Array.from({ length: 2 * 128 ** 2 + 1 }, (_, square) => Math.round(Math.sqrt(square)))

/** Of two chroma planes of the same size: the 95th percentile of the distance from neutral in codes, and the part that is plainly coloured. */
export function chromaOf(u: Plane, v: Plane): { saturation: number; vivid: number } {
  const counts = new Uint32Array(256)
  for (let row = 0; row < u.height; row += 2) {
    const [a, b] = [row * u.stride, row * v.stride]
    for (let column = 0; column < u.width; column++) {
      const [x, y] = [u.data[a + column]! - 128, v.data[b + column]! - 128]
      counts[distances[x * x + y * y]!]!++
    }
  }
  let [vivid, all] = [0, 0]
  for (const [distance, count] of counts.entries()) {
    all += count
    if (distance > vividLimit) vivid += count
  }
  return { saturation: percentileOf(counts, 0.95), vivid: vivid / all }
}

/** Part of the samples that have one of the `most` most common values. */
export function peakedPart(counts: Uint32Array, most = 4): number {
  const total = counts.reduce((sum, count) => sum + count, 0)
  return total === 0
    ? 0
    : [...counts]
        .sort((a, b) => b - a)
        .slice(0, most)
        .reduce((sum, count) => sum + count, 0) / total
}
