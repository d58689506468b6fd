import { rm } from 'node:fs/promises'
import path from 'node:path'
import { performance } from 'node:perf_hooks'
import {
  plannedRate,
  sampleStarts,
  toNumber,
  type AudioFacts,
  type PictureSpec,
  type RateChoice,
  type SampleMeasurement,
  type SampleWindow,
  type SourceFacts,
  type PictureTreatment,
} from '@hematine/core'
import { Frame } from 'node-av/lib'
import { timeCheck } from '../checking/check.ts'
import { Encoder, type EncoderRate } from '../encoding/encoder.ts'
import { removeStatistics } from '../encoding/under-cap.ts'
import { findQuality } from '../delivering/find-quality.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { MediaError } from '../ground/libav.ts'
import { OutputFile } from '../encoding/output.ts'
import { TreatedPicture } from '../treating/picture-treatment.ts'
import { timeProof } from '../checking/proving/prove.ts'
import { BoundedQueue } from '../ground/queue.ts'
import { deliveredRate, secondsOf, TreatedSound } from '../sound/sound-treatment.ts'
import type { WorkGate } from '../ground/gate.ts'
import { produceFrames } from '../encoding/transcode.ts'

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
const soundSeconds = 3

/**
 * Encodes and checks short stretches spread over a source, with its very treatment and spec, and measures time and size.
 * @param budgetSeconds after so much time no further stretch is begun
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
  const { frameCount, rate } = treatment.result
  const framesPerSecond = toNumber(rate)
  const starts = sampleStarts(frameCount / framesPerSecond, windowSeconds, windowCount)
  const whole = starts.length === 1
  const windows: SampleWindow[] = []
  let [openSeconds, onceSeconds] = [0, 0]
  const { chosen, searchSeconds } = await chooseRate(plan, gate)
  const windowsBegin = performance.now()
  for (const [index, start] of starts.entries()) {
    const firstFrame = Math.round(start * framesPerSecond)
    const frames = whole ? frameCount : Math.max(1, Math.round(windowSeconds * framesPerSecond))
    const measured = await measureWindow(plan, firstFrame, frames, chosen, gate)
    if (measured) {
      windows.push(measured.window)
      if (windows.length === 1) [openSeconds, onceSeconds] = [measured.openSeconds, measured.onceSeconds]
    }
    onProgress((index + 1) / (starts.length + 1))
    if ((performance.now() - windowsBegin) / 1000 > budgetSeconds) break
  }
  if (windows.length === 0)
    throw new MediaError('No stretch of the source could be decoded, so its time and size cannot be forecast.')
  const sound = await measureSound(plan, gate)
  onProgress(1)
  return {
    windows,
    ...sound,
    ...(searchSeconds === null ? {} : { searchSeconds }),
    onceSeconds,
    // Time since this process began, up to the first work, stands for what every task spends on starting.
    startSeconds: begin / 1000 + openSeconds,
    machine: plan.machine,
    tookSeconds: (performance.now() - begin) / 1000,
  }
}

/** How bits are spent in the stretches: as the spec says, or as it comes out to be. */
async function chooseRate(
  { spec, treatment, facts, ...plan }: SamplePlan,
  gate: WorkGate,
): Promise<{ chosen: RateChoice; searchSeconds: number | null }> {
  const { rateControl } = spec.video
  if (rateControl.kind === 'quality target') {
    const begin = performance.now()
    const search = {
      ...plan,
      facts,
      treatment,
      spec,
      scratchDirectory: path.join(plan.scratchDirectory, `search-${process.pid}`),
    }
    const { value } = await findQuality(search, rateControl.xpsnr, gate)
    return { chosen: { kind: 'constant quality', value }, searchSeconds: (performance.now() - begin) / 1000 }
  }
  const { frameCount, rate } = treatment.result
  const extent = { seconds: frameCount / toNumber(rate), frames: frameCount }
  return { chosen: plannedRate(spec, extent, facts.audio), searchSeconds: null }
}

async function measureWindow(
  plan: SamplePlan,
  firstFrame: number,
  frames: number,
  rate: RateChoice,
  gate: WorkGate,
): Promise<{ window: SampleWindow; openSeconds: number; onceSeconds: number } | null> {
  const { input, facts, treatment, spec } = plan
  const outputPath = path.join(plan.scratchDirectory, `stretch-${process.pid}-${firstFrame}.${spec.container}`)
  const queue = new BoundedQueue<Frame>(4)
  const openBegin = performance.now()
  const output = OutputFile.create(outputPath, spec.container)
  const picture = await TreatedPicture.open(input, facts.video!, treatment, { firstFrame })
  const statistics = `${outputPath}.passes`
  const isCapped = spec.video.rateControl.kind === 'size cap'
  const firstPassSeconds = isCapped
    ? await timeFirstPass(plan, firstFrame, frames, { rate, pass: { number: 1, statistics } }, gate)
    : null
  if (firstPassSeconds === 0) return null
  const encoder = await Encoder.video(spec, treatment, isCapped ? { rate, pass: { number: 2, statistics } } : { rate })
  const window: SampleWindow = {
    startSeconds: firstFrame / toNumber(treatment.result.rate),
    frames: 0,
    ...(firstPassSeconds === null ? {} : { firstPassSeconds }),
    encodeSeconds: 0,
    checkSeconds: 0,
    firstKeyframeBytes: 0,
    otherKeyframes: 0,
    otherKeyframeBytes: 0,
    interFrames: 0,
    interBytes: 0,
  }
  let packets = 0
  let producing: Promise<void> = Promise.resolve()
  try {
    const stream = output.addStream(encoder, {
      pixelAspect: treatment.result.frame.pixelAspect,
      rate: treatment.result.rate,
    })
    await output.begin()
    const take = async (packet: Parameters<OutputFile['write']>[0]) => {
      if (packets++ === 0) window.firstKeyframeBytes = packet.size
      else if (packet.isKeyframe) {
        window.otherKeyframes++
        window.otherKeyframeBytes += packet.size
      } else {
        window.interFrames++
        window.interBytes += packet.size
      }
      await output.write(packet, stream)
    }
    producing = produceFrames(picture, queue)
    let encodeBegin = 0
    let openSeconds = 0
    while (window.frames < frames) {
      await gate.turn()
      const frame = await queue.take()
      if (!frame) break
      if (window.frames === 0) {
        // Seeking and decoding up to the stretch happen once in a whole job; the clock starts with the first frame.
        encodeBegin = performance.now()
        openSeconds = (encodeBegin - openBegin) / 1000
      }
      frame.pts -= BigInt(firstFrame)
      await encoder.encode(frame, take)
      frame.free()
      window.frames++
    }
    if (window.frames === 0) return null
    queue.end()
    await encoder.encode(null, take)
    window.encodeSeconds = (performance.now() - encodeBegin) / 1000
    await output.finish()
    const proof = await timeProof({ ...plan, outputPath }, window.frames, gate)
    window.checkSeconds =
      (await timeCheck({ ...plan, outputPath }, gate, { firstFrame, frames: window.frames })) +
      proof.secondsPerFrame * window.frames
    return { window, openSeconds, onceSeconds: proof.onceSeconds }
  } finally {
    queue.end()
    await producing
    for (const frame of queue.remains()) frame.free()
    await picture.close()
    encoder.close()
    await output.close()
    await rm(outputPath, { force: true })
    await removeStatistics(statistics)
  }
}

/** Goes through a stretch as the first of two passes does. @returns seconds from its first frame on; 0 when it gave none */
async function timeFirstPass(
  { input, facts, treatment, spec }: SamplePlan,
  firstFrame: number,
  frames: number,
  rate: EncoderRate,
  gate: WorkGate,
): Promise<number> {
  const queue = new BoundedQueue<Frame>(4)
  const picture = await TreatedPicture.open(input, facts.video!, treatment, { firstFrame })
  const encoder = await Encoder.video(spec, treatment, rate)
  const producing = produceFrames(picture, queue)
  let begin = 0
  try {
    for (let done = 0; done < frames; done++) {
      await gate.turn()
      const frame = await queue.take()
      if (!frame) break
      begin ||= performance.now()
      frame.pts -= BigInt(firstFrame)
      await encoder.encode(frame, async () => undefined)
      frame.free()
    }
    queue.end()
    if (begin === 0) return 0
    await encoder.encode(null, async () => undefined)
    return (performance.now() - begin) / 1000
  } finally {
    queue.end()
    await producing
    for (const frame of queue.remains()) frame.free()
    await picture.close()
    encoder.close()
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
  const encoder = await Encoder.audio(spec, track)
  const rate = deliveredRate(track, spec)
  const middle = Math.max(0, ((facts.durationSeconds ?? 0) - soundSeconds) / 2)
  const sound = await TreatedSound.open(
    input,
    track,
    encoder.soundShape(spec, track),
    secondsOf(video.startTicks, video.timeBase),
    { startSeconds: middle, treatment: plan.treatment },
  )
  const frame = new Frame()
  frame.alloc()
  try {
    let [bytes, packets, samples] = [0, 0, 0]
    const begin = performance.now()
    const take = async (packet: { size: number }) => {
      bytes += packet.size
      packets++
    }
    while (samples < soundSeconds * rate && (await sound.next(frame))) {
      await gate.turn()
      samples += frame.nbSamples
      await encoder.encode(frame, take)
      frame.unref()
    }
    await encoder.encode(null, take)
    const seconds = Math.max(samples / rate, 1e-3)
    return { bytes: bytes / seconds, packets: packets / seconds, work: (performance.now() - begin) / 1000 / seconds }
  } finally {
    frame.free()
    encoder.close()
    await sound.close()
  }
}
