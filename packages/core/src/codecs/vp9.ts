import { anyRate, evenSides, type PictureCodec } from './picture-codec.ts'

export const vp9: PictureCodec = {
  key: 'vp9',
  name: 'VP9',
  says: 'Free of licence fees; browsers of the last ten years play it.',
  encoder: 'libvpx-vp9',
  profiles: [
    { key: 'profile 0', statedAs: ['profile0'], pixelFormats: ['yuv420p'], says: '8 bit' },
    { key: 'profile 2', statedAs: ['profile2'], pixelFormats: ['yuv420p10le'], says: '10 bit' },
  ],
  pixelFormats: [],
  rates: ['constant quality', 'quality target'],
  quality: { best: 10, worst: 60, usual: 32, step: 1 },
  efforts: [
    { value: '6', says: 'the least time' },
    { value: '4', says: 'quick' },
    { value: '2', says: 'balanced' },
    { value: '1', says: 'smaller files for about twice the time' },
  ],
  everyFrameAlone: false,
  levels: null,
  keepsFields: false,
  matrices: null,
  colourOf: null,
  keepsHighRange: true,
  remarks: [],
  rateProblem: anyRate,
  sizeProblem: evenSides('VP9'),
  passes: null,
  settings: ({ effort, rateControl }) => ({
    options: {
      deadline: 'good',
      'cpu-used': effort ?? '4',
      'row-mt': '1',
      ...(rateControl.kind === 'constant quality' ? { crf: String(rateControl.value), b: '0' } : {}),
    },
  }),
}
