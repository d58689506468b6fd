import { soundCodecs } from '../codecs/index.ts'
import { describeClock } from '../format.ts'
import { describeContainer } from '../spec/container.ts'
import type { SoundSpec } from '../spec/schema.ts'
import type { SoundTreatment } from '../treatment/index.ts'
import { type AddLine, countErrors, judgeTrack, soundShape, wrongSoundShape } from './lines.ts'
import type { SoundCheckMeasurement } from './records.ts'

/** Codecs that give back what they were given. */
const losslessSound = new Set(soundCodecs.filter(codec => codec.isLossless).map(codec => codec.key))
/** Ends of a coded track are rounded to whole packets; what is longer apart was lost. */
const soundTolerance = { lossless: 0.001, coded: 0.1 }
/** Difference below the sound, in dB, under which a person should listen; what the built-in codecs leave is well above on ordinary sound. */
const listenBelow = 6
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
    const isLossless = losslessSound.has(spec.audio.codec)
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
    if (isLossless)
      add(
        `sound${of} likeness`,
        'identical',
        likeness.identical ? 'every sample identical' : 'differs',
        likeness.identical,
        'A lossless result must be identical to its treated source.',
      )
    else if (likeness.identical || likeness.signalToNoise === null)
      add(
        `sound${of} likeness`,
        'close',
        likeness.identical ? 'every sample identical' : 'the source is silent',
        likeness.identical,
        'The source is silent and the result is not; listen to it.',
        'look',
      )
    else
      add(
        `sound${of} likeness`,
        `difference at least ${listenBelow} dB below`,
        `${likeness.signalToNoise.toFixed(1)} dB below`,
        likeness.signalToNoise >= listenBelow,
        'The result is far from its source; listen to it.',
        'look',
      )
  })
}
