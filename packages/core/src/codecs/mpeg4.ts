import type { Rational } from '../rational.ts'
import { describeRate } from '../timing.ts'
import { closable, closed, evenSides, rateSettings, type PictureCodec } from './picture-codec.ts'

/** Its times are counted in 16 bits (ISO/IEC 14496-2, vop_time_increment_resolution). */
const finestTimes = 65_535
const mpeg4Rate = (rate: Rational): string | null =>
  rate.num <= finestTimes ? null : `MPEG-4 part 2 cannot count a rate of ${describeRate(rate)} fps exactly.`

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
  colourOf: null,
  keepsHighRange: true,
  centresChroma: false,
  remarks: [],
  rateProblem: mpeg4Rate,
  sizeProblem: evenSides('MPEG-4 part 2'),
  fine: closable([0, 1, 2]),
  settings: ({ rateControl, fine }) => ({
    options: closed(fine),
    betweenFrames: fine?.betweenFrames ?? 0,
    ...(rateControl.kind === 'constant quality' ? { quantiser: rateControl.value } : {}),
    ...rateSettings(rateControl),
  }),
}
