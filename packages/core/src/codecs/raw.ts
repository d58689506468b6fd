import { editedFrames, type PictureCodec } from './picture-codec.ts'

/** Samples of ITU-R BT.601 and BT.709 one after the other, two pixels in four bytes (Cb Y Cr Y). */
export const raw: PictureCodec = {
  ...editedFrames,
  key: 'rawvideo',
  name: 'Uncompressed 8 bit',
  says: 'Every sample as it is, 4:2:2; very large, for equipment that takes nothing else.',
  encoder: 'rawvideo',
  profiles: [],
  pixelFormats: ['uyvy422'],
  rates: ['set by profile'],
  keepsFields: true,
  keepsHighRange: false,
  sizeProblem: ({ width, height }) =>
    width % 2 === 0 ? null : `Uncompressed 8 bit holds pairs of pixels, and ${width}x${height} is odd.`,
  settings: () => ({ options: {} }),
}
