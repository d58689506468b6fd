import type { ReadBytes } from './read-bytes.ts'

export interface PictureSize {
  width: number
  height: number
}

/**
 * Width and height that a picture file's head states, without decoding it: PNG, JPEG, TIFF, OpenEXR and DPX.
 * @returns null when the file is none of these, or ends before it says
 */
export async function pictureSize(read: ReadBytes): Promise<PictureSize | null> {
  const head = await read(0, 2048)
  try {
    return await sizeOf(head, read)
  } catch (error) {
    // A head that points outside the file.
    if (error instanceof RangeError) return null
    throw error
  }
}

async function sizeOf(head: Uint8Array, read: ReadBytes): Promise<PictureSize | null> {
  const view = viewOf(head)
  if (view.byteLength < 24) return null
  const mark = view.getUint32(0)
  // PNG (ISO/IEC 15948): the first chunk is the header.
  if (mark === 0x89504e47) return positive(view.getUint32(16), view.getUint32(20))
  // DPX (SMPTE ST 268): "SDPX", or "XPDS" when the bytes are swapped.
  if (mark === 0x53445058 || mark === 0x58504453)
    return positive(view.getUint32(772, mark === 0x58504453), view.getUint32(776, mark === 0x58504453))
  if (mark === 0x762f3101) return exrSize(view)
  if (mark === 0x49492a00 || mark === 0x4d4d002a) return tiffSize(view, read)
  return view.getUint16(0) === 0xffd8 ? jpegSize(read) : null
}

const viewOf = (data: Uint8Array) => new DataView(data.buffer, data.byteOffset, data.byteLength)
const positive = (width: number, height: number) => (width > 0 && height > 0 ? { width, height } : null)

/** OpenEXR: attributes of name, type and size; the data window has its corners, both inclusive. */
function exrSize(view: DataView): PictureSize | null {
  const text = (at: number) => {
    let end = at
    while (view.getUint8(end) !== 0) end++
    return { value: String.fromCharCode(...new Uint8Array(view.buffer, view.byteOffset + at, end - at)), next: end + 1 }
  }
  for (let at = 8; view.getUint8(at) !== 0;) {
    const name = text(at)
    const type = text(name.next)
    const bytes = view.getUint32(type.next, true)
    const value = type.next + 4
    if (name.value === 'dataWindow' && bytes === 16)
      return positive(
        view.getInt32(value + 8, true) - view.getInt32(value, true) + 1,
        view.getInt32(value + 12, true) - view.getInt32(value + 4, true) + 1,
      )
    at = value + bytes
  }
  return null
}

/** TIFF 6.0, section 2: a directory of twelve-byte entries, anywhere in the file; gives the value of a tag, 0 where it has none. */
async function tiffTags(head: DataView, read: ReadBytes): Promise<(tag: number) => number> {
  const little = head.getUint16(0) === 0x4949
  const place = head.getUint32(4, little)
  const count = viewOf(await read(place, 2)).getUint16(0, little)
  const entries = viewOf(await read(place + 2, count * 12))
  return tag => {
    for (let at = 0; at < count * 12; at += 12)
      if (entries.getUint16(at, little) === tag)
        return entries.getUint16(at + 2, little) === 3
          ? entries.getUint16(at + 8, little)
          : entries.getUint32(at + 8, little)
    return 0
  }
}

async function tiffSize(head: DataView, read: ReadBytes): Promise<PictureSize | null> {
  const value = await tiffTags(head, read)
  return positive(value(256), value(257))
}

/** Whether a file is a TIFF whose strips are JPEGs (tag 259: 6 of TIFF 6.0, section 22, or 7 of its later note). False for what is no TIFF. */
export async function isTiffOfJpeg(read: ReadBytes): Promise<boolean> {
  const head = viewOf(await read(0, 8))
  if (head.byteLength < 8 || ![0x49492a00, 0x4d4d002a].includes(head.getUint32(0))) return false
  try {
    return [6, 7].includes((await tiffTags(head, read))(259))
  } catch (error) {
    if (error instanceof RangeError) return false
    throw error
  }
}

/** JPEG (ITU-T T.81): segments up to the frame header, which has the lines and the samples of each. */
async function jpegSize(read: ReadBytes): Promise<PictureSize | null> {
  for (let at = 2, segments = 0; segments < 200; segments++) {
    const segment = viewOf(await read(at, 9))
    if (segment.getUint8(0) !== 0xff) return null
    const marker = segment.getUint8(1)
    // Start of frame, but for those that define tables.
    if (marker >= 0xc0 && marker <= 0xcf && ![0xc4, 0xc8, 0xcc].includes(marker))
      return positive(segment.getUint16(7), segment.getUint16(5))
    at += 2 + segment.getUint16(2)
  }
  return null
}
