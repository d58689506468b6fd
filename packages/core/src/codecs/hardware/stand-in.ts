import { rateSettings } from '../picture-codec.ts'
import { heldQuality, likeEffort, optionOf, type HardwareFamily } from './family.ts'

/** Quick settings of the encoders that play those of a device, from the quickest to the slowest. */
const efforts: Record<string, readonly string[]> = {
  h264: ['ultrafast', 'superfast', 'veryfast'],
  hevc: ['ultrafast', 'superfast', 'veryfast'],
  av1: ['12', '11', '10'],
}
/** AV1's encoder here holds qualities on the scale of 63 steps. */
const steps = 63

/** The encoders that the stand-in GPU plays a device's with: those of the processor, at their quickest. */
export const standIn: HardwareFamily = {
  key: 'stand-in',
  name: 'stand-in',
  encoders: { h264: 'libx264', hevc: 'libx265', av1: 'libsvtav1' },
  uploadsTo: null,
  laidOutAs: { yuv420p: 'yuv420p', yuv420p10le: 'yuv420p10le' },
  settings: (codec, { profile, effort, rateControl }) => ({
    options: {
      preset: likeEffort(efforts[codec.key]!, codec, effort),
      ...optionOf('crf', heldQuality(codec.key, rateControl, steps)),
      ...(codec.key === 'av1' ? {} : optionOf('profile', profile)),
      ...(codec.key === 'hevc' ? { 'x265-params': 'log-level=none' } : {}),
    },
    ...rateSettings(rateControl),
  }),
}
