import type { FrameSize } from '../geometry.ts'
import { levelRow, levelRates, sides, type CodecLevel, type CodecLevels } from './levels.ts'
import { anyRate, evenSides, rateFactor, rateSettings, type PictureCodec } from './picture-codec.ts'

/**
 * MaxFS, MaxMBPS, MaxBR for the Main profile and MaxDpbMbs (ITU-T H.264 table A-1; the High profile may use 1.25 times the bit rate), in macroblocks.
 * Each side is limited to the square root of eight times the frame limit (A.3.1).
 */
export const h264Levels: CodecLevels = {
  table: (
    [
      ['3', 1620, 40_500, 10_000, 8100],
      ['3.1', 3600, 108_000, 14_000, 18_000],
      ['3.2', 5120, 216_000, 20_000, 20_480],
      ['4', 8192, 245_760, 20_000, 32_768],
      ['4.1', 8192, 245_760, 50_000, 32_768],
      ['4.2', 8704, 522_240, 50_000, 34_816],
      ['5', 22_080, 589_824, 135_000, 110_400],
      ['5.1', 36_864, 983_040, 240_000, 184_320],
      ['5.2', 36_864, 2_073_600, 240_000, 184_320],
    ] as const
  ).map(levelRow),
  unitsInFrame: ({ width, height }) => Math.ceil(width / 16) * Math.ceil(height / 16),
  longestSides: ({ unitsPerFrame }) => sides(Math.sqrt(8 * unitsPerFrame) * 16),
  // MaxCPB lasts 1.25 s at MaxBR (table A-1).
  bufferBits: ({ kilobitsPerSecond }) => kilobitsPerSecond * 1250,
  statedAs: number => (number / 10).toString(),
}

const tunes = { film: 'film', drawn: 'animation', grain: 'grain' } as const

/** Frames of a size that a level keeps to lean on (A.3.1: MaxDpbFrames). */
function mostReferences(level: CodecLevel | undefined, size: FrameSize): number {
  return level?.unitsKept ? Math.min(16, Math.floor(level.unitsKept / h264Levels.unitsInFrame(size))) : 16
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
    { value: 'ultrafast', says: 'the quickest' },
    { value: 'veryfast', says: 'quick' },
    { value: 'fast', says: 'less quick' },
    { value: 'medium', says: 'balanced' },
    { value: 'slow', says: 'slow' },
    { value: 'veryslow', says: 'the slowest' },
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
  fine: {
    betweenFrames: [0, 1, 2, 3, 5, 8],
    references: [1, 2, 4, 6, 8],
    suits: ['film', 'drawn', 'grain'],
  },
  settings({ profile, level, effort, rateControl, pass, fine = {} }, size) {
    const limits = h264Levels.table.find(entry => entry.level === level)
    return {
      options: {
        preset: effort ?? 'medium',
        ...rateFactor(rateControl),
        ...(profile ? { profile } : {}),
        ...(level ? { level } : {}),
        ...(pass ? { flags: `+pass${pass.number}`, passlogfile: pass.statistics } : {}),
        ...(fine.suits ? { tune: tunes[fine.suits] } : {}),
        ...(fine.references ? { refs: String(Math.min(fine.references, mostReferences(limits, size))) } : {}),
      },
      ...(fine.betweenFrames === undefined ? {} : { betweenFrames: fine.betweenFrames }),
      ...levelRates(h264Levels, { profile, level }),
      ...rateSettings(rateControl),
    }
  },
}
