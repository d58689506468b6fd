import { av1Unit, av1Units, av1UnitType } from '@hematine/core'

/** What of a stream's packets is compared: a function of their bytes, made of the head that the file keeps for the stream. */
export type Plain = (head: Uint8Array | null) => (data: Buffer) => Buffer[]

/** Bytes that the units of a stream state their lengths in, by where the head of a codec says so (ISO/IEC 14496-15, 5.3.3.1.2 and 8.3.3.1.2). */
const lengthsAt: Record<string, number> = { h264: 4, hevc: 21 }
/** Whether a unit holds a slice of a picture, by its first byte (ITU-T H.264 table 7-1, H.265 table 7-1). */
const isSlice: Record<string, (first: number) => boolean> = {
  h264: first => (first & 0x1f) >= 1 && (first & 0x1f) <= 5,
  hevc: first => ((first >> 1) & 0x3f) < 32,
}

/** Whether a unit only parts pictures or fills room, by its first byte (ITU-T H.264 table 7-1, H.265 table 7-1): writers put such in and leave them out. */
const isBetween: Record<string, (first: number) => boolean> = {
  h264: first => [9, 12].includes(first & 0x1f),
  hevc: first => [35, 38].includes((first >> 1) & 0x3f),
}

/**
 * What of a packet is picture, in parts: of H.264 and HEVC the slices, however a container parts its units (by their lengths, or by start codes as ITU-T H.264
 * annex B has them); of other codecs all of it.
 * @param head what the container keeps for the stream
 */
export function slicesOf(codec: string, head: Uint8Array | null): (data: Buffer) => Buffer[] {
  const slice = isSlice[codec]
  if (!slice) return data => [data]
  const units = unitsIn(codec, head)
  return data => units(data).filter(unit => slice(unit[0]!))
}

/**
 * What of a packet stays the same in whatever container: of H.264, HEVC and AV1 all units but those between pictures, in which a decoder finds nothing; of other
 * codecs all of it. A packet that has no such units is compared as it is.
 * @param head what the container keeps for the stream
 */
export function contentOf(codec: string, head: Uint8Array | null): (data: Buffer) => Buffer[] {
  const between = isBetween[codec]
  const content =
    codec === 'av1'
      ? (data: Buffer) => av1Units(data).filter(unit => av1UnitType(unit) !== av1Unit.temporalDelimiter)
      : between && ((data: Buffer) => unitsIn(codec, head)(data).filter(unit => !between(unit[0]!)))
  return data => {
    const parts = content?.(data) ?? []
    return parts.length > 0 ? parts : [data]
  }
}

/** How the units of H.264 and HEVC are parted in a stream that has such a head. */
function unitsIn(codec: string, head: Uint8Array | null): (data: Buffer) => Buffer[] {
  const at = lengthsAt[codec]!
  const hasLengths = head !== null && head.length > at && head[0] === 1
  const units = hasLengths ? unitsByLength((head[at]! & 3) + 1) : unitsByStartCode
  return data => units(data).filter(unit => unit.length > 0)
}

function unitsByLength(bytes: number): (data: Buffer) => Buffer[] {
  return data => {
    const units: Buffer[] = []
    for (let at = 0; at + bytes <= data.length;) {
      const length = data.readUIntBE(at, bytes)
      units.push(data.subarray(at + bytes, at + bytes + length))
      at += bytes + length
    }
    return units
  }
}

const startCode = Buffer.from([0, 0, 1])

/** Noughts at a unit's end belong to the start code behind it. */
function unitsByStartCode(data: Buffer): Buffer[] {
  const units: Buffer[] = []
  for (let at = data.indexOf(startCode); at >= 0;) {
    const next = data.indexOf(startCode, at + startCode.length)
    let end = next < 0 ? data.length : next
    while (end > at + startCode.length && data[end - 1] === 0) end--
    units.push(data.subarray(at + startCode.length, end))
    at = next
  }
  return units
}

/** AAC that comes with a head of its own on each packet (ADTS, ISO/IEC 13818-7) is taken without. */
export const soundAlone: Plain = () => data => [withoutHead(data)]

function withoutHead(data: Buffer): Buffer {
  const hasHead = data.length > 7 && data[0] === 0xff && (data[1]! & 0xf6) === 0xf0
  return hasHead ? data.subarray((data[1]! & 1) === 1 ? 7 : 9) : data
}

/** Whether a unit holds parameters that decoding needs, by its first byte: sets of a sequence and of pictures (ITU-T H.264 table 7-1, H.265 table 7-1). */
const isParameters: Record<string, (first: number) => boolean> = {
  h264: first => [7, 8].includes(first & 0x1f),
  hevc: first => [32, 33, 34].includes((first >> 1) & 0x3f),
}

/**
 * What a decoder is told before the first packet, in parts, however a container keeps it: of H.264 and HEVC the sets of parameters (ISO/IEC 14496-15, 5.3.3.1.2
 * and 8.3.3.1.2, or start codes), of AV1 the head of the sequence (AV1 in ISO base media, 2.3.3), of other codecs all of it.
 */
export function parametersOf(codec: string, head: Uint8Array): Buffer[] {
  const bytes = Buffer.from(head)
  if (codec === 'av1')
    return av1Units(bytes[0] === 0x81 ? bytes.subarray(4) : bytes).filter(
      unit => av1UnitType(unit) === av1Unit.sequenceHeader,
    )
  const wanted = isParameters[codec]
  if (!wanted) return [bytes]
  const units = bytes[0] !== 1 ? unitsByStartCode(bytes) : codec === 'h264' ? setsOfAvc(bytes) : setsOfHevc(bytes)
  return units.filter(unit => unit.length > 0 && wanted(unit[0]!))
}

/** A list of units that each state their length in two bytes. @returns where it ends */
function takeSets(bytes: Buffer, from: number, count: number, into: Buffer[]): number {
  let at = from
  for (let number = 0; number < count && at + 2 <= bytes.length; number++) {
    const length = bytes.readUInt16BE(at)
    into.push(bytes.subarray(at + 2, at + 2 + length))
    at += 2 + length
  }
  return at
}

function setsOfAvc(bytes: Buffer): Buffer[] {
  const units: Buffer[] = []
  const at = takeSets(bytes, 6, (bytes[5] ?? 0) & 0x1f, units)
  takeSets(bytes, at + 1, bytes[at] ?? 0, units)
  return units
}

function setsOfHevc(bytes: Buffer): Buffer[] {
  const units: Buffer[] = []
  let at = 23
  for (let array = 0; array < (bytes[22] ?? 0) && at + 3 <= bytes.length; array++)
    at = takeSets(bytes, at + 3, bytes.readUInt16BE(at + 1), units)
  return units
}
