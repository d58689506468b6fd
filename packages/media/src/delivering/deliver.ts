import { rename, rm } from 'node:fs/promises'
import {
  keptQuality,
  nextQualityStep,
  pictureCodec,
  type PictureCheckMeasurement,
  type QualityAttempt,
  type RateChoice,
  type WorkStage,
} from '@hematine/core'
import { measureResult } from '../checking/check.ts'
import { transcode, type TranscodePlan } from '../encoding/transcode.ts'
import type { WorkGate } from '../ground/gate.ts'
import { SegmentedPicture, type MadeSegment } from '../joining/segmented-picture.ts'
import { flushResult } from '../volumes/result-files.ts'
import { findQuality } from './find-quality.ts'

export interface DeliveryPlan extends TranscodePlan {
  /** The picture's segments, where it was made in some: they are joined and nothing of it is encoded again. */
  segments?: readonly MadeSegment[]
}

export interface DeliveryProgress {
  stage: WorkStage
  framesDone: number
  /** Left out while nothing is written. */
  bytesWritten?: number
}

/**
 * Makes a job's result, comparing what is encoded on its way into the file, and measures it. Where a quality is to be kept, its setting is found on stretches
 * first, and a result that misses it is made once more; the nearest stays.
 * @throws MediaError; whatever `gate.turn` rejects with, when stopped. An unfinished file is the caller's to remove
 */
export async function deliver(
  { segments, ...given }: DeliveryPlan,
  gate: WorkGate,
  onProgress: (progress: DeliveryProgress) => void,
): Promise<PictureCheckMeasurement> {
  const plan: TranscodePlan = segments
    ? { ...given, openPicture: (rate, output) => SegmentedPicture.open(given, segments, rate, output) }
    : given
  const { rateControl } = plan.spec.video
  const make = async (rate?: RateChoice) => {
    const { proved } = await transcode({ ...plan, ...(rate ? { rate } : {}) }, gate, onProgress)
    await flushResult(plan.outputPath)
    onProgress({ stage: 'check', framesDone: 0 })
    return measureResult({ ...plan, proved }, gate, framesDone => onProgress({ stage: 'check', framesDone }))
  }
  return rateControl.kind === 'quality target' && !plan.treatment.copied
    ? toQuality(plan, rateControl.xpsnr, gate, onProgress, make)
    : make()
}

async function toQuality(
  plan: TranscodePlan,
  target: number,
  gate: WorkGate,
  onProgress: (progress: DeliveryProgress) => void,
  make: (rate: RateChoice) => Promise<PictureCheckMeasurement>,
): Promise<PictureCheckMeasurement> {
  const { outputPath } = plan
  const scale = pictureCodec(plan.spec.video.codec).quality!
  const kept = `${outputPath}.nearest`
  try {
    // How many settings will be tried is not known, so there is no telling how far it is.
    onProgress({ stage: 'search', framesDone: 0 })
    let { value } = await findQuality({ ...plan, scratchDirectory: `${outputPath}.stretches` }, target, gate)
    const attempts: QualityAttempt[] = []
    const measured = new Map<number, PictureCheckMeasurement>()
    for (;;) {
      const measurement = await make({ kind: 'constant quality', value })
      const attempt = { value, xpsnr: measurement.xpsnr?.mean ?? Number.POSITIVE_INFINITY }
      attempts.push(attempt)
      measured.set(value, measurement)
      const step = nextQualityStep(target, scale, attempts)
      if (step.kind === 'keep') {
        if (step.attempt !== attempt) await rename(kept, outputPath)
        return measured.get(step.attempt.value)!
      }
      if (keptQuality(target, attempts) === attempt) await rename(outputPath, kept)
      else await rm(outputPath, { recursive: true, force: true })
      value = step.value
    }
  } finally {
    await rm(kept, { recursive: true, force: true })
  }
}
