import { containerFacts } from './spec/container.ts'
import type { PictureSpec } from './spec/schema.ts'
import type { AudioFacts, SourceFacts } from './facts.ts'
import type { PictureTreatment } from './treatment/treatment.ts'

/**
 * Whether a sound track of a result is the source's own, packet by packet: the spec wants that where it can be, the container holds its codec, rate and channels
 * meet the spec, and nothing is done to it or to its times.
 */
export function copiesSound(
  track: AudioFacts,
  { courses, joined }: Pick<SourceFacts, 'courses' | 'joined'>,
  { audio, container }: Pick<PictureSpec, 'audio' | 'container'>,
  { timeline, sound }: Pick<PictureTreatment, 'timeline' | 'sound'>,
): boolean {
  const holds = containerFacts(container)
  return (
    audio?.copied === 'where it fits' &&
    !holds.encodedOnly &&
    track.mixed === undefined &&
    (holds.sound.includes(track.codec) || holds.onlyCopied?.includes(track.codec) === true) &&
    track.sampleRate === audio.sampleRate &&
    track.channels <= audio.maxChannels &&
    timeline === undefined &&
    joined === undefined &&
    !(sound ?? []).some(step => step.kind !== 'keep-tracks') &&
    !courses?.some(course => course.stream === track.streamIndex)
  )
}
