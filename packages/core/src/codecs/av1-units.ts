/** Kinds of units of an AV1 stream (AV1 bitstream specification, 6.2.2) that are looked for. */
export const av1Unit = { sequenceHeader: 1, temporalDelimiter: 2 } as const

/** Kind of a unit by its head (AV1 bitstream specification, 5.3.2). */
export const av1UnitType = (unit: Uint8Array): number => (unit[0]! >> 3) & 15

/** Where a unit's head ends and what follows it ends (AV1 bitstream specification, 5.3.1 and 4.10.5). One without a length is all that is left. */
function extentOf(data: Uint8Array, at: number): { from: number; to: number } {
  const head = data[at]!
  let from = at + ((head & 4) === 0 ? 1 : 2)
  const isStated = (head & 2) !== 0
  let length = 0
  for (let part = 0; isStated && part < 8 && from < data.length; part++) {
    const byte = data[from++]!
    length += (byte & 0x7f) * 2 ** (7 * part)
    if (byte < 0x80) break
  }
  return { from, to: isStated ? Math.min(data.length, from + length) : data.length }
}

/** The units of an AV1 packet, each with its head, which states its length. */
export function av1Units<Bytes extends Uint8Array>(data: Bytes): Bytes[] {
  const units: Bytes[] = []
  for (let at = 0; at < data.length;) {
    const { to } = extentOf(data, at)
    units.push(data.subarray(at, to) as Bytes)
    at = to
  }
  return units
}

/** What the head of a sequence says of its pictures. Numbers of colours are those of ITU-T H.273. */
export interface Av1Sequence {
  profile: number
  /** Index of the level (annex A.3), and whether it is of the high tier. */
  level: number
  isHighTier: boolean
  bitDepth: 8 | 10 | 12
  isGrey: boolean
  /** Whether colour has half the width, and half the height. */
  halvesAcross: boolean
  halvesDown: boolean
  /** Where samples of colour lie; 0 where nobody says. */
  chromaPosition: number
  primaries: number
  transfer: number
  matrix: number
  isFullRange: boolean
}

/** Reads bits, the highest of a byte first. What lies behind the end is 0. */
class Bits {
  private at = 0

  constructor(private readonly bytes: Uint8Array) {}

  next(count: number): number {
    let value = 0
    for (; count > 0; count--, this.at++)
      value = value * 2 + (((this.bytes[this.at >> 3] ?? 0) >> (7 - (this.at & 7))) & 1)
    return value
  }

  get flag(): boolean {
    return this.next(1) === 1
  }

  /** A number whose length is stated by noughts before it (uvlc). */
  skipStated(): void {
    let noughts = 0
    while (noughts < 32 && !this.flag) noughts++
    this.next(noughts)
  }
}

/** Numbers of H.273 for what nobody says, for sRGB and for red, green and blue as they are. */
const [unsaid, bt709, srgb, identity] = [2, 1, 13, 0]

/**
 * Reads the head of a sequence (AV1 bitstream specification, 5.5).
 * @param unit with its own head
 */
export function readAv1Sequence(unit: Uint8Array): Av1Sequence {
  const bits = new Bits(unit.subarray(extentOf(unit, 0).from))
  const profile = bits.next(3)
  bits.next(1)
  const isReduced = bits.flag
  let [level, isHighTier] = [0, false]
  if (isReduced) level = bits.next(5)
  else [level, isHighTier] = readOperatingPoints(bits)
  const [widthBits, heightBits] = [bits.next(4) + 1, bits.next(4) + 1]
  bits.next(widthBits)
  bits.next(heightBits)
  if (!isReduced && bits.flag) bits.next(7)
  // Blocks of 128, filters and edges within a picture.
  bits.next(3)
  if (!isReduced) skipTools(bits)
  // Super resolution, two filters in the loop.
  bits.next(3)
  return { profile, level, isHighTier, ...readColours(bits, profile) }
}

/** Of the first operating point: its level and tier (5.5.1). */
function readOperatingPoints(bits: Bits): [level: number, isHighTier: boolean] {
  let delayBits: number | null = null
  if (bits.flag) {
    bits.next(32)
    bits.next(32)
    if (bits.flag) bits.skipStated()
    if (bits.flag) {
      delayBits = bits.next(5) + 1
      bits.next(32)
      bits.next(10)
    }
  }
  const statesDelay = bits.flag
  const points = bits.next(5) + 1
  let first: [number, boolean] | null = null
  for (let point = 0; point < points; point++) {
    bits.next(12)
    const level = bits.next(5)
    first ??= [level, level > 7 && bits.flag]
    if (point > 0 && level > 7) bits.next(1)
    if (delayBits !== null && bits.flag) bits.next(2 * delayBits + 1)
    if (statesDelay && bits.flag) bits.next(4)
  }
  return first!
}

/** Tools of pictures that lean on others (5.5.1), which are passed over. */
function skipTools(bits: Bits): void {
  bits.next(4)
  const hasOrder = bits.flag
  if (hasOrder) bits.next(2)
  const screenContent = bits.flag ? 2 : bits.next(1)
  if (screenContent > 0 && !bits.flag) bits.next(1)
  if (hasOrder) bits.next(3)
}

/** What samples mean (5.5.2). */
function readColours(bits: Bits, profile: number): Omit<Av1Sequence, 'profile' | 'level' | 'isHighTier'> {
  const isHigh = bits.flag
  const bitDepth = profile === 2 && isHigh ? (bits.flag ? 12 : 10) : isHigh ? 10 : 8
  const isGrey = profile !== 1 && bits.flag
  const [primaries, transfer, matrix] = bits.flag
    ? [bits.next(8), bits.next(8), bits.next(8)]
    : [unsaid, unsaid, unsaid]
  const said = { bitDepth, isGrey, primaries, transfer, matrix } as const
  if (isGrey) return { ...said, isFullRange: bits.flag, halvesAcross: true, halvesDown: true, chromaPosition: 0 }
  if (primaries === bt709 && transfer === srgb && matrix === identity)
    return { ...said, isFullRange: true, halvesAcross: false, halvesDown: false, chromaPosition: 0 }
  const isFullRange = bits.flag
  const [halvesAcross, halvesDown] =
    profile === 0
      ? [true, true]
      : profile === 1
        ? [false, false]
        : bitDepth === 12
          ? halvesOfTwelve(bits)
          : [true, false]
  return { ...said, isFullRange, halvesAcross, halvesDown, chromaPosition: halvesDown ? bits.next(2) : 0 }
}

function halvesOfTwelve(bits: Bits): [boolean, boolean] {
  const across = bits.flag
  return [across, across && bits.flag]
}
