import { asShown, pictureFile, type PictureCodec } from './picture-codec.ts'

/** Whether a file begins with the head of ITU-T T.871, which libraries write. */
function hasHead(file: Uint8Array): boolean {
  const view = new DataView(file.buffer, file.byteOffset, file.byteLength)
  return view.byteLength > 20 && view.getUint32(0) === 0xffd8ffe0 && view.getUint32(6) === 0x4a464946
}

/** Writes pixels to an inch into the head of a file (ITU-T T.871, 10.1: units 1, then both densities), where the file has that head. */
function stateDensity(file: Uint8Array, dotsPerInch: number): void {
  if (!hasHead(file)) return
  const view = new DataView(file.buffer, file.byteOffset, file.byteLength)
  view.setUint8(13, 1)
  view.setUint16(14, dotsPerInch)
  view.setUint16(16, dotsPerInch)
}

/** A segment holds so many bytes, its length included (ITU-T T.81, B.1.1.4). */
const mostInSegment = 65_535

/** Puts camera data into a segment of its own behind the head (Exif 2.32, 4.7.2); what is longer than a segment holds is left out. */
function withCameraData(file: Uint8Array, exif: Uint8Array): Uint8Array {
  const length = 2 + 6 + exif.length
  if (!hasHead(file) || length > mostInSegment) return file
  const headEnd = 4 + ((file[4]! << 8) | file[5]!)
  const name = [0xff, 0xe1, length >> 8, length & 0xff, 0x45, 0x78, 0x69, 0x66, 0, 0]
  const result = new Uint8Array(file.length + 2 + length)
  result.set(file.subarray(0, headEnd))
  result.set(name, headEnd)
  result.set(exif, headEnd + name.length)
  result.set(file.subarray(headEnd), headEnd + name.length + exif.length)
  return result
}

/** ITU-T T.81, in files of ITU-T T.871, whose colours are luma and chroma of BT.601 in full range. */
export const jpeg: PictureCodec = {
  ...pictureFile,
  key: 'mjpeg',
  name: 'JPEG',
  says: 'Small, and opens everywhere.',
  encoder: 'mjpeg',
  profiles: [
    { key: '4:2:0', statedAs: ['baseline'], pixelFormats: ['yuv420p'], says: 'colour at half the width and height' },
    {
      key: '4:4:4',
      statedAs: ['baseline'],
      pixelFormats: ['yuv444p'],
      says: 'colour of every pixel: for drawings and lettering',
    },
  ],
  pixelFormats: [],
  rates: ['constant quality'],
  quality: { best: 1, worst: 20, usual: 3, step: 1 },
  efforts: [],
  centresChroma: true,
  colourOf: source => ({ ...asShown(source), range: 'full', matrix: 'bt470bg' }),
  remarks: ['dots per inch', 'camera data', 'colour profile'],
  finish: (file, { dotsPerInch, exif }) => {
    if (dotsPerInch !== null) stateDensity(file, dotsPerInch)
    return exif === null ? file : withCameraData(file, exif)
  },
  settings: ({ rateControl }) => ({
    options: { huffman: 'optimal' },
    ...(rateControl.kind === 'constant quality' ? { quantiser: rateControl.value } : {}),
  }),
}
