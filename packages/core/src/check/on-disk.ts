import { z } from 'zod'

/** What became of a stream's packets between its encoder, where what is in them was compared, and the file. */
export const OnDisk = z.object({
  /** What is counted: packets, or of samples as they are, which have none of their own, bytes. */
  parts: z.enum(['packets', 'bytes']),
  /** How many were compared, and how many the file has. */
  wanted: z.int().min(0),
  found: z.int().min(0),
  /** How many packets hold something else, or are shown at another time (of bytes 1, wherever they differ); when the first of them is shown, in seconds of the result. */
  different: z.int().min(0),
  firstAt: z.number().nullable(),
  /** Whether what a decoder is told before the first packet is the same. */
  sameHead: z.boolean(),
})
export type OnDisk = z.infer<typeof OnDisk>

/** A packet by a sum of its content, and when it is shown or heard, in seconds; null where nobody says. */
interface Entry {
  sum: string
  seconds: number | null
}

/** Containers round times to milliseconds, or to ticks of 90 kHz. */
const timeTolerance = 0.0011

/**
 * Holds the packets of a file against those that an encoder gave, both in the order of decoding. Times are counted from the first of all streams, since some
 * containers begin later than 0.
 * @param offset seconds by which the file's times are later
 */
export function comparePacketLists(
  made: readonly Entry[],
  onDisk: readonly Entry[],
  offset: number,
): Pick<OnDisk, 'wanted' | 'found' | 'different' | 'firstAt'> {
  let different = Math.max(0, made.length - onDisk.length)
  let firstAt = different > 0 ? (made[onDisk.length]!.seconds ?? null) : null
  for (let at = onDisk.length - 1; at >= 0; at--) {
    const [found, wanted] = [onDisk[at]!, made[at]]
    const isElsewhen =
      wanted !== undefined &&
      wanted.seconds !== null &&
      found.seconds !== null &&
      Math.abs(found.seconds - wanted.seconds - offset) > timeTolerance
    if (wanted && wanted.sum === found.sum && !isElsewhen) continue
    different++
    firstAt = wanted?.seconds ?? (found.seconds === null ? null : found.seconds - offset)
  }
  return { wanted: made.length, found: onDisk.length, different, firstAt }
}

/** Whether a stream's packets in a file are those that were compared. */
export const isAsCompared = ({ wanted, found, different, sameHead }: OnDisk): boolean =>
  wanted === found && different === 0 && sameHead
