import { evenSides, rateSettings, type PictureCodec } from './picture-codec.ts'

export const mpeg4: PictureCodec = {
  key: 'mpeg4',
  name: 'MPEG-4 part 2',
  says: 'For players and programs of the 2000s that take nothing newer.',
  encoder: 'mpeg4',
  profiles: [],
  pixelFormats: ['yuv420p'],
  rates: ['constant quality', 'average rate'],
  quality: { best: 1, worst: 20, usual: 3, step: 1 },
  efforts: [],
  everyFrameAlone: false,
  levels: null,
  keepsFields: true,
  matrices: null,
  sizeProblem: evenSides('MPEG-4 part 2'),
  settings: ({ rateControl }) => ({
    options: {},
    ...(rateControl.kind === 'constant quality' ? { quantiser: rateControl.value } : {}),
    ...rateSettings(rateControl),
  }),
}
