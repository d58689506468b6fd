import { describeCodec } from '../codec-names.ts'
import type { SpecSound } from '../spec/schema.ts'
import { isUntouched, type CheckMeasurement, type Copy } from './records.ts'

/** Adds a line to a check. @param otherwise what it is where it is not a pass */
export type AddLine = (
  name: string,
  expected: string,
  found: string,
  ok: boolean,
  reason: string,
  otherwise?: 'look' | 'fail',
) => void

/** "no errors", "3 errors". */
export const countErrors = (count: number) =>
  count === 0 ? 'no errors' : `${count} ${count === 1 ? 'error' : 'errors'}`

/** Lines on how a sound track was made: whether it decodes and its codec. @param of what stands after "sound" in their names */
export function judgeTrack(
  add: AddLine,
  of: string,
  track: CheckMeasurement['audio'][number],
  audio: Pick<SpecSound, 'codec'>,
): void {
  // Errors of a track whose packets are all the source's are the source's.
  const hasItsFaults = isUntouched(track.copy)
  add(
    `sound${of} decodes`,
    'no errors',
    countErrors(track.decodeErrors),
    track.decodeErrors === 0,
    hasItsFaults
      ? 'The sound of the source is damaged, and was copied as it is.'
      : 'The sound cannot be decoded whole. Make it again.',
    hasItsFaults ? 'look' : 'fail',
  )
  add(
    `sound${of} codec`,
    describeCodec(audio.codec),
    describeCodec(track.codec),
    track.codec === audio.codec,
    'The sound is in another codec than the spec asks for.',
  )
}

export const wrongSoundShape = 'Sample rate or channels do not meet the spec.'
export const soundShape = ({ sampleRate, channels }: { sampleRate: number; channels: number }) =>
  `${sampleRate} Hz, ${channels} ch`

/** The line on a track that was to be copied: its packets beside the source's. */
export function addUntouched(add: AddLine, name: string, copy: Copy | undefined, what: 'picture' | 'sound'): void {
  add(
    name,
    `${copy?.sourcePackets ?? 'all'} packets of the source`,
    copy?.different ? `${copy.packets}, ${copy.different} of them others` : `${copy?.packets ?? 'unknown'}`,
    isUntouched(copy),
    `The ${what} was to be copied untouched and is not the same. Make it again.`,
  )
}
