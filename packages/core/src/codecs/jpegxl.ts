import { asRgb, pictureFile, type PictureCodec } from './picture-codec.ts'

/** ISO/IEC 18181. Its scale is a distance as an eye sees it: at 1 a difference is just not noticed. */
export const jpegxl: PictureCodec = {
  ...pictureFile,
  key: 'jpegxl',
  name: 'JPEG XL',
  says: 'Smaller than PNG without loss, and than JPEG with; few programs open it yet.',
  encoder: 'libjxl',
  profiles: [
    { key: '8 bit', statedAs: [], pixelFormats: ['rgb24'], says: 'what screens show' },
    { key: '16 bit', statedAs: [], pixelFormats: ['rgb48le'], says: 'for grading and print' },
  ],
  pixelFormats: [],
  rates: ['lossless', 'constant quality'],
  quality: { best: 0.1, worst: 15, usual: 1, step: 0.1 },
  efforts: [
    { value: '3', says: 'quick' },
    { value: '5', says: 'balanced' },
    { value: '7', says: 'thorough' },
  ],
  colourOf: asRgb,
  settings: ({ rateControl, effort }) => ({
    options: {
      distance: rateControl.kind === 'constant quality' ? String(rateControl.value) : '0',
      effort: effort ?? '5',
    },
  }),
}
