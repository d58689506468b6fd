/** Tag of the way a camera was held, in Exif 2.32, 4.6.4. */
const orientation = 0x0112
const entryBytes = 12

/**
 * Camera data (Exif) for a picture that was turned upright: its orientation is 1, and the small picture that shows it as it was is not pointed at any more.
 * @param exif from its TIFF header on, or from "Exif" and two noughts before it
 * @returns a copy from its TIFF header on; the same bytes where they are not what they should be
 */
export function uprightExif(exif: Uint8Array): Uint8Array {
  const isNamed = String.fromCharCode(...exif.subarray(0, 4)) === 'Exif'
  // A copy of its own: what a library hands out is its memory.
  const body = Uint8Array.from(exif.subarray(isNamed ? 6 : 0))
  const view = new DataView(body.buffer)
  if (body.length < 14) return body
  const isLittle = view.getUint16(0) === 0x4949
  if ((!isLittle && view.getUint16(0) !== 0x4d4d) || view.getUint16(2, isLittle) !== 42) return body
  const directory = view.getUint32(4, isLittle)
  if (directory + 2 > body.length) return body
  const entries = view.getUint16(directory, isLittle)
  const end = directory + 2 + entries * entryBytes
  if (end + 4 > body.length) return body
  for (let at = directory + 2; at < end; at += entryBytes)
    if (view.getUint16(at, isLittle) === orientation) view.setUint16(at + 8, 1, isLittle)
  view.setUint32(end, 0, isLittle)
  return body
}
