import type { Plane } from './plane.ts'

/** Difference from the frame before that counts as motion, in codes. */
const motion = 12
/** Moving samples that must be there, as a part of those looked at. */
const leastPart = 0.002
/** Larger pictures than of about so many samples are looked at in every third line, in every fifth, and so on: in lines of both fields alike. */
const plenty = 230_000

/**
 * How much lines stand out from both their neighbours where a picture moves, against how much those two differ from each other: in a picture of one
 * moment lines lie between their neighbours (about 0.3 to 0.6), in one woven of two they stick out to one side (1 and more).
 * @returns 0 where too little moves, or there is nothing but flat colour
 */
export function combing(before: Plane, now: Plane): number {
  let [out, across, moving, looked] = [0, 0, 0, 0]
  const step = 1 + 2 * Math.floor(Math.sqrt((now.width * now.height) / plenty) / 2)
  for (let row = 1; row < now.height - 1; row += step) {
    const at = row * now.stride
    const old = row * before.stride
    for (let column = row & 1; column < now.width; column += 2) {
      looked++
      const value = now.data[at + column]!
      if (Math.abs(value - before.data[old + column]!) < motion) continue
      moving++
      const [up, down] = [now.data[at - now.stride + column]!, now.data[at + now.stride + column]!]
      out += Math.abs(value - (up + down) / 2)
      across += Math.abs(up - down)
    }
  }
  return moving < leastPart * looked || out < moving ? 0 : out / (across + moving)
}
