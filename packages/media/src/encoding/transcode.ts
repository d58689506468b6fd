import {
  copiesSound,
  plannedChapters,
  plannedRate,
  toNumber,
  type AudioFacts,
  type PictureSpec,
  type RateChoice,
  type SourceFacts,
  type PictureTreatment,
} from '@hematine/core'
import { openBeside } from './beside-tracks.ts'
import { CopiedPicture } from './copied-picture.ts'
import { CopiedSound } from './copied-sound.ts'
import { EncodedPicture, type PictureTrack, type ProvedTrack } from './encoded-picture.ts'
import { EarlyFlush } from './early-flush.ts'
import { EncodedSound, soundRoles, type EncodedSoundPlan, type SoundOnItsWay } from './encoded-sound.ts'
import type { EncoderRate } from './encoder.ts'
import type { MediaInput } from '../ground/media-input.ts'
import type { WorkGate } from '../ground/gate.ts'
import { MediaError } from '../ground/libav.ts'
import { PacketCount, type PacketSink, type PacketWatch } from './output.ts'
import { createOutput } from './picture-files.ts'
import { remarksFor } from './picture-remarks.ts'
import { encodeUnderCap } from './under-cap.ts'
import type { NetworkDevice } from '../ground/network.ts'
import type { ProvedPicture } from '../proof/picture-proof.ts'
import type { ProvedSound } from '../proof/sound-proof.ts'
import { SubtitleTracks } from './subtitle-tracks.ts'
import { secondsOf } from '../sound/sound-treatment.ts'

/** A source, or a stretch of it, gave not one picture. */
export class NoPicture extends MediaError {}

/** What a job makes: a source, its treatment and its spec, into a temporary file. */
export interface TranscodePlan {
  input: MediaInput
  facts: SourceFacts
  treatment: PictureTreatment
  spec: PictureSpec
  outputPath: string
  /** What pictures in files of their own are called after; the source's name. */
  itemName?: string
  /** Where the spec's own does not say how its bits are spent: a quality that was found. */
  rate?: RateChoice
  /** A piece of the result, in its frames; the whole unless said. */
  stretch?: { firstFrame: number; frames: number }
  /** Where the picture's packets come from another place than an encoder: adds them to an output. */
  openPicture?: (rate: EncoderRate, output: PacketSink) => Promise<ProvedTrack>
  /** Likewise of a track of sound that is not copied, by its place among the result's. */
  openSound?: (plan: EncodedSoundPlan, place: number, output: PacketSink) => Promise<SoundOnItsWay>
  /** Whether the time of each step is to be told apart. */
  apart?: boolean
  /** Whether what is encoded is decoded again right away and held against what was treated; it is unless said. */
  isProved?: boolean
}

/** What an encode took. Decoding, steps and encoder overlap, so their seconds add to more than the clock's. */
export interface TranscodeResult {
  frames: number
  /** Seconds by the numbers of the treatment's steps. */
  stepSeconds: ReadonlyMap<number | 'decode' | 'other', number>
  /** Seconds in the picture's encoder. */
  encodeSeconds: number
  /** Seconds by the clock from the first frame on, and until it was there. */
  seconds: number
  untilFirstFrame: number
  /** Devices that learned steps ran on, by the network's name. */
  devices: Record<string, NetworkDevice>
  /** The graphics device that encoded; null where the processor did. */
  encodedBy: string | null
  /** What comparing showed; null for a picture that was copied, or where it was not asked for. */
  proved: Proved | null
}

/** What decoding all that was encoded, right behind the encoders, showed. */
export interface Proved {
  picture: ProvedPicture
  /** Tracks in the order of the result's; null for one that was copied. */
  sound: (ProvedSound | null)[]
  /** Decode errors of the source. */
  sourceDecodeErrors: number
}

export interface TranscodeProgress {
  /** A pass that only learns what the frames need comes before the encode where a size is to be kept. */
  stage: 'first pass' | 'encode'
  framesDone: number
  bytesWritten: number
}

/**
 * Runs a job's encode: whole picture and every sound track, interleaved, into `outputPath`; under a size cap in two passes and as often as it takes.
 * @throws MediaError; whatever `gate.turn` rejects with, when stopped. The unfinished file is the caller's to remove.
 */
export async function transcode(
  plan: TranscodePlan,
  gate: WorkGate,
  onProgress: (progress: TranscodeProgress) => void,
): Promise<TranscodeResult> {
  const { spec, treatment, facts, outputPath, itemName = 'picture' } = plan
  const { rateControl } = spec.video
  const remarks = await remarksFor(plan)
  const chapters = plan.stretch ? [] : plannedChapters(facts, spec, treatment.timeline)
  const beside = plan.stretch ? null : await openBeside(plan, plan.itemName ?? null)
  const make = (rate: EncoderRate) =>
    encode(
      plan,
      { ...rate, remarks },
      () =>
        createOutput({
          spec,
          outputPath,
          itemName,
          result: treatment.result,
          remarks,
          beside: { chapters, ...beside?.remarks },
        }),
      gate,
      done => onProgress({ stage: 'encode', ...done }),
    )
  try {
    if (rateControl.kind === 'size cap' && !plan.rate && !treatment.copied)
      return await encodeUnderCap(plan, rateControl.bytes, {
        learn: rate => learn(plan, rate, gate, done => onProgress({ stage: 'first pass', ...done })),
        make,
      })
    // Nothing is encoded of a picture that is copied.
    const rate: RateChoice = treatment.copied
      ? { kind: 'lossless' }
      : (plan.rate ?? plannedRate(spec, treatment.result, facts.audio))
    return await make({ rate })
  } finally {
    await beside?.close()
  }
}

/** What a first pass came to. */
export interface Learned {
  frames: number
  /** By the clock, from the first frame on. */
  seconds: number
  soundBytes: number
  soundPackets: number
}

/**
 * Goes through a source as the first of two passes: what its encoder learned is kept for the second, packets are counted and dropped.
 * @throws as `transcode` does
 */
export async function learn(
  plan: TranscodePlan,
  rate: EncoderRate,
  gate: WorkGate,
  onProgress: (progress: Omit<TranscodeProgress, 'stage'>) => void,
): Promise<Learned> {
  const count = new PacketCount()
  const { frames, seconds } = await encode({ ...plan, isProved: false }, rate, () => count, gate, onProgress)
  return { frames, seconds, soundBytes: count.soundBytes, soundPackets: count.soundPackets }
}

/** Treats and encodes once, into whatever takes the packets. */
async function encode(
  plan: TranscodePlan,
  rateOfPicture: EncoderRate,
  open: () => PacketSink,
  gate: WorkGate,
  onProgress: (progress: Omit<TranscodeProgress, 'stage'>) => void,
): Promise<TranscodeResult> {
  const { input, facts, treatment, spec } = plan
  const video = facts.video
  if (!video) throw new MediaError('The source has no picture.')
  const zeroSeconds = secondsOf(video.startTicks, video.timeBase)
  const { firstFrame, frames: most } = plan.stretch ?? { firstFrame: 0, frames: Number.POSITIVE_INFINITY }
  const rate = toNumber(treatment.result.rate)
  const isProved = plan.isProved !== false && !treatment.copied

  const opened = performance.now()
  const output = open()
  const tracks: SoundOnItsWay[] = []
  /** Of all tracks of the result, which are encoded. */
  const inOrder: (SoundOnItsWay | null)[] = []
  const copies: CopiedSound[] = []
  let subtitles: SubtitleTracks | null = null
  let picture: PictureTrack | null = null
  let encoded: ProvedTrack | null = null
  const flush = treatment.copied ? new EarlyFlush(plan.outputPath) : null
  try {
    const copied = treatment.copied ? await CopiedPicture.open(input, video, treatment, output) : null
    if (plan.openPicture) encoded = await plan.openPicture(rateOfPicture, output)
    else if (!copied) {
      const proof = !isProved ? null : plan.stretch ? 'stretch' : 'whole'
      const plain = {
        input,
        video,
        treatment,
        spec,
        rate: rateOfPicture,
        firstFrame,
        apart: plan.apart,
        proof,
      } as const
      encoded = await EncodedPicture.open(plain, output, gate)
    }
    picture = copied ?? encoded!
    for (const [index, track] of facts.audio.entries()) {
      const said = { ...track, roles: soundRoles(track, index) }
      if (!plan.stretch && copiesSound(track, facts, spec, treatment)) {
        if (copied) copied.addSound(track, said)
        else copies.push(await CopiedSound.open(input, track, zeroSeconds, output, said))
        inOrder.push(null)
        continue
      }
      const planned = soundPlan(plan, track, index, isProved)
      const opening = plan.openSound ? plan.openSound(planned, index, output) : EncodedSound.open(planned, output)
      tracks.push(await opening)
      inOrder.push(tracks.at(-1)!)
    }
    if (!plan.stretch) subtitles = await SubtitleTracks.open(plan, output)
    if (isProved && encoded) output.watch = watchOf(encoded, tracks)
    await output.begin()

    let frames = 0
    while (frames < most) {
      await gate.turn()
      if (!(await picture.next())) break
      frames++
      // Sound that is to end with the picture to the sample stays so far behind that none goes beyond the last frame, which nobody knows yet.
      const until = Math.max(0, frames - (treatment.evenSound ? framesBehind : 0))
      for (const track of tracks) await track.writeUntil(until / rate, output)
      for (const copy of copies) await copy.writeUntil(frames / rate, output)
      await subtitles?.writeUntil(frames / rate)
      flush?.note(output.bytesWritten)
      onProgress({ framesDone: frames, bytesWritten: output.bytesWritten })
    }
    if (frames === 0)
      throw new NoPicture('The source gave no picture at all: it is damaged or cut short right at its start.')
    await picture.finish()
    for (const track of tracks) {
      const endsWithPicture = plan.stretch || treatment.evenSound
      const end = endsWithPicture ? frames / rate : Number.POSITIVE_INFINITY
      await track.writeUntil(end, output, gate, treatment.evenSound === true)
      await track.finish(output)
    }
    for (const copy of copies) await copy.writeUntil(Number.POSITIVE_INFINITY, output, gate)
    await subtitles?.finish()
    const bytesWritten = output.bytesWritten
    const proved = isProved && encoded ? await provedOf(encoded, inOrder) : null
    await output.finish()
    onProgress({ framesDone: frames, bytesWritten })
    const { begun, stepSeconds, encodeSeconds, devices, encodedBy = null } = picture
    return {
      proved,
      frames,
      stepSeconds,
      encodeSeconds,
      seconds: (performance.now() - begun) / 1000,
      untilFirstFrame: (begun - opened) / 1000,
      devices,
      encodedBy,
    }
  } finally {
    await picture?.close()
    for (const track of tracks) await track.close()
    for (const copy of copies) await copy.close()
    await subtitles?.close()
    await flush?.end()
    await output.close()
  }
}

/** What is encoded of a track of sound, by its place among the result's. */
export function soundPlan(
  { input, facts, treatment, spec, stretch }: Omit<TranscodePlan, 'outputPath'>,
  track: AudioFacts,
  place: number,
  isProved: boolean,
): EncodedSoundPlan {
  const { startTicks, timeBase } = facts.video!
  return {
    input,
    track,
    spec,
    zeroSeconds: secondsOf(startTicks, timeBase),
    treated: {
      startSeconds: (stretch?.firstFrame ?? 0) / toNumber(treatment.result.rate),
      treatment,
      goesOn: treatment.evenSound === true,
    },
    said: { ...track, roles: soundRoles(track, place) },
    isProved,
  }
}

/** Hands what goes into a file to what decodes it again. */
function watchOf(picture: ProvedTrack, tracks: readonly SoundOnItsWay[]): PacketWatch {
  return async (packet, index) => {
    if (index === picture.stream) await picture.prove(packet)
    else await tracks.find(({ streamIndex }) => streamIndex === index)?.prove(packet)
  }
}

async function provedOf(picture: ProvedTrack, tracks: readonly (SoundOnItsWay | null)[]): Promise<Proved | null> {
  const proved = await picture.proved()
  if (!proved) return null
  const sound: Proved['sound'] = []
  for (const track of tracks) sound.push((await track?.proved()) ?? null)
  return { picture: proved, sound, sourceDecodeErrors: picture.sourceErrors }
}

/** Frames of a picture that are longer than one of sound, at the highest rate of pictures. */
const framesBehind = 2
