import { asRgb, pictureFile, type PictureCodec } from './picture-codec.ts'

/** ISO/IEC 15948. */
export const png: PictureCodec = {
  ...pictureFile,
  key: 'png',
  name: 'PNG',
  says: 'Keeps every picture exactly; opens everywhere.',
  encoder: 'png',
  profiles: [
    { key: '8 bit', statedAs: [], pixelFormats: ['rgb24'], says: 'what screens show' },
    { key: '16 bit', statedAs: [], pixelFormats: ['rgb48be'], says: 'for grading and print; twice as large' },
  ],
  pixelFormats: [],
  rates: ['lossless'],
  quality: null,
  keepsHighRange: true,
  efforts: [
    { value: '1', says: 'quick' },
    { value: '6', says: 'balanced' },
    { value: '9', says: 'thorough' },
  ],
  colourOf: asRgb,
  remarks: ['dots per inch', 'camera data', 'colour profile'],
  settings: ({ effort, dotsPerInch }) => ({
    options: {
      compression_level: effort ?? '6',
      pred: 'mixed',
      ...(dotsPerInch ? { dpi: String(dotsPerInch) } : {}),
    },
  }),
}
