import { describeCodec } from '../codec-names.ts'
import { soundCodecs } from '../codecs/index.ts'
import { describeClock } from '../format.ts'
import { containerFacts, type Container } from '../spec/container.ts'
import type { SpecSound } from '../spec/schema.ts'
import { isAsCompared, type OnDisk } from './on-disk.ts'
import { isUntouched, type CheckMeasurement, type Copy, type SoundLikeness } from './records.ts'

/** Codecs that give back what they were given. */
const losslessSound = new Set(soundCodecs.filter(codec => codec.isLossless).map(codec => codec.key))

/** Difference below the sound, in dB, under which a person should listen; what the built-in codecs leave is well above on ordinary sound. */
const listenBelow = 6
/** AC-3 gives back the last 256 samples only with a frame that follows (ATSC A/52, 7.9.4), in seconds at 32 kHz; other coders lose nothing but rounding. */
const mostLost = 0.008
/** A container that counts packets has no place for what a coder begins with, and MP3's first frame leans on that: a frame of it at 32 kHz, the longest. */
const firstPacketSeconds = 0.036
/** What coders make of silence lies below this, in dBFS: nobody hears it. */
const unheard = -80
/** Sound that comes out so much later or earlier than it went in was moved, in seconds; coders of sound move none. */
const movedBy = 0.005

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

/** Whether a codec gives back the very samples that it was given. */
export const isLosslessSound = ({ codec }: Pick<SpecSound, 'codec'>): boolean => losslessSound.has(codec)

/** The line on how like a track is to the sound that it was made of. */
export function judgeSoundLikeness(
  add: AddLine,
  of: string,
  { identical, signalToNoise, late, lostSeconds = 0, residue }: SoundLikeness,
  { audio, container }: { audio: Pick<SpecSound, 'codec'>; container: Container },
): void {
  const name = `sound${of} likeness`
  const isLossless = isLosslessSound(audio)
  const mayLose = containerFacts(container).countsPackets ? firstPacketSeconds : mostLost
  if (typeof late === 'number' && Math.abs(late) > movedBy) {
    const moved = `${Math.abs(late * 1000).toFixed(0)} ms ${late > 0 ? 'late' : 'early'}`
    add(name, 'in step', moved, false, `The sound came out of its encoder ${moved}. Make it again.`)
  } else if (lostSeconds > mayLose) {
    const lost = `${lostSeconds.toFixed(3)} s lost`
    add(name, 'all of it', lost, false, `${lostSeconds.toFixed(3)} s of the sound never came out of its encoder.`)
  } else if (isLossless)
    add(
      name,
      'identical',
      identical ? 'every sample identical' : 'differs',
      identical,
      'A lossless result must be identical to its treated source.',
    )
  else if (!identical && signalToNoise === null && residue !== undefined)
    add(
      name,
      `silent, to ${unheard} dBFS`,
      `${residue.toFixed(0)} dBFS`,
      residue <= unheard,
      'The source is silent and the result is not; listen to it.',
      'look',
    )
  else if (identical || signalToNoise === null)
    add(
      name,
      'close',
      identical ? 'every sample identical' : lostSeconds > 0 ? 'identical but for silence' : 'the source is silent',
      // What was lost, within its limit, makes noise unless it is silent.
      identical || lostSeconds > 0,
      'The source is silent and the result is not; listen to it.',
      'look',
    )
  else
    add(
      name,
      `difference at least ${listenBelow} dB below`,
      `${signalToNoise.toFixed(1)} dB below`,
      signalToNoise >= listenBelow,
      'The result is far from its source; listen to it.',
      'look',
    )
}

/** The line on whether a file holds what was compared on its way into it. */
export function addOnDisk(add: AddLine, name: string, onDisk: OnDisk | undefined, what: 'picture' | 'sound'): void {
  if (!onDisk) return
  const { parts, wanted, found, different, firstAt, sameHead } = onDisk
  const at = firstAt === null ? '' : `, the first at ${describeClock(Math.max(0, firstAt))}`
  const those = parts === 'bytes' ? 'not the same' : `${different} differ${at}`
  const fault = sameHead ? those : 'with another head'
  add(
    name,
    `${wanted} ${wanted === 1 ? parts.slice(0, -1) : parts} as compared`,
    isAsCompared(onDisk) ? `${found}, all the same` : `${found}, ${fault}`,
    isAsCompared(onDisk),
    `The ${what} on the disk is not what was encoded and compared: ${found} of ${wanted} ${parts} are there, ${fault}. Make it again, and look at the disk.`,
  )
}
