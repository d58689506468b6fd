import type { CodecChoice, EncoderSettings, PictureCodec, RateChoice } from '../picture-codec.ts'

/** Codecs that graphics devices are asked to encode. */
export const hardwareCodecs = ['h264', 'hevc', 'av1'] as const
export type HardwareCodec = (typeof hardwareCodecs)[number]

/** Whether a codec is one of those. */
export function isHardwareCodec(key: string): key is HardwareCodec {
  return (hardwareCodecs as readonly string[]).includes(key)
}

/** Formats of samples that encoders of graphics devices are handed, and how theirs are called that hold the same: 4:2:0 in 8 and in 10 bit. */
export const hardwareFormats = ['yuv420p', 'yuv420p10le'] as const
export type HardwareFormat = (typeof hardwareFormats)[number]

/** Encoders of graphics devices that are reached in one way. */
export interface HardwareFamily {
  key: string
  /** As written in the trade. */
  name: string
  /** The library's name of the encoder of each codec; left out, there is none. */
  encoders: Partial<Record<HardwareCodec, string>>
  /** The kind of device, by the library's name, into whose memory each frame is put first; null where encoders take frames as they are. */
  uploadsTo: string | null
  /** How samples lie in the frames that are handed over. */
  laidOutAs: Record<HardwareFormat, string>
  /**
   * Plain words as settings of the encoder of a codec.
   * @param place which of the device's kind it is, as its driver counts; null for the first
   */
  settings(codec: PictureCodec, choice: CodecChoice, place: string | null): EncoderSettings
}

/** One plane of brightness, one of both colours in turn, as most devices want them. */
export const inTwoPlanes: HardwareFamily['laidOutAs'] = { yuv420p: 'nv12', yuv420p10le: 'p010le' }

/** How far an effort is on its codec's way from the quickest to the slowest, 0 to 1; in the middle where none is chosen. */
function partOfEffort({ efforts }: PictureCodec, effort: string | null): number {
  const place = efforts.findIndex(({ value }) => value === effort)
  return place < 0 || efforts.length < 2 ? 0.5 : place / (efforts.length - 1)
}

/** The setting of a list, from the quickest to the slowest, that is as far on its way as an effort is on its codec's. */
export function likeEffort(settings: readonly string[], codec: PictureCodec, effort: string | null): string {
  return settings[Math.round(partOfEffort(codec, effort) * (settings.length - 1))]!
}

/** Quantisers of H.264 and HEVC go up to this, and the index of AV1's to that; a spec says a quality in AV1 on a scale of so many steps. */
const [worstQuantiser, worstIndex, steps] = [51, 255, 63]

/**
 * A held quality on a device's scale. H.264 and HEVC are said on the scale of their quantisers as they are; AV1 in steps, which are carried over in proportion.
 * @param av1Most the highest value of the device's scale for AV1; the index of its quantiser unless said
 * @returns null where no quality is held
 */
export function heldQuality(key: string, rate: RateChoice, av1Most = worstIndex): number | null {
  if (rate.kind !== 'constant quality') return null
  const [most, value] = key === 'av1' ? [av1Most, (rate.value / steps) * av1Most] : [worstQuantiser, rate.value]
  return Math.min(most, Math.max(1, Math.round(value)))
}

/** Numbers by which streams state a level: ten times it in H.264, thirty times in HEVC, its place in AV1 (seq_level_idx). */
export function levelNumber(key: string, level: string): number {
  const [major, minor = '0'] = level.split('.')
  if (key === 'hevc') return Math.round(Number(level) * 30)
  return key === 'av1' ? (Number(major) - 2) * 4 + Number(minor) : Math.round(Number(level) * 10)
}

/** An option, where there is a value for it. */
export const optionOf = (name: string, value: string | number | null | undefined): Record<string, string> =>
  value === null || value === undefined ? {} : { [name]: String(value) }
