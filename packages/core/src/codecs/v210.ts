import { editedFrames, type PictureCodec } from './picture-codec.ts'

export const v210: PictureCodec = {
  ...editedFrames,
  key: 'v210',
  name: 'Uncompressed 10 bit',
  says: 'Every sample as it is, 4:2:2; very large, for equipment that takes nothing else.',
  encoder: 'v210',
  profiles: [],
  pixelFormats: ['yuv422p10le'],
  rates: ['set by profile'],
  keepsFields: true,
  settings: () => ({ options: {} }),
}
