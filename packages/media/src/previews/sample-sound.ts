import { rm, stat } from 'node:fs/promises'
import path from 'node:path'
import { performance } from 'node:perf_hooks'
import {
  bytesBeside,
  sampleStarts,
  type SampleMeasurement,
  type SoundSpec,
  type SoundTreatment,
  type SoundWindow,
} from '@hematine/core'
import { timeSoundCheck } from '../checking/check-sound.ts'
import { extractSound } from '../encoding/extract-sound.ts'
import { MediaError } from '../ground/libav.ts'
import type { SamplePlan } from './sample.ts'
import { readFacts } from '../reading/source-facts.ts'
import type { WorkGate } from '../ground/gate.ts'

/** Stretches measured, and the length of each. */
const windowCount = 5
const windowSeconds = 4
/** After this much wall time no further stretch is begun. */
const budgetSeconds = 20

export type SoundSamplePlan = Omit<SamplePlan, 'treatment' | 'spec'> & { treatment: SoundTreatment; spec: SoundSpec }

/**
 * Takes out and checks short stretches of a source's sound, with its very treatment and spec, and measures time and size.
 * @throws MediaError when the source cannot be treated; whatever `gate.turn` rejects with, when stopped
 */
export async function measureSoundSample(plan: SoundSamplePlan, gate: WorkGate): Promise<SampleMeasurement> {
  const begin = performance.now()
  const { treatment } = plan
  const starts = sampleStarts(treatment.seconds, windowSeconds, windowCount)
  const soundWindows: SoundWindow[] = []
  const heads: number[] = []
  let openSeconds = 0
  for (const startSeconds of starts) {
    const window = await measureWindow(
      plan,
      { startSeconds, seconds: starts.length === 1 && treatment.seconds > 0 ? treatment.seconds : windowSeconds },
      gate,
    )
    if (window) {
      // Files are opened once in a whole job.
      if (soundWindows.length === 0) openSeconds = window.openSeconds
      soundWindows.push(window.measured)
      heads.push(window.headBytes)
    }
    if ((performance.now() - begin) / 1000 > budgetSeconds) break
  }
  if (soundWindows.length === 0)
    throw new MediaError('No stretch of the sound could be decoded, so its time and size cannot be forecast.')
  return {
    windows: [],
    soundWindows,
    headBytes: Math.min(...heads),
    soundBytesPerSecond: 0,
    soundPacketsPerSecond: 0,
    soundSecondsPerSecond: 0,
    // Time since this process began stands for what every task spends on starting.
    startSeconds: begin / 1000 + openSeconds,
    machine: plan.machine,
    tookSeconds: (performance.now() - begin) / 1000,
  }
}

/** @returns null where no sound is at this place, as where it ends before the picture */
async function measureWindow(
  plan: SoundSamplePlan,
  stretch: { startSeconds: number; seconds: number },
  gate: WorkGate,
): Promise<{ measured: SoundWindow; headBytes: number; openSeconds: number } | null> {
  const outputPath = path.join(
    plan.scratchDirectory,
    `stretch-${process.pid}-${Math.round(stretch.startSeconds * 1000)}.${plan.spec.container}`,
  )
  const piece = { ...plan, outputPath, stretch }
  try {
    const { seconds, bytes, packets, openSeconds, workSeconds } = await extractSound(piece, gate, () => undefined)
    const { audio } = await readFacts({ kind: 'file', path: outputPath })
    const { checkSeconds } = await timeSoundCheck(piece, audio, gate)
    const headBytes = Math.max(0, (await stat(outputPath)).size - bytes) + bytesBeside(plan.facts, plan.spec)
    return {
      measured: {
        startSeconds: stretch.startSeconds,
        seconds,
        encodeSeconds: workSeconds,
        checkSeconds,
        bytes,
        packets,
      },
      headBytes,
      openSeconds,
    }
  } catch (error) {
    if (error instanceof MediaError && stretch.startSeconds > 0) return null
    throw error
  } finally {
    await rm(outputPath, { force: true })
  }
}
