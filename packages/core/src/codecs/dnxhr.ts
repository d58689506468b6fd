import { anyRate, type PictureCodec } from './picture-codec.ts'

const names: Record<string, string> = {
  lb: 'dnxhr_lb',
  sq: 'dnxhr_sq',
  hq: 'dnxhr_hq',
  hqx: 'dnxhr_hqx',
  '444': 'dnxhr_444',
}

/** SMPTE ST 2019-1, its part that takes any frame size. It states BT.709 or BT.2020, and nothing else. */
export const dnxhr: PictureCodec = {
  key: 'dnxhd',
  name: 'DNxHR',
  says: 'Opens in editing programs and cuts at any frame.',
  encoder: 'dnxhd',
  profiles: [
    { key: 'lb', statedAs: ['dnxhrlb'], pixelFormats: ['yuv422p'], says: 'low bandwidth, for cutting' },
    { key: 'sq', statedAs: ['dnxhrsq'], pixelFormats: ['yuv422p'], says: 'the usual one, 8 bit' },
    { key: 'hq', statedAs: ['dnxhrhq'], pixelFormats: ['yuv422p'], says: 'high quality, 8 bit' },
    { key: 'hqx', statedAs: ['dnxhrhqx'], pixelFormats: ['yuv422p10le'], says: 'high quality, 10 bit' },
    { key: '444', statedAs: ['dnxhr444'], pixelFormats: ['yuv444p10le'], says: 'full colour, 10 bit' },
  ],
  pixelFormats: [],
  rates: ['set by profile'],
  quality: null,
  efforts: [],
  everyFrameAlone: true,
  levels: null,
  keepsFields: false,
  matrices: ['bt709', 'bt2020nc'],
  colourOf: null,
  keepsHighRange: true,
  centresChroma: false,
  remarks: [],
  rateProblem: anyRate,
  sizeProblem: ({ width, height }) =>
    width < 256 || height < 120 ? `DNxHR begins at 256x120; ${width}x${height} is smaller.` : null,
  passes: null,
  settings: ({ profile }) => ({ options: { profile: names[profile ?? 'sq'] ?? 'dnxhr_sq' } }),
}
