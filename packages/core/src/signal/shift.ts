import type { Plane } from './plane.ts'

/** Sums of a plane's rows and columns with slow changes taken out: what moves when the whole picture moves. */
export interface Profiles {
  columns: Float32Array
  rows: Float32Array
}

/** Largest shift looked for, in samples. */
const reach = 32
/** Half the width of the mean that is taken out of a profile. */
const slow = 24
/** Standard deviation of a profile below which it tells nothing, in codes. */
const leastContrast = 0.25

/** Two sums of bytes lie beside each other in a word, in 16 bits each: so many bytes fit without running over. */
const mostInHalf = 256
const halves = 0x00ff00ff

/** Profiles of a plane; each sum takes every other sample, which is plenty. Four samples are read and added at a time: this is done to every frame that is measured. */
export function profilesOf({ data, width, height, stride }: Plane): Profiles {
  const words = Math.ceil(width / 4)
  const lineAt = linesInWords({ data, width, height, stride }, words)
  const rows = new Float32Array(height)
  const columns = new Uint32Array(4 * words)
  // Of the first and third, and of the second and fourth of each four columns.
  const [first, second] = [new Uint32Array(words), new Uint32Array(words)]
  let inHalves = 0
  const empty = () => {
    for (let word = 0; word < words; word++) {
      const [a, b] = [first[word]!, second[word]!]
      columns[4 * word]! += a & 0xffff
      columns[4 * word + 1]! += b & 0xffff
      columns[4 * word + 2]! += a >>> 16
      columns[4 * word + 3]! += b >>> 16
    }
    first.fill(0)
    second.fill(0)
    inHalves = 0
  }
  for (let row = 0; row < height; row++) {
    const { line, from } = lineAt(row)
    const shift = 8 * (row & 1)
    let sum = 0
    for (let begin = 0; begin < words; begin += mostInHalf) {
      const end = Math.min(words, begin + mostInHalf)
      let both = 0
      for (let word = begin; word < end; word++) both += (line[from + word]! >>> shift) & halves
      sum += (both & 0xffff) + (both >>> 16)
    }
    rows[row] = sum / Math.floor((width + 1 - (row & 1)) / 2)
    if ((row & 1) === 1) continue
    for (let word = 0; word < words; word++) {
      const four = line[from + word]!
      first[word]! += four & halves
      second[word]! += (four >>> 8) & halves
    }
    if (++inHalves === mostInHalf) empty()
  }
  empty()
  const lines = Math.floor((height + 1) / 2)
  return {
    columns: withoutSlow(Float32Array.from(columns.subarray(0, width), sum => sum / lines)),
    rows: withoutSlow(rows),
  }
}

/** The lines of a plane four samples a word, the first of them lowest: where it lies if it is laid out so, else a copy, with noughts behind the last sample. */
function linesInWords(
  { data, width, stride }: Plane,
  words: number,
): (row: number) => { line: Uint32Array; from: number } {
  if (data.byteOffset % 4 === 0 && stride % 4 === 0 && width % 4 === 0) {
    const line = new Uint32Array(data.buffer, data.byteOffset, Math.floor(data.byteLength / 4))
    return row => ({ line, from: (row * stride) / 4 })
  }
  const line = new Uint32Array(words)
  const bytes = new Uint8Array(line.buffer)
  return row => {
    bytes.set(data.subarray(row * stride, row * stride + width))
    return { line, from: 0 }
  }
}

function withoutSlow(values: Float32Array): Float32Array {
  const sums = new Float64Array(values.length + 1)
  for (let index = 0; index < values.length; index++) sums[index + 1] = sums[index]! + values[index]!
  return values.map((value, index) => {
    const [from, to] = [Math.max(0, index - slow), Math.min(values.length, index + slow + 1)]
    return value - (sums[to]! - sums[from]!) / (to - from)
  })
}

/** Shift of the whole picture from one frame to the next, in samples with a fraction, right and down positive; `fit` is how well both then agree, 0 to 1. */
export function shiftBetween(before: Profiles, now: Profiles): { x: number; y: number; fit: number } {
  const across = bestShift(before.columns, now.columns)
  const down = bestShift(before.rows, now.rows)
  return { x: across.shift, y: down.shift, fit: Math.min(across.fit, down.fit) }
}

function bestShift(before: Float32Array, now: Float32Array): { shift: number; fit: number } {
  const most = Math.min(reach, Math.floor(before.length / 4))
  // The same part of the new profile is compared at each shift, so that all comparisons count alike.
  const [from, to] = [most, before.length - most]
  let energy = 0
  for (let index = from; index < to; index++) energy += now[index]! ** 2
  if (energy / (to - from) < leastContrast ** 2) return { shift: 0, fit: 0 }
  const costs: number[] = []
  for (let shift = -most; shift <= most; shift++) {
    let cost = 0
    for (let index = from; index < to; index++) cost += (now[index]! - before[index - shift]!) ** 2
    costs.push(cost)
  }
  const best = costs.indexOf(Math.min(...costs))
  const [left, middle, right] = [costs[best - 1], costs[best]!, costs[best + 1]]
  const fit = Math.max(0, 1 - middle / (2 * energy))
  // At the edge of the reach the true shift may lie beyond.
  if (left === undefined || right === undefined) return { shift: best - most, fit: 0 }
  const bend = left - 2 * middle + right
  return { shift: best - most + (bend > 0 ? (left - right) / (2 * bend) : 0), fit }
}
