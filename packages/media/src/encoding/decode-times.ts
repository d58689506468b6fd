import { AV_NOPTS_VALUE } from 'node-av/constants'

/** Frames by which a packet may have to be decoded before it is shown, at most, by any encoder here. */
const mostAhead = 128n

/**
 * When a packet is decoded, in frames: as its encoder says, where that makes sense. The encoder of HEVC leaves it to chance in clips of one or
 * two frames (it knows its delay from the third on), and a writer refuses packets that are to be shown before they are decoded.
 * @param last that of the packet before, null for the first
 */
export function decodeTime(pts: bigint, dts: bigint, last: bigint | null): bigint {
  if (dts === AV_NOPTS_VALUE || pts === AV_NOPTS_VALUE) return dts
  if (dts <= pts && pts - dts <= mostAhead) return dts
  return last !== null && pts <= last ? last + 1n : pts
}
