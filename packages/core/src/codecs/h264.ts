import { levelRow, sides, type CodecLevels } from './levels.ts'
import { anyRate, evenSides, rateFactor, rateSettings, type PictureCodec } from './picture-codec.ts'

/**
 * MaxFS, MaxMBPS and MaxBR for the Main profile (ITU-T H.264 table A-1; the High profile may use 1.25 times the bit rate), in macroblocks.
 * Each side is limited to the square root of eight times the frame limit (A.3.1).
 */
export const h264Levels: CodecLevels = {
  table: (
    [
      ['3', 1620, 40_500, 10_000],
      ['3.1', 3600, 108_000, 14_000],
      ['3.2', 5120, 216_000, 20_000],
      ['4', 8192, 245_760, 20_000],
      ['4.1', 8192, 245_760, 50_000],
      ['4.2', 8704, 522_240, 50_000],
      ['5', 22_080, 589_824, 135_000],
      ['5.1', 36_864, 983_040, 240_000],
      ['5.2', 36_864, 2_073_600, 240_000],
    ] as const
  ).map(levelRow),
  unitsInFrame: ({ width, height }) => Math.ceil(width / 16) * Math.ceil(height / 16),
  longestSides: ({ unitsPerFrame }) => sides(Math.sqrt(8 * unitsPerFrame) * 16),
  statedAs: number => (number / 10).toString(),
}

/** What quick efforts make of the profiles above: every player of those plays them. */
const plainer = ['baseline', 'constrainedbaseline']

export const h264: PictureCodec = {
  key: 'h264',
  name: 'H.264',
  says: 'Plays nearly everywhere.',
  encoder: 'libx264',
  profiles: [
    { key: 'main', statedAs: ['main', ...plainer], pixelFormats: ['yuv420p'], says: 'for older players' },
    {
      key: 'high',
      statedAs: ['high', 'main', ...plainer],
      pixelFormats: ['yuv420p'],
      says: 'what players of the last fifteen years take',
    },
    { key: 'high10', statedAs: ['high10'], pixelFormats: ['yuv420p10le'], says: '10 bit; few players take it' },
    { key: 'high422', statedAs: ['high4:2:2'], pixelFormats: ['yuv422p10le', 'yuv422p'], says: 'for editing' },
  ],
  pixelFormats: [],
  rates: ['constant quality', 'average rate', 'size cap', 'quality target'],
  quality: { best: 10, worst: 40, usual: 20, step: 0.5 },
  efforts: [
    { value: 'ultrafast', says: 'the least time, the largest files' },
    { value: 'veryfast', says: 'quick' },
    { value: 'fast', says: 'a little more time' },
    { value: 'medium', says: 'balanced' },
    { value: 'slow', says: 'smaller files for more time' },
    { value: 'veryslow', says: 'the smallest files, many times the time' },
  ],
  everyFrameAlone: false,
  levels: h264Levels,
  keepsFields: true,
  matrices: null,
  colourOf: null,
  keepsHighRange: true,
  centresChroma: false,
  remarks: [],
  rateProblem: anyRate,
  sizeProblem: evenSides('H.264'),
  passes: ({ number, statistics }) => ({ flags: `+pass${number}`, passlogfile: statistics }),
  settings({ profile, level, effort, rateControl }) {
    const limits = h264Levels.table.find(entry => entry.level === level)
    return {
      options: {
        preset: effort ?? 'medium',
        ...rateFactor(rateControl),
        ...(profile ? { profile } : {}),
        ...(level ? { level } : {}),
      },
      // The buffer of a level lasts 1.25 s at its bit rate (table A-1, MaxCPB against MaxBR for 4.1).
      ...(limits
        ? { peakBitsPerSecond: limits.kilobitsPerSecond * 1000, bufferBits: limits.kilobitsPerSecond * 1250 }
        : {}),
      ...rateSettings(rateControl),
    }
  },
}
