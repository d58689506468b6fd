import { av1Sizes } from './av1.ts'
import { avifFile } from './avif-file.ts'
import { asShown, pictureFile, type PictureCodec } from './picture-codec.ts'

/** AV1 Image File Format 1.1: one picture of AV1 in a file. The scale is that of AV1. */
export const avif: PictureCodec = {
  ...pictureFile,
  key: 'avif',
  streamName: 'av1',
  name: 'AVIF',
  says: 'The smallest stills that browsers show, in high dynamic range, too.',
  encoder: 'libsvtav1',
  profiles: [
    {
      key: '10 bit',
      statedAs: ['main'],
      pixelFormats: ['yuv420p10le'],
      says: 'slopes without steps; for high dynamic range',
    },
    { key: '8 bit', statedAs: ['main'], pixelFormats: ['yuv420p'], says: 'what the oldest readers of it know' },
  ],
  pixelFormats: [],
  rates: ['constant quality'],
  quality: { best: 5, worst: 63, usual: 24, step: 1 },
  efforts: [
    { value: '8', says: 'quick' },
    { value: '6', says: 'balanced' },
    { value: '4', says: 'thorough' },
  ],
  keepsHighRange: true,
  centresChroma: true,
  colourOf: source => ({
    ...asShown(source),
    range: 'full',
    matrix: source.primaries === 'bt2020' ? 'bt2020nc' : 'bt709',
  }),
  remarks: ['camera data', 'colour profile'],
  wrap: avifFile,
  cutsSidesTo: 2,
  sizeProblem: av1Sizes('AVIF'),
  settings: ({ effort, rateControl }) => ({
    options: {
      preset: effort ?? '6',
      ...(rateControl.kind === 'constant quality' ? { crf: String(rateControl.value) } : {}),
    },
  }),
}
