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

/** Profiles of a plane; each sum takes every other sample, which is plenty. */
export function profilesOf({ data, width, height, stride }: Plane): Profiles {
  const sums = new Uint32Array(width)
  const rows = new Float32Array(height)
  for (let row = 0; row < height; row++) {
    const start = row * stride
    let sum = 0
    for (let column = row & 1; column < width; column += 2) sum += data[start + column]!
    rows[row] = sum / Math.floor((width + 1 - (row & 1)) / 2)
    if ((row & 1) === 0) for (let column = 0; column < width; column++) sums[column]! += data[start + column]!
  }
  const lines = Math.floor((height + 1) / 2)
  return { columns: withoutSlow(Float32Array.from(sums, sum => sum / lines)), rows: withoutSlow(rows) }
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
