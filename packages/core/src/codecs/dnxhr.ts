import type { FrameSize } from '../geometry.ts'
import { toNumber, type Rational } from '../rational.ts'
import { anyRate, editedFrames, televisionRate, type CodecProfile, type PictureCodec } from './picture-codec.ts'

const names: Record<string, string> = {
  lb: 'dnxhr_lb',
  sq: 'dnxhr_sq',
  hq: 'dnxhr_hq',
  hqx: 'dnxhr_hqx',
  '444': 'dnxhr_444',
}

/**
 * SMPTE ST 2019-1, its part of fixed frames: bytes of a frame by its size, and the rates, in Mbit/s, that its streams are named by at 23.976, 25, 29.97, 50 and
 * 59.94 fps.
 */
const fixed: Record<string, Record<string, { frameBytes: number; named: readonly number[] }>> = {
  'hd low': { '1920x1080': { frameBytes: 188_416, named: [36, 45, 75, 90] } },
  'hd standard': {
    '1920x1080': { frameBytes: 606_208, named: [115, 120, 145, 240, 290] },
    '1280x720': { frameBytes: 303_104, named: [60, 75, 120, 145] },
  },
  'hd high': {
    '1920x1080': { frameBytes: 917_504, named: [175, 185, 220, 365, 440] },
    '1280x720': { frameBytes: 458_752, named: [90, 110, 180, 220] },
  },
  'hd high 10 bit': {
    '1920x1080': { frameBytes: 917_504, named: [175, 185, 365, 440] },
    '1280x720': { frameBytes: 458_752, named: [90, 180, 220] },
  },
}

/** The rate that a stream of a fixed frame is named by: the one next to what its frames come to. */
function namedRate(profile: string, { width, height }: FrameSize, rate: Rational): number | null {
  const entry = fixed[profile]?.[`${width}x${height}`]
  if (!entry) return null
  const megabits = (entry.frameBytes * 8 * toNumber(rate)) / 1e6
  return entry.named.reduce((best, named) => (Math.abs(named - megabits) < Math.abs(best - megabits) ? named : best))
}

const fixedProfile = (key: string, pixelFormat: string, says: string): CodecProfile => ({
  key,
  statedAs: ['dnxhd'],
  pixelFormats: [pixelFormat],
  says,
})
const hdRate = televisionRate('DNxHD')

/** SMPTE ST 2019-1: of fixed frames in high definition (DNxHD), or of any frame size (DNxHR). It states BT.709 or BT.2020, and nothing else. */
export const dnxhr: PictureCodec = {
  ...editedFrames,
  key: 'dnxhd',
  name: 'DNxHD/HR',
  says: 'Opens in editing programs and cuts at any frame.',
  encoder: 'dnxhd',
  profiles: [
    { key: 'lb', statedAs: ['dnxhrlb'], pixelFormats: ['yuv422p'], says: 'any frame, low bandwidth, for cutting' },
    { key: 'sq', statedAs: ['dnxhrsq'], pixelFormats: ['yuv422p'], says: 'any frame, the usual one, 8 bit' },
    { key: 'hq', statedAs: ['dnxhrhq'], pixelFormats: ['yuv422p'], says: 'any frame, high quality, 8 bit' },
    { key: 'hqx', statedAs: ['dnxhrhqx'], pixelFormats: ['yuv422p10le'], says: 'any frame, high quality, 10 bit' },
    { key: '444', statedAs: ['dnxhr444'], pixelFormats: ['yuv444p10le'], says: 'any frame, full colour, 10 bit' },
    fixedProfile('hd low', 'yuv422p', '1080p alone, 38 Mbit/s at 25 fps, for cutting'),
    fixedProfile('hd standard', 'yuv422p', '1080p and 720p, 121 Mbit/s in 1080p at 25 fps'),
    fixedProfile('hd high', 'yuv422p', '1080p and 720p, 184 Mbit/s in 1080p at 25 fps'),
    fixedProfile('hd high 10 bit', 'yuv422p10le', '1080p and 720p, 184 Mbit/s in 1080p at 25 fps'),
  ],
  pixelFormats: [],
  rates: ['set by profile'],
  keepsFields: false,
  matrices: ['bt709', 'bt2020nc'],
  rateProblem: (rate, profile) => (profile !== null && profile in fixed ? hdRate(rate) : anyRate()),
  sizeProblem: ({ width, height }, profile) => {
    const sizes = Object.keys(fixed[profile ?? ''] ?? {})
    if (sizes.length > 0)
      return sizes.includes(`${width}x${height}`)
        ? null
        : `DNxHD in its profile ${profile} is ${sizes.join(' or ')}, not ${width}x${height}.`
    return width < 256 || height < 120 ? `DNxHR begins at 256x120; ${width}x${height} is smaller.` : null
  },
  settings: ({ profile }, size, rate) => {
    const named = profile === null ? null : namedRate(profile, size, rate)
    return named === null
      ? { options: { profile: names[profile ?? 'sq'] ?? 'dnxhr_sq' } }
      : { options: { profile: 'dnxhd' }, bitsPerSecond: named * 1_000_000 }
  },
}
