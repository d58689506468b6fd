import { rateSettings } from '../picture-codec.ts'
import { heldQuality, inTwoPlanes, levelNumber, likeEffort, optionOf, type HardwareFamily } from './family.ts'

/** How much its encoders try, from the quickest to the slowest. */
const qualities = ['speed', 'balanced', 'quality']

/** AMD's Advanced Media Framework. */
export const amf: HardwareFamily = {
  key: 'amf',
  name: 'AMF',
  encoders: { h264: 'h264_amf', hevc: 'hevc_amf', av1: 'av1_amf' },
  uploadsTo: null,
  laidOutAs: inTwoPlanes,
  settings: (codec, { profile, level, effort, rateControl }) => {
    const { key } = codec
    const quality = heldQuality(key, rateControl)
    return {
      options: {
        usage: 'transcoding',
        quality: likeEffort(qualities, codec, effort),
        rc: quality === null ? 'vbr_peak' : 'cqp',
        ...optionOf('qp_i', quality),
        ...optionOf('qp_p', quality),
        // Only H.264 has frames between two that lean on both, with a quantiser of their own.
        ...(key === 'h264' ? optionOf('qp_b', quality) : {}),
        ...optionOf('profile', profile),
        ...optionOf('level', level === null ? null : levelNumber(key, level)),
      },
      ...rateSettings(rateControl),
    }
  },
}
