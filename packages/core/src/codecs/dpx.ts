import type { FullColourDescription } from '../colour.ts'
import { asRgb, pictureFile, type PictureCodec } from './picture-codec.ts'

/** Codes of transfer characteristic and colorimetric specification (SMPTE ST 268-1, tables 5A and 5B), which stand in bytes 801 and 802. */
function transferCode({ transfer, primaries }: FullColourDescription): number {
  if (transfer === 'linear') return 2
  if (primaries === 'bt709') return transfer === 'bt709' ? 6 : 4
  if (primaries === 'bt470bg') return 7
  return primaries === 'smpte170m' ? 8 : 0
}

/** SMPTE ST 268-1. */
export const dpx: PictureCodec = {
  ...pictureFile,
  key: 'dpx',
  name: 'DPX',
  says: 'Uncompressed, for film scanning and grading.',
  encoder: 'dpx',
  profiles: [
    { key: '10 bit', statedAs: [], pixelFormats: ['gbrp10le'], says: 'the usual one' },
    { key: '12 bit', statedAs: [], pixelFormats: ['gbrp12le'], says: 'finer steps; half as large again' },
  ],
  pixelFormats: [],
  rates: ['lossless'],
  quality: null,
  efforts: [],
  colourOf: asRgb,
  finish: (file, { colour }) => {
    const code = transferCode(colour)
    file[801] = code
    file[802] = code
    return file
  },
  settings: () => ({ options: {} }),
}
