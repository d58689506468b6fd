import { anyRate, evenSides, rateFactor, type PictureCodec } from './picture-codec.ts'

export const av1: PictureCodec = {
  key: 'av1',
  name: 'AV1',
  says: 'The smallest files, free of licence fees; every current browser plays it.',
  encoder: 'libsvtav1',
  profiles: [{ key: 'main', statedAs: ['main'], pixelFormats: ['yuv420p10le', 'yuv420p'], says: '8 or 10 bit' }],
  pixelFormats: [],
  rates: ['constant quality', 'quality target'],
  quality: { best: 10, worst: 63, usual: 32, step: 1 },
  efforts: [
    { value: '12', says: 'the least time' },
    { value: '10', says: 'quick' },
    { value: '9', says: 'a little more time' },
    { value: '8', says: 'balanced' },
    { value: '6', says: 'smaller files for about three times the time' },
    { value: '4', says: 'the smallest files, many times the time' },
  ],
  everyFrameAlone: false,
  levels: null,
  keepsFields: false,
  matrices: null,
  colourOf: null,
  keepsHighRange: true,
  remarks: [],
  rateProblem: anyRate,
  sizeProblem: evenSides('AV1'),
  passes: null,
  settings: ({ effort, rateControl }) => ({
    options: { preset: effort ?? '8', ...rateFactor(rateControl) },
  }),
}
