import { editedFrames, type PictureCodec } from './picture-codec.ts'

/** ISO/IEC 15444-1, without loss by its reversible wavelet (5/3), or with by its other one (9/7). */
export const jpeg2000: PictureCodec = {
  ...editedFrames,
  key: 'jpeg2000',
  name: 'JPEG 2000',
  says: 'Every frame alone, exactly or smaller; for archives and cinema. Slow: seconds for a frame in high definition.',
  encoder: 'jpeg2000',
  profiles: [],
  pixelFormats: ['yuv422p10le', 'yuv422p', 'yuv420p', 'yuv444p10le', 'yuv444p'],
  rates: ['lossless', 'constant quality'],
  quality: { best: 1, worst: 31, usual: 3, step: 1 },
  keepsFields: false,
  settings: ({ rateControl }) => ({
    options: { pred: rateControl.kind === 'lossless' ? 'dwt53' : 'dwt97int' },
    quantiser: rateControl.kind === 'constant quality' ? rateControl.value : 0,
  }),
}
