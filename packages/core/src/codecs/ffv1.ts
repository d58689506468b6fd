import type { FrameSize } from '../geometry.ts'
import { editedFrames, type PictureCodec } from './picture-codec.ts'

/** Slices of a frame: more for larger ones, whose slices would hold more than the coder takes; the numbers are those that divide a frame evenly. */
function slices({ width, height }: FrameSize): string {
  const pixels = width * height
  // Odd sides fit few numbers of slices, which the coder finds itself.
  if (width % 2 !== 0 || height % 2 !== 0) return '0'
  return pixels <= 2_100_000 ? '4' : pixels <= 9_000_000 ? '16' : '64'
}

/** RFC 9043. */
export const ffv1: PictureCodec = {
  ...editedFrames,
  key: 'ffv1',
  name: 'FFV1',
  says: 'Keeps every picture exactly, with a checksum in each frame.',
  encoder: 'ffv1',
  profiles: [{ key: 'version 3', statedAs: [], pixelFormats: [], says: 'checksums in every slice' }],
  pixelFormats: [],
  rates: ['lossless'],
  keepsFields: true,
  settings: (_, size) => ({
    options: { level: '3', slicecrc: '1', slices: slices(size), coder: 'range_tab', context: '0' },
  }),
}
