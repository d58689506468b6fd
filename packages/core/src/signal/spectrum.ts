import { transform } from './fourier.ts'
import type { Plane } from './plane.ts'

/** Lines measured across a picture. */
const lineCount = 96
/** Standard deviation of rounding to whole codes, 1/sqrt(12). */
const rounding = 0.29
/** How far above the floor detail has to stand, as a factor of power (6 dB). */
const aboveFloor = 4

export interface Detail {
  /** Part of the full resolution at which the spectrum falls into its floor of noise and rounding: 1 = detail up to the last frequency. */
  cutoff: number
  /** Fall of the spectrum's power over the last third before the cutoff, in dB. A picture that was enlarged or blurred falls steeply, one that merely drowns in noise gently. */
  fall: number
}

/**
 * Where the detail of a picture ends along its rows (or columns), from the mean power spectrum of 96 lines under a Hann window.
 * @param noise standard deviation of the picture's noise, in codes
 * @returns null for pictures too small (below 64 samples) or without any detail
 */
export function detailOf(plane: Plane, direction: 'rows' | 'columns', noise: number): Detail | null {
  const [length, breadth, along, across] =
    direction === 'rows' ? [plane.width, plane.height, 1, plane.stride] : [plane.height, plane.width, plane.stride, 1]
  const size = 2 ** Math.floor(Math.log2(Math.min(1024, length)))
  if (size < 64) return null
  const start = Math.floor((length - size) / 2)
  const power = new Float64Array(size / 2)
  const hann = Float64Array.from(
    { length: size },
    (_, index) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (index + 0.5)) / size),
  )
  const lines = Math.min(lineCount, breadth)
  for (let line = 0; line < lines; line++) {
    const at = Math.floor(((line + 0.5) * breadth) / lines) * across + start * along
    const real = new Float64Array(size)
    let mean = 0
    for (let index = 0; index < size; index++) mean += plane.data[at + index * along]!
    mean /= size
    for (let index = 0; index < size; index++) real[index] = (plane.data[at + index * along]! - mean) * hann[index]!
    const imaginary = new Float64Array(size)
    transform(real, imaginary)
    for (let index = 0; index < power.length; index++)
      power[index]! += (real[index]! ** 2 + imaginary[index]! ** 2) / lines
  }
  const floor = Math.max(noise, rounding) ** 2 * hann.reduce((sum, value) => sum + value ** 2, 0)
  const smooth = smoothed(power)
  let last = smooth.length - 1
  while (last > 2 && smooth[last]! < floor * aboveFloor) last--
  if (last <= 2) return null
  const before = smooth[Math.max(2, Math.round(last * 0.67))]!
  return { cutoff: (last + 1) / power.length, fall: 10 * Math.log10(before / smooth[last]!) }
}

/** Mean of each value with its neighbours within 2 % of the whole width. */
function smoothed(values: Float64Array): Float64Array {
  const reach = Math.max(1, Math.round(values.length * 0.02))
  return values.map((_, index) => {
    const part = values.subarray(Math.max(0, index - reach), Math.min(values.length, index + reach + 1))
    return part.reduce((sum, value) => sum + value, 0) / part.length
  })
}
