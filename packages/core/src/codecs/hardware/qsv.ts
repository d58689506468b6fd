import { rateSettings } from '../picture-codec.ts'
import { heldQuality, inTwoPlanes, likeEffort, optionOf, type HardwareFamily } from './family.ts'

/** Presets of its encoders, from the quickest to the slowest. */
const presets = ['veryfast', 'faster', 'fast', 'medium', 'slow', 'slower', 'veryslow']
/** Its scale of a held quality goes from 1 to 51 in every codec. */
const worst = 51

/** Intel's Quick Sync Video. */
export const qsv: HardwareFamily = {
  key: 'qsv',
  name: 'Quick Sync Video',
  encoders: { h264: 'h264_qsv', hevc: 'hevc_qsv', av1: 'av1_qsv' },
  uploadsTo: null,
  laidOutAs: inTwoPlanes,
  settings: (codec, { profile, level, effort, rateControl }) => ({
    options: {
      preset: likeEffort(presets, codec, effort),
      ...optionOf('global_quality', heldQuality(codec.key, rateControl, worst)),
      ...optionOf('profile', profile),
      // It counts levels in tenths in every codec.
      ...optionOf('level', level === null ? null : Math.round(Number(level) * 10)),
    },
    ...rateSettings(rateControl),
  }),
}
