import { levelRow, levelRates, sides, type CodecLevels } from './levels.ts'
import { anyRate, evenSides, rateFactor, rateSettings, type PictureCodec } from './picture-codec.ts'

/**
 * Main tier: MaxLumaPs, MaxLumaSr and MaxBR (ITU-T H.265 tables A.8 and A.9), in luma samples. Each side is limited to the square root of
 * eight times the frame limit (A.4.1).
 */
export const hevcLevels: CodecLevels = {
  table: (
    [
      ['3', 552_960, 16_588_800, 6000],
      ['3.1', 983_040, 33_177_600, 10_000],
      ['4', 2_228_224, 66_846_720, 12_000],
      ['4.1', 2_228_224, 133_693_440, 20_000],
      ['5', 8_912_896, 267_386_880, 25_000],
      ['5.1', 8_912_896, 534_773_760, 40_000],
      ['5.2', 8_912_896, 1_069_547_520, 60_000],
    ] as const
  ).map(levelRow),
  unitsInFrame: ({ width, height }) => width * height,
  longestSides: ({ unitsPerFrame }) => sides(Math.sqrt(8 * unitsPerFrame)),
  // MaxCPB lasts a second at MaxBR (table A.8).
  bufferBits: ({ kilobitsPerSecond }) => kilobitsPerSecond * 1000,
  statedAs: number => (number / 30).toString(),
}

/** A value as the library's lists of settings want it, which are told apart by colons. */
const escaped = (value: string) => value.replace(/[\\':=]/g, sign => `\\${sign}`)

export const hevc: PictureCodec = {
  key: 'hevc',
  name: 'HEVC',
  says: 'Smaller than H.264 at the same quality, for more time; televisions and newer devices play it.',
  encoder: 'libx265',
  profiles: [
    { key: 'main', statedAs: ['main'], pixelFormats: ['yuv420p'], says: '8 bit' },
    {
      key: 'main10',
      statedAs: ['main10'],
      pixelFormats: ['yuv420p10le'],
      says: '10 bit: skies and fog stay free of steps',
    },
    {
      key: 'main422-10',
      statedAs: ['rext', 'main4:2:210'],
      pixelFormats: ['yuv422p10le'],
      says: 'for editing; few devices play it',
    },
  ],
  pixelFormats: [],
  rates: ['constant quality', 'size cap', 'quality target'],
  quality: { best: 10, worst: 40, usual: 24, step: 0.5 },
  efforts: [
    { value: 'ultrafast', says: 'the quickest' },
    { value: 'fast', says: 'quick' },
    { value: 'medium', says: 'balanced' },
    { value: 'slow', says: 'slow' },
  ],
  everyFrameAlone: false,
  levels: hevcLevels,
  keepsFields: false,
  matrices: null,
  colourOf: null,
  keepsHighRange: true,
  centresChroma: false,
  remarks: [],
  rateProblem: anyRate,
  sizeProblem: evenSides('HEVC'),
  // More frames to lean on than five would not fit into the largest pictures of a level (A.4.2: sps_max_dec_pic_buffering of 6).
  fine: {
    betweenFrames: [0, 1, 2, 3, 5, 8],
    references: [1, 2, 3, 4, 5],
    closedGroups: true,
    suits: ['drawn', 'grain'],
  },
  settings: ({ profile, level, effort, rateControl, pass, fine = {} }) => ({
    options: {
      preset: effort ?? 'medium',
      ...rateFactor(rateControl),
      ...(profile ? { profile } : {}),
      ...(fine.suits ? { tune: fine.suits === 'drawn' ? 'animation' : fine.suits } : {}),
      'x265-params': [
        'log-level=none',
        ...(pass ? [`pass=${pass.number}`, `stats=${escaped(pass.statistics)}`] : []),
        ...(fine.betweenFrames === undefined ? [] : [`bframes=${fine.betweenFrames}`]),
        ...(fine.references === undefined ? [] : [`ref=${fine.references}`]),
        ...(fine.closedGroups ? ['open-gop=0'] : []),
      ].join(':'),
    },
    ...levelRates(hevcLevels, { profile, level }),
    ...rateSettings(rateControl),
  }),
}
