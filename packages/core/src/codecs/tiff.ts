import { asRgb, pictureFile, type PictureCodec } from './picture-codec.ts'

const [entryBytes, profileTag, undefinedKind] = [12, 34_675, 7]

/**
 * Puts a profile behind a file of one directory, and a directory that names it behind that (TIFF 6.0, section 2; ICC.1, annex B.4): entries stand in the
 * order of their tags. What is no such file is left as it is.
 */
function withProfile(file: Uint8Array, profile: Uint8Array): Uint8Array {
  const before = new DataView(file.buffer, file.byteOffset, file.byteLength)
  if (before.byteLength < 8 || before.getUint32(0) !== 0x49492a00) return file
  const directory = before.getUint32(4, true)
  const count = before.getUint16(directory, true)
  const even = (length: number) => length + (length % 2)
  const [profileAt, entriesLength] = [even(file.length), (count + 1) * entryBytes]
  const directoryAt = profileAt + even(profile.length)
  const result = new Uint8Array(directoryAt + 2 + entriesLength + 4)
  result.set(file)
  result.set(profile, profileAt)
  const view = new DataView(result.buffer)
  view.setUint32(4, directoryAt, true)
  view.setUint16(directoryAt, count + 1, true)
  const old = Array.from({ length: count }, (_, index) => directory + 2 + index * entryBytes)
  const lower = old.filter(at => before.getUint16(at, true) < profileTag)
  const higher = old.filter(at => before.getUint16(at, true) > profileTag)
  let at = directoryAt + 2
  const copy = (from: number) => {
    result.set(file.subarray(from, from + entryBytes), at)
    at += entryBytes
  }
  lower.forEach(copy)
  view.setUint16(at, profileTag, true)
  view.setUint16(at + 2, undefinedKind, true)
  view.setUint32(at + 4, profile.length, true)
  view.setUint32(at + 8, profileAt, true)
  at += entryBytes
  higher.forEach(copy)
  return result
}

/** TIFF 6.0. */
export const tiff: PictureCodec = {
  ...pictureFile,
  key: 'tiff',
  name: 'TIFF',
  says: 'Keeps every picture exactly; for print, archives and layout.',
  encoder: 'tiff',
  profiles: [
    { key: '8 bit', statedAs: [], pixelFormats: ['rgb24'], says: 'what screens show' },
    { key: '16 bit', statedAs: [], pixelFormats: ['rgb48le'], says: 'for grading and print; twice as large' },
  ],
  pixelFormats: [],
  rates: ['lossless'],
  quality: null,
  efforts: [
    { value: 'raw', says: 'uncompressed' },
    { value: 'lzw', says: 'LZW, which old programs open' },
    { value: 'deflate', says: 'balanced' },
  ],
  colourOf: asRgb,
  remarks: ['dots per inch', 'colour profile'],
  finish: (file, { profile }) => (profile === null ? file : withProfile(file, profile)),
  settings: ({ effort, dotsPerInch }) => ({
    options: { compression_algo: effort ?? 'deflate', ...(dotsPerInch ? { dpi: String(dotsPerInch) } : {}) },
  }),
}
