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
import { StoredSound } from '../joining/sound-file.ts'
import { flushResult } from '../volumes/result-files.ts'
import { makeContactSheet } from './contact-sheet.ts'
import { findQuality } from './find-quality.ts'

export interface DeliveryPlan extends TranscodePlan {
  /** What lies in working files already: it is joined, and nothing of it is encoded again. */
  made?: MadeParts
}

/** The picture's segments, and what the working files of its sound are called; null where that is made while they are joined. */
export interface MadeParts {
  segments: readonly MadeSegment[]
  sound: string | null
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
  { made, ...given }: DeliveryPlan,
  gate: WorkGate,
  onProgress: (progress: DeliveryProgress) => void,
): Promise<PictureCheckMeasurement> {
  const plan = made ? fromParts(given, made) : given
  const { rateControl } = plan.spec.video
  const make = async (rate?: RateChoice) => {
    const { proved, encodedBy } = await transcode({ ...plan, ...(rate ? { rate } : {}) }, gate, onProgress)
    await flushResult(plan.outputPath)
    onProgress({ stage: 'check', framesDone: 0 })
    const measured = await measureResult({ ...plan, proved }, gate, framesDone =>
      onProgress({ stage: 'check', framesDone }),
    )
    return { ...measured, ...(encodedBy === null ? {} : { encodedBy }) }
  }
  const measured = await (rateControl.kind === 'quality target' && !plan.treatment.copied
    ? toQuality(plan, rateControl.xpsnr, gate, onProgress, make)
    : make())
  const sheet = await makeContactSheet(plan, measured.video.durationSeconds, gate)
  return { ...measured, ...(sheet ? { sheet } : {}) }
}

/** A plan whose picture and sound come from working files. */
function fromParts(plan: TranscodePlan, { segments, sound }: MadeParts): TranscodePlan {
  return {
    ...plan,
    openPicture: (rate, output) => SegmentedPicture.open(plan, segments, rate, output),
    ...(sound === null ? {} : { openSound: (track, place, output) => StoredSound.open(track, place, sound, output) }),
  }
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
