import { levelRow, sides, type CodecLevels } from './levels.ts'
import { anyRate, evenSides, type PictureCodec } from './picture-codec.ts'

const longestSides: Record<string, number> = { '1': 512, '1.1': 768, '2': 960, '2.1': 1344, '3': 2048, '3.1': 2752 }
const longestOfHigher: Record<string, number> = { '4': 4160, '5': 8384, '6': 16_832 }

/** Luma picture size, luma sample rate and bit rate of the VP9 bitstream specification, annex A. Streams do not state their level. */
export const vp9Levels: CodecLevels = {
  table: (
    [
      ['1', 36_864, 829_440, 200],
      ['1.1', 73_728, 2_764_800, 800],
      ['2', 122_880, 4_608_000, 1800],
      ['2.1', 245_760, 9_216_000, 3600],
      ['3', 552_960, 20_736_000, 7200],
      ['3.1', 983_040, 36_864_000, 12_000],
      ['4', 2_228_224, 83_558_400, 18_000],
      ['4.1', 2_228_224, 160_432_128, 30_000],
      ['5', 8_912_896, 311_951_360, 60_000],
      ['5.1', 8_912_896, 588_251_136, 120_000],
      ['5.2', 8_912_896, 1_176_502_272, 180_000],
      ['6', 35_651_584, 1_176_502_272, 180_000],
      ['6.1', 35_651_584, 2_353_004_544, 240_000],
      ['6.2', 35_651_584, 4_706_009_088, 480_000],
    ] as const
  ).map(levelRow),
  unitsInFrame: ({ width, height }) => width * height,
  longestSides: ({ level }) => sides(longestSides[level] ?? longestOfHigher[level[0]!]!),
  statedAs: null,
}

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
    // Beyond 5 its encoder does the same, and 5 is no quicker.
    { value: '4', says: 'the quickest' },
    { value: '2', says: 'balanced' },
    { value: '1', says: 'slow' },
  ],
  everyFrameAlone: false,
  levels: vp9Levels,
  keepsFields: false,
  matrices: null,
  colourOf: null,
  keepsHighRange: true,
  centresChroma: false,
  remarks: [],
  rateProblem: anyRate,
  sizeProblem: evenSides('VP9'),
  fine: { suits: ['film'] },
  settings: ({ effort, rateControl, fine }) => ({
    options: {
      deadline: 'good',
      'cpu-used': effort ?? '4',
      'row-mt': '1',
      ...(fine?.suits ? { 'tune-content': 'film' } : {}),
      ...(rateControl.kind === 'constant quality' ? { crf: String(rateControl.value), b: '0' } : {}),
    },
  }),
}
