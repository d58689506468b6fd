import { levelRow, sides, type CodecLevels } from './levels.ts'
import { closable, closed, evenSides, rateSettings, televisionRate, type PictureCodec } from './picture-codec.ts'

/** What a player keeps ahead at each level (table 8-14), in bits. */
const buffers = { main: 1_835_008, 'high 1440': 7_340_032, high: 9_781_248 }

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
  // Table 8-14: vbv_buffer_size. The 4:2:2 profile has rates of its own.
  bufferBits: ({ level }) => buffers[level as keyof typeof buffers],
  ratesAreOf: ['main'],
  statedAs: number => ({ 8: 'main', 6: 'high 1440', 4: 'high' })[number] ?? String(number),
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
  // Those that it has codes for (ITU-T H.262, table 6-4).
  rateProblem: televisionRate('MPEG-2'),
  sizeProblem: evenSides('MPEG-2'),
  fine: closable([0, 1, 2]),
  settings: ({ rateControl, fine }) => ({
    options: closed(fine),
    betweenFrames: fine?.betweenFrames ?? 2,
    ...(rateControl.kind === 'constant quality' ? { quantiser: rateControl.value } : {}),
    ...rateSettings(rateControl),
  }),
}
