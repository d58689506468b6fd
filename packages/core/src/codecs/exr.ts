import { pictureFile, type PictureCodec } from './picture-codec.ts'

/** OpenEXR: red, green and blue in linear light. A file that states no chromaticities has those of BT.709, so they are brought to these. */
export const exr: PictureCodec = {
  ...pictureFile,
  key: 'exr',
  name: 'OpenEXR',
  says: 'Linear light in BT.709 primaries, for compositing.',
  encoder: 'exr',
  profiles: [
    {
      key: 'half',
      statedAs: [],
      pixelFormats: ['gbrpf32le'],
      decodesAs: 'gbrpf16le',
      says: 'half-float samples, the usual ones',
    },
    { key: 'float', statedAs: [], pixelFormats: ['gbrpf32le'], says: 'float samples; twice as large or more' },
  ],
  pixelFormats: [],
  rates: ['set by profile'],
  quality: null,
  keepsHighRange: true,
  efforts: [],
  colourOf: () => ({ range: 'full', primaries: 'bt709', transfer: 'linear', matrix: 'gbr' }),
  settings: ({ profile }) => ({
    options: { format: profile === 'float' ? 'float' : 'half', compression: 'zip16' },
  }),
}
