import { av1 } from './av1.ts'
import { avif } from './avif.ts'
import { dnxhr } from './dnxhr.ts'
import { dpx } from './dpx.ts'
import { exr } from './exr.ts'
import { ffv1 } from './ffv1.ts'
import { h264 } from './h264.ts'
import { hevc } from './hevc.ts'
import { jpeg } from './jpeg.ts'
import { jpeg2000 } from './jpeg2000.ts'
import { jpegxl } from './jpegxl.ts'
import { mpeg2 } from './mpeg2.ts'
import { mpeg4 } from './mpeg4.ts'
import type { PictureCodec } from './picture-codec.ts'
import { png } from './png.ts'
import { prores } from './prores.ts'
import { raw } from './raw.ts'
import { soundCodecs, type SoundCodec } from './sound-codecs.ts'
import { tiff } from './tiff.ts'
import { v210 } from './v210.ts'
import { vp9 } from './vp9.ts'
import { webp } from './webp.ts'

export * from './av1-units.ts'
export * from './hardware/index.ts'
export * from './levels.ts'
export { measuredEfforts, measuredFine, measuredOn } from './measured-settings.ts'
export * from './picture-codec.ts'
export * from './setting-words.ts'
export * from './sound-codecs.ts'

/** The picture codecs that results can have. A new one is a file, a line here, a line for each container that holds it, and its tests. */
export const pictureCodecs: readonly PictureCodec[] = [
  h264,
  hevc,
  av1,
  vp9,
  mpeg2,
  mpeg4,
  prores,
  dnxhr,
  ffv1,
  jpeg2000,
  v210,
  raw,
  png,
  tiff,
  exr,
  dpx,
  jpeg,
  jpegxl,
  webp,
  avif,
]

/** A picture codec by its key. @throws TypeError when there is none */
export function pictureCodec(key: string): PictureCodec {
  const found = pictureCodecs.find(codec => codec.key === key)
  if (!found) throw new TypeError(`There is no picture codec ${key}.`)
  return found
}

/** The library's name of what results in a codec hold. */
export const streamNameOf = ({ key, streamName }: Pick<PictureCodec, 'key' | 'streamName'>): string => streamName ?? key

/** Whether a stream states the profile that is wanted of a codec, in whatever spelling. */
export function sameProfile(found: string, codec: string, wanted: string): boolean {
  const plain = (name: string) => name.toLowerCase().replace(/[^a-z0-9]/g, '')
  const names = pictureCodec(codec).profiles.find(profile => profile.key === wanted)?.statedAs ?? []
  return [wanted, ...names].some(name => plain(name) === plain(found))
}

/** The place of a level in its codec's table, from the lowest on; null for none. One below the table is as good as its lowest. */
export function levelRank(codec: string, level: string | null): number | null {
  const table = pictureCodec(codec).levels?.table
  if (!table?.length || level === null) return null
  if (Number(level) < Number(table[0]!.level)) return 0
  const rank = table.findIndex(entry => entry.level === level)
  return rank < 0 ? null : rank
}

/** A sound codec by its key. @throws TypeError when there is none */
export function soundCodec(key: string): SoundCodec {
  const found = soundCodecs.find(codec => codec.key === key)
  if (!found) throw new TypeError(`There is no sound codec ${key}.`)
  return found
}
