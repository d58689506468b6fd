import { asRgb, pictureFile, type PictureCodec } from './picture-codec.ts'

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
  remarks: ['dots per inch'],
  settings: ({ effort, dotsPerInch }) => ({
    options: { compression_algo: effort ?? 'deflate', ...(dotsPerInch ? { dpi: String(dotsPerInch) } : {}) },
  }),
}
