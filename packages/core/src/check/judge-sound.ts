import { describeClock } from '../format.ts'
import { describeContainer } from '../spec/container.ts'
import type { SoundSpec } from '../spec/schema.ts'
import type { SoundTreatment } from '../treatment/index.ts'
import {
  type AddLine,
  countErrors,
  isLosslessSound,
  judgeSoundLikeness,
  judgeTrack,
  soundShape,
  wrongSoundShape,
} from './lines.ts'
import type { SoundCheckMeasurement } from './records.ts'

/** Ends of a coded track are rounded to whole packets; what is longer apart was lost. */
const soundTolerance = { lossless: 0.001, coded: 0.1 }
/** A file's stated length and that of its sound may differ by so many seconds before somebody should look. */
const statedTolerance = 0.5

/** Lines on a result of sound alone. */
export function judgeSound(
  add: AddLine,
  measured: SoundCheckMeasurement,
  spec: SoundSpec,
  treatment: SoundTreatment,
): void {
  add(
    'container',
    describeContainer(spec.container),
    measured.container,
    measured.container.toLowerCase() === describeContainer(spec.container).toLowerCase(),
    'The file is in another container than the spec asks for.',
  )
  add(
    'sound tracks',
    `${treatment.tracks.length}`,
    `${measured.audio.length}`,
    measured.audio.length === treatment.tracks.length,
    'A sound track was lost.',
  )
  add(
    'source decodes',
    'no errors',
    countErrors(measured.sourceDecodeErrors),
    measured.sourceDecodeErrors === 0,
    'The source itself is damaged; listen to the result where it is.',
    'look',
  )
  measured.audio.forEach((track, index) => {
    const of = measured.audio.length > 1 ? ` ${index + 1}` : ''
    const likeness = measured.likeness[index]
    if (!likeness) return
    const isLossless = isLosslessSound(spec.audio)
    const tolerance = isLossless ? soundTolerance.lossless : soundTolerance.coded
    add(
      `sound${of} length`,
      describeClock(likeness.treatedSeconds),
      describeClock(track.durationSeconds),
      likeness.treatedSeconds > 0 && Math.abs(track.durationSeconds - likeness.treatedSeconds) <= tolerance,
      'Sound was lost or added between the source and the result.',
    )
    add(
      `source${of} length`,
      describeClock(treatment.seconds),
      describeClock(likeness.treatedSeconds),
      Math.abs(likeness.treatedSeconds - treatment.seconds) <= statedTolerance,
      likeness.treatedSeconds < treatment.seconds
        ? 'The sound is shorter than the source says: it may be cut short or damaged, or end before the picture.'
        : 'The sound is longer than the source says, or than its picture.',
      'look',
    )
    judgeTrack(add, of, track, spec.audio)
    add(
      `sound${of} rate`,
      soundShape(likeness),
      soundShape(track),
      track.sampleRate === likeness.sampleRate && track.channels === likeness.channels,
      wrongSoundShape,
    )
    judgeSoundLikeness(add, of, likeness, { audio: spec.audio, container: spec.container })
  })
}
