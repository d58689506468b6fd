import { stat } from 'node:fs/promises'
import { performance } from 'node:perf_hooks'
import type { AudioFacts, SoundCheckMeasurement } from '@hematine/core'
import { Frame } from 'node-av/lib'
import type { SoundPlan } from '../encoding/extract-sound.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { tagsOf } from './result.ts'
import { prove } from './prove.ts'
import { readFacts } from '../reading/source-facts.ts'
import {
  deliveredChannels,
  deliveredLayout,
  deliveredRate,
  soundAloneZero,
  TreatedSound,
  type SoundShape,
} from '../sound/sound-treatment.ts'
import type { WorkGate } from '../ground/gate.ts'
import { sha256OfFile } from '../volumes/volume-files.ts'

type Likeness = SoundCheckMeasurement['likeness'][number]

/** Samples that are compared at a time; both sides are cut into frames of so many. */
const frameSize = 4096
/** Samples are compared as the 24 bits that are the most a result holds. */
const unusedBits = 8

/**
 * Decodes a result of sound alone whole, beside its source treated once more, and measures both.
 * @throws MediaError when the result cannot be opened; whatever `gate.turn` rejects with, when stopped
 */
export async function measureSoundResult(
  plan: SoundPlan,
  gate: WorkGate,
  onProgress: (seconds: number) => void,
): Promise<SoundCheckMeasurement> {
  const result: MediaInput = { kind: 'file', path: plan.outputPath }
  const made = await readFacts(result)
  const { container, audio, chapters = [] } = made
  const compared = await compareSound(plan, audio, gate, onProgress)
  const { account } = await prove(
    {
      ...plan,
      treatment: {
        steps: [],
        result: null,
        tracks: plan.facts.audio.map((_, index) => index),
        seconds: 0,
        leftOut: [],
        ...plan.treatment,
      },
    },
    gate,
    () => undefined,
  )
  return {
    account,
    chapters,
    ...tagsOf(made),
    container,
    bytes: (await stat(plan.outputPath)).size,
    sourceBytes: plan.facts.bytes,
    sha256: await sha256OfFile(plan.outputPath, gate),
    video: null,
    sourceDecodeErrors: compared.reduce((sum, track) => sum + track.sourceErrors, 0),
    audio: audio.map(({ codec, channels, sampleRate }, index) => ({
      codec,
      channels,
      sampleRate,
      durationSeconds: compared[index]?.seconds ?? 0,
      decodeErrors: compared[index]?.errors ?? 0,
    })),
    likeness: compared.map(({ treatedSeconds, sampleRate, channels, identical, signalToNoise }) => ({
      treatedSeconds,
      sampleRate,
      channels,
      identical,
      signalToNoise,
    })),
  }
}

interface ComparedTrack extends Likeness {
  /** Length of the result's track. */
  seconds: number
  errors: number
  sourceErrors: number
}

/**
 * Compares the tracks of a result with those of its source, treated again, sample by sample from their beginning.
 * @param made the result's tracks, in the order of the plan's
 */
export async function compareSound(
  plan: SoundPlan,
  made: readonly AudioFacts[],
  gate: WorkGate,
  onProgress: (seconds: number) => void,
): Promise<ComparedTrack[]> {
  const { input, facts, treatment, spec, outputPath, stretch } = plan
  const zero = await soundAloneZero(input, facts, treatment)
  const compared: ComparedTrack[] = []
  const count = Math.min(made.length, facts.audio.length)
  for (let index = 0; index < count; index++) {
    const track = facts.audio[index]!
    const shape: SoundShape = {
      sampleFormat: 's32',
      sampleRate: deliveredRate(track, spec),
      layout: deliveredLayout(track, spec),
      frameSize,
    }
    const sides = [
      await TreatedSound.open({ kind: 'file', path: outputPath }, made[index]!, shape, 0),
      await TreatedSound.open(input, track, shape, zero, { startSeconds: stretch?.startSeconds ?? 0, treatment }),
    ] as const
    try {
      const done = (seconds: number) => onProgress((index * (facts.durationSeconds ?? 0) + seconds) / count)
      compared.push({
        channels: deliveredChannels(track, spec),
        ...(await compareTrack(sides, shape.sampleRate, stretch !== undefined, gate, done)),
      })
    } finally {
      for (const side of sides) await side.close()
    }
  }
  return compared
}

/** Compares as `compareSound` does, and tells how many seconds that took, without opening the files. */
export async function timeSoundCheck(
  plan: SoundPlan,
  made: readonly AudioFacts[],
  gate: WorkGate,
): Promise<{ compared: ComparedTrack[]; checkSeconds: number }> {
  let begin = 0
  const compared = await compareSound(plan, made, gate, () => (begin ||= performance.now()))
  return { compared, checkSeconds: begin === 0 ? 0 : (performance.now() - begin) / 1000 }
}

/** @param isStretch whether the result is a piece, so that its source goes on after its end */
async function compareTrack(
  [result, treated]: readonly [TreatedSound, TreatedSound],
  sampleRate: number,
  isStretch: boolean,
  gate: WorkGate,
  onProgress: (seconds: number) => void,
): Promise<Omit<ComparedTrack, 'channels'>> {
  const frames = [new Frame(), new Frame()] as const
  for (const frame of frames) frame.alloc()
  const samples = [0, 0]
  let [signal, noise, identical] = [0, 0, true]
  try {
    const ends = [false, false]
    for (;;) {
      await gate.turn()
      for (const [index, side] of [result, treated].entries()) {
        const isEnough = isStretch && index === 1 && ends[0]! && samples[1]! >= samples[0]!
        ends[index] ||= isEnough || !(await side.next(frames[index]!))
        if (!ends[index]) samples[index]! += frames[index]!.nbSamples
      }
      if (ends[0] && ends[1]) break
      if (!ends[0] && !ends[1]) {
        const [a, b] = frames.map(samplesOf) as [Int32Array, Int32Array]
        const length = Math.min(a.length, b.length)
        for (let at = 0; at < length; at++) {
          const [x, y] = [a[at]! >> unusedBits, b[at]! >> unusedBits]
          signal += y * y
          if (x === y) continue
          noise += (x - y) * (x - y)
          identical = false
        }
      }
      for (const [index, frame] of frames.entries()) if (!ends[index]) frame.unref()
      onProgress(Math.max(...samples) / sampleRate)
    }
    return {
      seconds: samples[0]! / sampleRate,
      treatedSeconds: samples[1]! / sampleRate,
      sampleRate,
      errors: result.errors,
      sourceErrors: treated.errors,
      identical: identical && samples[0] === samples[1],
      signalToNoise: signal > 0 && noise > 0 ? 10 * Math.log10(signal / noise) : null,
    }
  } finally {
    for (const frame of frames) frame.free()
  }
}

function samplesOf(frame: Frame): Int32Array {
  const [plane] = frame.data!
  return new Int32Array(plane!.buffer, plane!.byteOffset, frame.nbSamples * frame.channelLayout.nbChannels)
}
