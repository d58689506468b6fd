import { rateSettings } from '../picture-codec.ts'
import { heldQuality, inTwoPlanes, levelNumber, optionOf, type HardwareFamily } from './family.ts'

/** Encoders behind Vulkan's extensions for video, which drivers of any maker may have. How much they try is the driver's matter. */
export const vulkan: HardwareFamily = {
  key: 'vulkan',
  name: 'Vulkan Video',
  encoders: { h264: 'h264_vulkan', hevc: 'hevc_vulkan', av1: 'av1_vulkan' },
  uploadsTo: 'vulkan',
  laidOutAs: inTwoPlanes,
  settings: ({ key }, { profile, level, rateControl }) => {
    const quality = heldQuality(key, rateControl)
    return {
      options: {
        usage: 'transcode',
        rc_mode: quality === null ? 'vbr' : 'cqp',
        ...optionOf('qp', quality),
        ...optionOf('profile', profile),
        ...optionOf('level', level === null ? null : levelNumber(key, level)),
      },
      ...rateSettings(rateControl),
    }
  },
}
