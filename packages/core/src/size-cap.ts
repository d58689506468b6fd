import type { RateChoice } from './codecs/picture-codec.ts'
import { isUncompressed, soundCodec } from './codecs/index.ts'
import { containerFacts } from './spec/container.ts'
import type { PictureSpec } from './spec/schema.ts'
import { describeBytes, describeDuration } from './format.ts'
import type { AudioFacts } from './facts.ts'
import { toNumber, type Rational } from './rational.ts'

/** A result under a cap fills at least this part of it, unless its picture needs no more. */
export const leastOfCap = 0.98
/** What is aimed at: the middle between the cap and the least. */
const aimOfCap = 0.99
/** Results that are made at most until one fits. */
const mostAttempts = 8
/** A rate raised by this much that adds next to nothing shows that the picture has all the bits it needs. */
const raised = 1.2
const addsNothing = 0.02
/** A rate is changed at most so much from one attempt to the next. */
const mostChange = 4
/** Two rates as near as this are told apart by halves. */
const nearRates = 1.06
/** Least rate that an encoder is asked for, in bits a second. */
const leastRate = 1000

/** What a result holds besides its picture's packets. */
export interface CapLoad {
  /** Length of the result. */
  seconds: number
  frames: number
  soundBytes: number
  soundPackets: number
}

/** Bytes under a cap that are left for the picture when the middle of what is allowed is aimed at; none when the rest alone is more. */
export function pictureBytesUnder(
  capBytes: number,
  { container }: Pick<PictureSpec, 'container'>,
  load: CapLoad,
): number {
  const packets = (load.frames + load.soundPackets) * containerFacts(container).bytesPerPacket
  return Math.max(0, Math.floor(capBytes * aimOfCap - load.soundBytes - packets))
}

/** What sound will take, as far as that is known before it is encoded: at its stated rate, or as half of what it is unpacked. */
export function expectedSound(
  { audio }: Pick<PictureSpec, 'audio'>,
  tracks: readonly Pick<AudioFacts, 'channels' | 'mixed'>[],
  seconds: number,
): Pick<CapLoad, 'soundBytes' | 'soundPackets'> {
  if (audio === null) return { soundBytes: 0, soundPackets: 0 }
  const codec = soundCodec(audio.codec)
  const bitsPerSample = codec.bitsPerSample ?? 16
  const bitsPerChannel =
    audio.bitsPerSecondPerChannel ?? audio.sampleRate * bitsPerSample * (isUncompressed(codec) ? 1 : 0.5)
  const channels = tracks.reduce((sum, track) => sum + Math.min(track.channels, track.mixed ? 2 : audio.maxChannels), 0)
  return {
    soundBytes: Math.ceil((bitsPerChannel * channels * seconds) / 8),
    soundPackets: Math.ceil((tracks.length * seconds * audio.sampleRate) / samplesOfPacket),
  }
}
/** Samples that coders of sound take at a time, most often. */
const samplesOfPacket = 1024

/**
 * The rate that a cap comes to before anything is encoded, for stretches of a result and for forecasts; other rate controls are what they are.
 * @throws TypeError for a quality target, whose value has to be tried
 */
export function plannedRate(
  spec: PictureSpec,
  { frameCount: frames, rate }: { frameCount: number; rate: Rational },
  tracks: readonly Pick<AudioFacts, 'channels' | 'mixed'>[],
): RateChoice {
  const { rateControl } = spec.video
  if (rateControl.kind === 'quality target')
    throw new TypeError('The value for a measured quality is found by trying it on the source.')
  if (rateControl.kind !== 'size cap') return rateControl
  const seconds = frames / toNumber(rate)
  const load = { seconds, frames, ...expectedSound(spec, tracks, seconds) }
  return averageOf(pictureBytesUnder(rateControl.bytes, spec, load), seconds)
}

/** A rate on average that makes so many bytes of picture. */
export function averageOf(bytes: number, seconds: number): RateChoice & { kind: 'average rate' } {
  const bitsPerSecond = Math.max(leastRate, Math.round((bytes * 8) / Math.max(seconds, 0.001)))
  return { kind: 'average rate', bitsPerSecond, peakBitsPerSecond: null, bufferBits: null }
}

/** Why a cap leaves too little for any picture beside its sound, as a sentence; null when it does not. */
export function capProblem(spec: PictureSpec, load: CapLoad): string | null {
  const { rateControl } = spec.video
  if (rateControl.kind !== 'size cap') return null
  const left = pictureBytesUnder(rateControl.bytes, spec, load)
  if (left * 8 > leastBitsPerFrame * load.frames) return null
  return `At most ${describeBytes(rateControl.bytes)} leaves no room for the picture: the sound of ${describeDuration(load.seconds)} takes ${describeBytes(load.soundBytes)} of it. Raise the cap, lower the sound's rate, or cut the item shorter.`
}

/** The same before anything is encoded: sound whose size is not known beforehand is not counted. */
export function plannedCapProblem(
  spec: PictureSpec,
  { frameCount: frames, rate }: { frameCount: number; rate: Rational },
  tracks: readonly Pick<AudioFacts, 'channels' | 'mixed'>[],
): string | null {
  const seconds = frames / toNumber(rate)
  const { audio } = spec
  const isSure = audio === null || audio.bitsPerSecondPerChannel !== null || isUncompressed(soundCodec(audio.codec))
  return capProblem(spec, { seconds, frames, ...expectedSound(spec, isSure ? tracks : [], seconds) })
}
/** What a frame takes that says no more than "as before", in bits, with some to spare. */
const leastBitsPerFrame = 160

/** A whole result that was made at a rate. */
export interface CapAttempt {
  bitsPerSecond: number
  /** Of the whole file. */
  bytes: number
}

export type CapStep =
  | { kind: 'keep'; attempt: CapAttempt }
  | { kind: 'try'; bitsPerSecond: number }
  /** Nothing fits. */
  | { kind: 'none' }

/**
 * What follows from the results made so far: one is kept, another rate is tried, or nothing fits. One that fills the cap to 98 % is kept at
 * once; one that fills less, only where more bits add nothing, no rate is left to try, or enough was tried. None over the cap is ever kept.
 * @param otherBytes of a result, which do not depend on the rate
 */
export function nextCapStep(capBytes: number, otherBytes: number, attempts: readonly CapAttempt[]): CapStep {
  if (attempts.length === 0) throw new RangeError('The first rate is not decided by attempts.')
  const best = largest(attempts.filter(attempt => attempt.bytes <= capBytes))
  if (best && (best.bytes >= capBytes * leastOfCap || needsNoMore(capBytes, attempts)))
    return { kind: 'keep', attempt: best }
  const bitsPerSecond = wholeRate(rateToTry(capBytes, otherBytes, attempts, best))
  const isNew = attempts.every(attempt => wholeRate(attempt.bitsPerSecond) !== bitsPerSecond)
  if (isNew && attempts.length < mostAttempts) return { kind: 'try', bitsPerSecond }
  return best ? { kind: 'keep', attempt: best } : { kind: 'none' }
}

/** Encoders count rates in whole kilobits a second. */
const wholeRate = (bitsPerSecond: number) => Math.max(leastRate, Math.round(bitsPerSecond / 1000) * 1000)

const largest = (attempts: readonly CapAttempt[]) =>
  attempts.reduce<CapAttempt | null>((most, attempt) => (most && most.bytes >= attempt.bytes ? most : attempt), null)

function rateToTry(
  capBytes: number,
  otherBytes: number,
  attempts: readonly CapAttempt[],
  best: CapAttempt | null,
): number {
  const above = attempts
    .filter(attempt => attempt.bytes > capBytes)
    .reduce<CapAttempt | null>((least, attempt) => (least && least.bytes <= attempt.bytes ? least : attempt), null)
  if (best && above) {
    // Between one that is too small and one that is too large, as if size grew evenly with the rate; near each other, where it grows in steps, in the middle.
    const isNear = above.bitsPerSecond < best.bitsPerSecond * nearRates
    const part = isNear ? 0.5 : (capBytes * aimOfCap - best.bytes) / (above.bytes - best.bytes)
    return best.bitsPerSecond + part * (above.bitsPerSecond - best.bitsPerSecond)
  }
  const last = attempts.at(-1)!
  const wanted = Math.max(1, capBytes * aimOfCap - otherBytes)
  const change = (wanted / Math.max(1, last.bytes - otherBytes)) ** (1 / elasticity(otherBytes, attempts))
  return last.bitsPerSecond * Math.min(mostChange, Math.max(1 / mostChange, change))
}

/** By how much the picture's size follows its rate, as the last two results show it; 1 is in proportion. */
function elasticity(otherBytes: number, attempts: readonly CapAttempt[]): number {
  const [before, last] = attempts.slice(-2)
  if (!before || !last || before.bitsPerSecond === last.bitsPerSecond) return 1
  const picture = ({ bytes }: CapAttempt) => Math.max(1, bytes - otherBytes)
  const seen = Math.log(picture(last) / picture(before)) / Math.log(last.bitsPerSecond / before.bitsPerSecond)
  return Math.min(1.5, Math.max(0.25, seen))
}

/** Whether a result at a much higher rate is hardly larger than one that fits. */
function needsNoMore(capBytes: number, attempts: readonly CapAttempt[]): boolean {
  return attempts.some(lower =>
    attempts.some(
      higher =>
        lower.bytes <= capBytes &&
        higher.bitsPerSecond >= lower.bitsPerSecond * raised &&
        Math.abs(higher.bytes / lower.bytes - 1) < addsNothing,
    ),
  )
}
