import { levelRates } from '../levels.ts'
import { rateSettings } from '../picture-codec.ts'
import { heldQuality, levelNumber, likeEffort, optionOf, type HardwareFamily } from './family.ts'

/** Presets of its encoders, from the quickest to the slowest. */
const presets = ['p1', 'p2', 'p3', 'p4', 'p5', 'p6', 'p7']
/** Its scale of a held quality is that of H.264's quantiser, in AV1 as well. */
const worst = 51

/** NVIDIA's encoders. */
export const nvenc: HardwareFamily = {
  key: 'nvenc',
  name: 'NVENC',
  encoders: { h264: 'h264_nvenc', hevc: 'hevc_nvenc', av1: 'av1_nvenc' },
  uploadsTo: null,
  laidOutAs: { yuv420p: 'yuv420p', yuv420p10le: 'p010le' },
  settings: (codec, { profile, level, effort, rateControl }, place) => ({
    options: {
      preset: likeEffort(presets, codec, effort),
      tune: 'hq',
      rc: 'vbr',
      ...optionOf('cq', heldQuality(codec.key, rateControl, worst)),
      // The one profile of AV1 is none of its options.
      ...(codec.key === 'av1' ? {} : optionOf('profile', profile)),
      ...optionOf('level', level === null ? null : levelNumber(codec.key, level)),
      ...optionOf('gpu', place),
    },
    ...(codec.levels ? levelRates(codec.levels, { profile, level }) : {}),
    ...rateSettings(rateControl),
    // Left to itself it holds two million bits a second as well.
    ...(rateControl.kind === 'constant quality' ? { bitsPerSecond: 0 } : {}),
  }),
}
