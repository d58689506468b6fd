import { rateSettings } from '../picture-codec.ts'
import { heldQuality, inTwoPlanes, levelNumber, optionOf, type HardwareFamily } from './family.ts'

/** Encoders behind the Video Acceleration API, which Intel's and AMD's open drivers have on Linux. How much they try is the driver's matter. */
export const vaapi: HardwareFamily = {
  key: 'vaapi',
  name: 'VA-API',
  encoders: { h264: 'h264_vaapi', hevc: 'hevc_vaapi', av1: 'av1_vaapi' },
  uploadsTo: 'vaapi',
  laidOutAs: inTwoPlanes,
  settings: ({ key }, { profile, level, rateControl }) => {
    const quality = heldQuality(key, rateControl)
    return {
      options: {
        rc_mode: quality === null ? 'VBR' : 'CQP',
        // The encoder of AV1 takes it from what the library sets for every encoder.
        ...optionOf(key === 'av1' ? 'global_quality' : 'qp', quality),
        ...optionOf('profile', profile),
        ...optionOf('level', level === null ? null : levelNumber(key, level)),
      },
      ...rateSettings(rateControl),
    }
  },
}
