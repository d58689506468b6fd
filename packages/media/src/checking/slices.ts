/** Bytes that the units of a stream state their lengths in, by where the head of a codec says so (ISO/IEC 14496-15, 5.3.3.1.2 and 8.3.3.1.2). */
const lengthsAt: Record<string, number> = { h264: 4, hevc: 21 }
/** Whether a unit holds a slice of a picture, by its first byte (ITU-T H.264 table 7-1, H.265 table 7-1). */
const isSlice: Record<string, (first: number) => boolean> = {
  h264: first => (first & 0x1f) >= 1 && (first & 0x1f) <= 5,
  hevc: first => ((first >> 1) & 0x3f) < 32,
}

/**
 * What of a packet is picture, in parts: of H.264 and HEVC the slices, however a container parts its units (by their lengths, or by start codes as ITU-T H.264
 * annex B has them); of other codecs all of it.
 * @param head what the container keeps for the stream
 */
export function slicesOf(codec: string, head: Uint8Array | null): (data: Buffer) => Buffer[] {
  const slice = isSlice[codec]
  if (!slice) return data => [data]
  const at = lengthsAt[codec]!
  const hasLengths = head !== null && head.length > at && head[0] === 1
  const units = hasLengths ? unitsByLength((head[at]! & 3) + 1) : unitsByStartCode
  return data => units(data).filter(unit => unit.length > 0 && slice(unit[0]!))
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
