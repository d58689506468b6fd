import { asShown, pictureFile, type PictureCodec } from './picture-codec.ts'

/** RFC 9649; its lossy pictures are those of VP8 (RFC 6386), in BT.601. Its own scale runs the other way, from 100 (best). */
export const webp: PictureCodec = {
  ...pictureFile,
  key: 'webp',
  name: 'WebP',
  says: 'Smaller than JPEG; for web pages.',
  encoder: 'libwebp',
  profiles: [],
  pixelFormats: ['yuv420p'],
  rates: ['constant quality'],
  quality: { best: 0, worst: 60, usual: 15, step: 1 },
  efforts: [
    { value: '2', says: 'quick' },
    { value: '4', says: 'balanced' },
    { value: '6', says: 'thorough' },
  ],
  centresChroma: true,
  colourOf: source => ({ ...asShown(source), range: 'limited', matrix: 'bt470bg' }),
  settings: ({ rateControl, effort }) => ({
    options: {
      lossless: '0',
      compression_level: effort ?? '4',
      ...(rateControl.kind === 'constant quality' ? { quality: String(100 - rateControl.value) } : {}),
    },
  }),
}
