import { levelRow, type CodecLevels } from './levels.ts'
import { anyRate, evenSides, rateFactor, type PictureCodec } from './picture-codec.ts'

/** Longest sides by the whole number of a level (MaxHSize and MaxVSize). */
const longestSides: Record<string, { width: number; height: number }> = {
  '2.0': { width: 2048, height: 1152 },
  '2.1': { width: 2816, height: 1584 },
  '3.0': { width: 4352, height: 2448 },
  '3.1': { width: 5504, height: 3096 },
  '4': { width: 6144, height: 3456 },
  '5': { width: 8192, height: 4352 },
  '6': { width: 16_384, height: 8704 },
}

/** Main tier: MaxPicSize, MaxDisplayRate and MainMbps of the AV1 bitstream specification, annex A.3, in luma samples. */
export const av1Levels: CodecLevels = {
  table: (
    [
      ['2.0', 147_456, 4_423_680, 1500],
      ['2.1', 278_784, 8_363_520, 3000],
      ['3.0', 665_856, 19_975_680, 6000],
      ['3.1', 1_065_024, 31_950_720, 10_000],
      ['4.0', 2_359_296, 70_778_880, 12_000],
      ['4.1', 2_359_296, 141_557_760, 20_000],
      ['5.0', 8_912_896, 267_386_880, 30_000],
      ['5.1', 8_912_896, 534_773_760, 40_000],
      ['5.2', 8_912_896, 1_069_547_520, 60_000],
      ['6.0', 35_651_584, 1_069_547_520, 60_000],
      ['6.1', 35_651_584, 2_139_095_040, 100_000],
      ['6.2', 35_651_584, 4_278_190_080, 160_000],
    ] as const
  ).map(levelRow),
  unitsInFrame: ({ width, height }) => width * height,
  longestSides: ({ level }) => longestSides[level] ?? longestSides[level[0]!]!,
  // seq_level_idx: X.Y is 2 + (idx >> 2) and idx & 3.
  statedAs: number => `${2 + (number >> 2)}.${number & 3}`,
}

/**
 * The encoder never answers where a picture has 24 columns or fewer, or 24 rows or fewer and more than 64 columns (of all sizes tried, at five efforts); from 32
 * on it always did.
 */
const leastSide = 32

/** What the encoder of AV1 takes, in moving pictures and in stills. @param name what the picture is called */
export const av1Sizes =
  (name: string): PictureCodec['sizeProblem'] =>
  size =>
    Math.min(size.width, size.height) < leastSide
      ? `${name} needs at least ${leastSide}x${leastSide} pixels here, not ${size.width}x${size.height}.`
      : evenSides(name)(size)

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
    // Beyond 10 its encoder does the same.
    { value: '10', says: 'the quickest' },
    { value: '9', says: 'less quick' },
    { value: '8', says: 'balanced' },
    { value: '6', says: 'slow' },
    { value: '4', says: 'the slowest' },
  ],
  everyFrameAlone: false,
  levels: av1Levels,
  keepsFields: false,
  matrices: null,
  colourOf: null,
  keepsHighRange: true,
  centresChroma: false,
  remarks: [],
  rateProblem: anyRate,
  sizeProblem: av1Sizes('AV1'),
  settings: ({ effort, rateControl }) => ({
    options: { preset: effort ?? '8', ...rateFactor(rateControl) },
  }),
}
