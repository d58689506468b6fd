import { rm } from 'node:fs/promises'
import path from 'node:path'
import { performance } from 'node:perf_hooks'
import {
  copiesSound,
  sampleStretches,
  type AudioFacts,
  type PictureSpec,
  type RateChoice,
  type SampleMeasurement,
  type SampleWindow,
  type SourceFacts,
  type PictureTreatment,
} from '@hematine/core'
import { Frame, type Packet } from 'node-av/lib'
import { sizeOfTrack } from '../encoding/copied-sound.ts'
import { Encoder, type EncoderRate } from '../encoding/encoder.ts'
import { removeStatistics } from '../encoding/under-cap.ts'
import { rateOfStretches } from '../delivering/find-quality.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { MediaError } from '../ground/libav.ts'
import { encodeStretch } from './stretch.ts'
import { TreatedPicture } from '../treating/picture-treatment.ts'
import { timeProof } from '../checking/prove.ts'
import { SoundProof } from '../proof/sound-proof.ts'
import { BoundedQueue } from '../ground/queue.ts'
import { deliveredRate, secondsOf, TreatedSound } from '../sound/sound-treatment.ts'
import type { WorkGate } from '../ground/gate.ts'
import { produceFrames } from '../encoding/encoded-picture.ts'
import { learn, NoPicture } from '../encoding/transcode.ts'
import { copiedWindow } from './copied-window.ts'

export interface SamplePlan {
  input: MediaInput
  facts: SourceFacts
  treatment: PictureTreatment
  spec: PictureSpec
  /** Directory for the stretches while they are measured; nothing is left in it. */
  scratchDirectory: string
  /** Words for the machine, shown with the forecast. */
  machine: string
}

/** Stretches measured, and the length of each. */
const windowCount = 5
const windowSeconds = 1.2
/** After this much time no further stretch is begun, unless said otherwise: a forecast is wanted soon. */
const usualBudgetSeconds = 30
/** Of slow work at least so many stretches fit into that time, each with at least so many frames: learned enlargement of large frames takes seconds for each. */
const leastStretches = 3
const leastFrames = 12
const soundSeconds = 3

/**
 * Encodes and checks short stretches spread over a source, with its very treatment and spec, and measures time and size.
 * @param budgetSeconds after so much time no further stretch is begun, and those that are slow are cut short for it
 * @throws MediaError when the source cannot be treated; whatever `gate.turn` rejects with, when stopped
 */
export async function measureSample(
  plan: SamplePlan,
  gate: WorkGate,
  onProgress: (part: number) => void,
  budgetSeconds = usualBudgetSeconds,
): Promise<SampleMeasurement> {
  const begin = performance.now()
  const { treatment } = plan
  const windows: SampleWindow[] = []
  let [openSeconds, onceSeconds] = [0, 0]
  if (treatment.copied) {
    const copied = await copiedWindow(plan, gate, part => onProgress(part / 2))
    const sound = await measureSound(plan, gate)
    onProgress(1)
    return {
      windows: [copied.window],
      copiedFrames: copied.copiedFrames,
      ...sound,
      onceSeconds: 0,
      startSeconds: begin / 1000 + copied.openSeconds,
      machine: plan.machine,
      tookSeconds: (performance.now() - begin) / 1000,
    }
  }
  const stretches = sampleStretches(treatment.result, windowSeconds, windowCount)
  const rate = await rateOfStretches(
    { ...plan, scratchDirectory: path.join(plan.scratchDirectory, `search-${process.pid}`) },
    gate,
  )
  const windowsBegin = performance.now()
  const secondsEach = budgetSeconds / Math.min(leastStretches, stretches.length)
  const isSearched = plan.spec.video.rateControl.kind === 'quality target'
  for (const [index, stretch] of stretches.entries()) {
    const measured = await measureWindow(plan, { ...stretch, seconds: secondsEach }, rate, gate)
    if (measured) {
      windows.push(measured.window)
      if (windows.length === 1) [openSeconds, onceSeconds] = [measured.openSeconds, measured.onceSeconds]
    }
    onProgress((index + 1) / (stretches.length + 1))
    if ((performance.now() - windowsBegin) / 1000 > budgetSeconds) break
  }
  if (windows.length === 0)
    throw new MediaError('No stretch of the source could be decoded, so its time and size cannot be forecast.')
  const sound = await measureSound(plan, gate)
  onProgress(1)
  return {
    windows,
    ...sound,
    ...(isSearched ? { searchSeconds: (windowsBegin - begin) / 1000 } : {}),
    onceSeconds,
    // Time since this process began, up to the first work, stands for what every task spends on starting.
    startSeconds: begin / 1000 + openSeconds,
    machine: plan.machine,
    tookSeconds: (performance.now() - begin) / 1000,
  }
}

/** A stretch of the result, and the seconds of work after which it is cut short. */
interface TimedStretch {
  firstFrame: number
  frames: number
  seconds: number
}

async function measureWindow(
  plan: SamplePlan,
  stretch: TimedStretch,
  rate: RateChoice,
  gate: WorkGate,
): Promise<{ window: SampleWindow; openSeconds: number; onceSeconds: number } | null> {
  const { firstFrame } = stretch
  const outputPath = path.join(plan.scratchDirectory, `stretch-${process.pid}-${firstFrame}.${plan.spec.container}`)
  const statistics = `${outputPath}.passes`
  try {
    if (plan.spec.video.rateControl.kind !== 'size cap')
      return await measureEncode(plan, stretch, outputPath, { rate }, gate)
    const silent = { ...plan, facts: { ...plan.facts, audio: [] }, stretch, outputPath }
    const { seconds } = await learn(silent, { rate, pass: { number: 1, statistics } }, gate, () => undefined)
    // What the first pass learned is of all frames of the stretch.
    const whole = { ...stretch, seconds: Number.POSITIVE_INFINITY }
    const measured = await measureEncode(plan, whole, outputPath, { rate, pass: { number: 2, statistics } }, gate)
    return measured && { ...measured, window: { ...measured.window, firstPassSeconds: seconds } }
  } catch (error) {
    if (error instanceof NoPicture) return null
    throw error
  } finally {
    await rm(outputPath, { recursive: true, force: true })
    await removeStatistics(statistics)
  }
}

async function measureEncode(
  plan: SamplePlan,
  { firstFrame, frames, seconds }: TimedStretch,
  outputPath: string,
  rate: EncoderRate,
  gate: WorkGate,
): Promise<{ window: SampleWindow; openSeconds: number; onceSeconds: number } | null> {
  const { input, facts, treatment, spec } = plan
  const queue = new BoundedQueue<Frame>(4)
  const openBegin = performance.now()
  const picture = await TreatedPicture.open(input, facts.video!, treatment, { firstFrame })
  let openSeconds: number | null = null
  let given = 0
  let [begin, isOver] = [0, false]
  let producing: Promise<void> = Promise.resolve()
  try {
    producing = produceFrames(picture, queue)
    const window = await encodeStretch({ facts, spec, treatment, outputPath, firstFrame }, rate, gate, async () => {
      isOver ||= given >= frames || (given >= leastFrames && (performance.now() - begin) / 1000 > seconds)
      const frame = isOver ? null : await queue.take()
      // Seeking and decoding up to the stretch happen once in a whole job; the clock starts with the first frame.
      openSeconds ??= ((begin = performance.now()) - openBegin) / 1000
      given++
      return frame ?? null
    })
    queue.end()
    if (!window) return null
    const proof = await timeProof({ ...plan, outputPath }, window.frames, gate)
    window.checkSeconds = proof.secondsPerFrame * window.frames
    return { window, openSeconds: openSeconds ?? 0, onceSeconds: proof.onceSeconds }
  } finally {
    queue.end()
    await producing
    for (const frame of queue.remains()) frame.free()
    await picture.close()
  }
}

/** Bytes, packets and work of all sound tracks, per second of material, from a few seconds in the middle. */
async function measureSound(
  plan: SamplePlan,
  gate: WorkGate,
): Promise<Pick<SampleMeasurement, 'soundBytesPerSecond' | 'soundPacketsPerSecond' | 'soundSecondsPerSecond'>> {
  const result = { soundBytesPerSecond: 0, soundPacketsPerSecond: 0, soundSecondsPerSecond: 0 }
  for (const track of plan.facts.audio) {
    const measured = await measureTrack(plan, track, gate)
    result.soundBytesPerSecond += measured.bytes
    result.soundPacketsPerSecond += measured.packets
    result.soundSecondsPerSecond += measured.work
  }
  return result
}

async function measureTrack(
  plan: SamplePlan,
  track: AudioFacts,
  gate: WorkGate,
): Promise<{ bytes: number; packets: number; work: number }> {
  const { input, facts, spec } = plan
  const video = facts.video!
  const middle = Math.max(0, ((facts.durationSeconds ?? 0) - soundSeconds) / 2)
  const zero = secondsOf(video.startTicks, video.timeBase)
  if (input.kind !== 'join' && copiesSound(track, facts, spec, plan.treatment)) {
    const begin = performance.now()
    const size = await sizeOfTrack(input, track.streamIndex, zero + middle, soundSeconds)
    return { ...size, work: (performance.now() - begin) / 1000 / soundSeconds }
  }
  const encoder = await Encoder.audio(spec, track)
  const rate = deliveredRate(track, spec)
  const sound = await TreatedSound.open(input, track, encoder.soundShape(spec, track), zero, {
    startSeconds: middle,
    treatment: plan.treatment,
  })
  const proof = await SoundProof.begin(encoder.context)
  const frame = new Frame()
  frame.alloc()
  try {
    let [bytes, packets, samples] = [0, 0, 0]
    const begin = performance.now()
    const take = (packet: Packet) => {
      bytes += packet.size
      packets++
      return proof.take(packet)
    }
    while (samples < soundSeconds * rate && (await sound.next(frame))) {
      await gate.turn()
      samples += frame.nbSamples
      proof.hold(frame)
      await encoder.encode(frame, take)
      frame.unref()
    }
    await encoder.encode(null, take)
    await proof.finish()
    const seconds = Math.max(samples / rate, 1e-3)
    return { bytes: bytes / seconds, packets: packets / seconds, work: (performance.now() - begin) / 1000 / seconds }
  } finally {
    frame.free()
    proof.close()
    encoder.close()
    await sound.close()
  }
}
