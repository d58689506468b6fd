import { equal, rational, type Rational } from '../rational.ts'
import { describeRate } from '../timing.ts'
import { levelRow, sides, type CodecLevels } from './levels.ts'
import { evenSides, rateSettings, type PictureCodec } from './picture-codec.ts'

/**
 * Main profile: luma samples of a frame and of a second, and bit rates (ITU-T H.262 tables 8-11 to 8-13). Main level is that of discs and of
 * standard television.
 */
export const mpeg2Levels: CodecLevels = {
  table: (
    [
      ['main', 720 * 576, 10_368_000, 15_000],
      ['high 1440', 1440 * 1152, 47_001_600, 60_000],
      ['high', 1920 * 1152, 62_668_800, 80_000],
    ] as const
  ).map(levelRow),
  unitsInFrame: ({ width, height }) => width * height,
  longestSides: ({ level }) => sides({ main: 720, 'high 1440': 1440 }[level] ?? 1920),
  statedAs: number => ({ 8: 'main', 6: 'high 1440', 4: 'high' })[number] ?? String(number),
}

/** The rates that MPEG-2 has codes for (ITU-T H.262, table 6-4), which are those of television and film. */
const televisionRates: readonly Rational[] = [
  rational(24_000, 1001),
  rational(24),
  rational(25),
  rational(30_000, 1001),
  rational(30),
  rational(50),
  rational(60_000, 1001),
  rational(60),
]

/** Why a frame rate has no code in MPEG-2, as a sentence; null when it has one. */
function mpeg2RateProblem(rate: Rational): string | null {
  return televisionRates.some(other => equal(rate, other))
    ? null
    : `MPEG-2 runs at ${televisionRates.map(describeRate).join(', ')} fps, not at ${describeRate(rate)}.`
}

export const mpeg2: PictureCodec = {
  key: 'mpeg2video',
  name: 'MPEG-2',
  says: 'For video discs and older television equipment.',
  encoder: 'mpeg2video',
  profiles: [
    { key: 'main', statedAs: ['main'], pixelFormats: ['yuv420p'], says: 'discs and broadcast' },
    { key: '4:2:2', statedAs: ['4:2:2'], pixelFormats: ['yuv422p'], says: 'for editing' },
  ],
  pixelFormats: [],
  rates: ['constant quality', 'average rate'],
  quality: { best: 1, worst: 20, usual: 3, step: 1 },
  efforts: [],
  everyFrameAlone: false,
  levels: mpeg2Levels,
  keepsFields: true,
  matrices: null,
  colourOf: null,
  keepsHighRange: true,
  centresChroma: false,
  remarks: [],
  rateProblem: mpeg2RateProblem,
  sizeProblem: evenSides('MPEG-2'),
  passes: null,
  settings: ({ rateControl }) => ({
    options: {},
    betweenFrames: 2,
    ...(rateControl.kind === 'constant quality' ? { quantiser: rateControl.value } : {}),
    ...rateSettings(rateControl),
  }),
}
