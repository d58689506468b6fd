/** A plane of samples of 8 or more bits; row r begins at `r * width`. */
export interface Samples<Values extends Uint8Array | Uint16Array = Uint8Array | Uint16Array> {
  data: Values
  width: number
  height: number
}

/** Largest of each value and its eight neighbours. */
function largestAround(values: Int32Array, width: number, height: number): Int32Array {
  const rows = new Int32Array(values.length)
  for (let y = 0, at = 0; y < height; y++)
    for (let x = 0; x < width; x++, at++) {
      let most = values[at]!
      if (x > 0 && values[at - 1]! > most) most = values[at - 1]!
      if (x < width - 1 && values[at + 1]! > most) most = values[at + 1]!
      rows[at] = most
    }
  const result = new Int32Array(values.length)
  for (let y = 0, at = 0; y < height; y++)
    for (let x = 0; x < width; x++, at++) {
      let most = rows[at]!
      if (y > 0 && rows[at - width]! > most) most = rows[at - width]!
      if (y < height - 1 && rows[at + width]! > most) most = rows[at + width]!
      result[at] = most
    }
  return result
}

/** How far the mask grows from sure dust into what departs half as much: the soft rim of a blotch. */
const rimPixels = 2

/**
 * Where a frame shows what neither the frame before nor the one after shows: dust, dirt, sparkle. A sample counts when it is brighter, or
 * darker, than all of its nine neighbours in both other frames by more than `threshold` codes (the rank-ordered difference of restoration
 * literature, with the neighbourhood as the allowance for motion), and the other two agree there: where they do not, something moves
 * faster than that. Its rim, which departs half as much, belongs to it.
 * @returns 1 for samples to be replaced
 */
export function dustMask(before: Samples, now: Samples, after: Samples, threshold: number): Uint8Array {
  const { width, height, data } = now
  const [brighter, darker] = [new Int32Array(data.length), new Int32Array(data.length)]
  for (let at = 0; at < data.length; at++) {
    const [one, two] = [before.data[at]!, after.data[at]!]
    brighter[at] = one > two ? one : two
    // Turned over, the smallest around is the largest.
    darker[at] = one > two ? -two : -one
  }
  const brightest = largestAround(brighter, width, height)
  const darkest = largestAround(darker, width, height)
  const mask = new Uint8Array(data.length)
  const over = new Uint16Array(data.length)
  for (let at = 0; at < data.length; at++) {
    if (brighter[at]! + darker[at]! > threshold) continue
    const value = data[at]!
    const departs = Math.max(value - brightest[at]!, -darkest[at]! - value, 0)
    over[at] = departs
    if (departs > threshold) mask[at] = 1
  }
  for (let round = 0; round < rimPixels; round++) {
    const grown: number[] = []
    for (let y = 1; y < height - 1; y++)
      for (let x = 1, at = y * width + 1; x < width - 1; x++, at++) {
        if (mask[at] === 1) continue
        if (mask[at - 1] !== 1 && mask[at + 1] !== 1 && mask[at - width] !== 1 && mask[at + width] !== 1) continue
        const value = data[at]!
        const [low, high] = [Math.min(before.data[at]!, after.data[at]!), Math.max(before.data[at]!, after.data[at]!)]
        if (over[at]! > threshold / 2 || value > high + threshold / 2 || value < low - threshold / 2) grown.push(at)
      }
    for (const at of grown) mask[at] = 1
  }
  return mask
}

/** A plane moved right and down by whole samples; what comes in at the edge repeats it. */
export function moved<Values extends Uint8Array | Uint16Array>(
  { data, width, height }: Samples<Values>,
  x: number,
  y: number,
): Samples<Values> {
  if (x === 0 && y === 0) return { data, width, height }
  const result = data.slice() as Values
  for (let row = 0; row < height; row++) {
    const from = Math.min(height - 1, Math.max(0, row - y)) * width
    for (let column = 0; column < width; column++)
      result[row * width + column] = data[from + Math.min(width - 1, Math.max(0, column - x))]!
  }
  return { data: result, width, height }
}

/** Replaces masked samples by the mean of the frames before and after. @returns how many */
export function fillFromNeighbours(before: Samples, now: Samples, after: Samples, mask: Uint8Array): number {
  let replaced = 0
  for (let at = 0; at < mask.length; at++) {
    if (mask[at] !== 1) continue
    now.data[at] = (before.data[at]! + after.data[at]! + 1) >> 1
    replaced++
  }
  return replaced
}

/** A mask for a plane of fewer samples: 1 where any sample that it covers is 1. */
export function reduceMask(
  mask: Uint8Array,
  width: number,
  height: number,
  to: { width: number; height: number },
): Uint8Array {
  if (to.width === width && to.height === height) return mask
  const [across, down] = [Math.round(width / to.width), Math.round(height / to.height)]
  const reduced = new Uint8Array(to.width * to.height)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      if (mask[y * width + x] === 1)
        reduced[
          Math.min(to.height - 1, Math.floor(y / down)) * to.width + Math.min(to.width - 1, Math.floor(x / across))
        ] = 1
    }
  return reduced
}

/** Part of a band's rows that must show a scratch for it to be one, and number of bands that must agree. */
const leastRows = 0.8
const bands = 4
/** Samples of the middle of a scratch; what it is compared with begins two samples beside them, so that lines up to four samples wide are found. */
const middles = [1, 2]
const rim = 2

/**
 * Upright scratches: lines at most four samples wide that are brighter, or darker, than both sides by more than `threshold` codes along
 * nearly the whole height.
 * @returns first and last column of the middle of each
 */
export function findScratches({ data, width, height }: Samples, threshold: number): { from: number; to: number }[] {
  /** Whether columns stand out in every band. */
  const standsOut = (from: number, to: number, sign: 1 | -1) => {
    for (let band = 0; band < bands; band++) {
      const [top, bottom] = [Math.floor((band * height) / bands), Math.floor(((band + 1) * height) / bands)]
      let rows = 0
      for (let y = top; y < bottom; y++) {
        const row = y * width
        const [left, right] = [data[row + from - rim]! * sign, data[row + to + rim]! * sign]
        if (Math.min(data[row + from]! * sign, data[row + to]! * sign) - Math.max(left, right) > threshold) rows++
      }
      if (rows < leastRows * (bottom - top)) return false
    }
    return true
  }
  const found: { from: number; to: number }[] = []
  for (const sign of [1, -1] as const) {
    for (let x = rim; x < width - rim - 1; x++) {
      const to = middles.map(count => x + count - 1).find(last => last + rim < width && standsOut(x, last, sign))
      if (to === undefined) continue
      const last = found.at(-1)
      if (last && last.to + 1 >= x && last.from <= x) last.to = Math.max(last.to, to)
      else found.push({ from: x, to })
    }
  }
  return found.sort((a, b) => a.from - b.from)
}

/** Fills columns (and the soft rim on each side) from what lies left and right of them. Places are of a plane `scale` times as wide as this one. */
export function fillColumns(
  { data, width, height }: Samples,
  scratches: readonly { from: number; to: number }[],
  scale = 1,
): void {
  for (const scratch of scratches) {
    const [left, right] = [
      Math.max(0, Math.floor(scratch.from / scale) - rim),
      Math.min(width - 1, Math.ceil(scratch.to / scale) + rim),
    ]
    for (let y = 0; y < height; y++) {
      const row = y * width
      const [a, b] = [data[row + left]!, data[row + right]!]
      for (let x = left + 1; x < right; x++) data[row + x] = Math.round(a + ((b - a) * (x - left)) / (right - left))
    }
  }
}
