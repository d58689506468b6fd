import { mkdir, rm } from 'node:fs/promises'
import path from 'node:path'
import {
  nextQualityStep,
  pictureCodec,
  plannedRate,
  sampleStretches,
  togetherXpsnr,
  type PictureSpec,
  type PictureTreatment,
  type QualityAttempt,
  type RateChoice,
  type SourceFacts,
} from '@hematine/core'
import { NoPicture, transcode } from '../encoding/transcode.ts'
import type { WorkGate } from '../ground/gate.ts'
import { MediaError } from '../ground/libav.ts'
import type { MediaInput } from '../ground/media-input.ts'

/** What a quality is looked for in. */
export interface QualitySearch {
  input: MediaInput
  facts: SourceFacts
  treatment: PictureTreatment
  spec: PictureSpec
  /** Directory for the stretches; it is made, and removed with all in it. */
  scratchDirectory: string
  /** One stretch alone, in frames of the result; stretches spread over all of it unless said. */
  stretch?: { firstFrame: number; frames: number }
}

const stretchCount = 4
const stretchSeconds = 0.8
/** Stretches are brought nearer to the target than a result has to be: the rest of the source is not like them. */
const stretchTolerance = 0.2

/**
 * The setting of a codec at which stretches of a source, treated and encoded as the whole will be, come nearest to a quality in XPSNR.
 * @returns the value on the codec's scale, and what was tried
 * @throws MediaError when no stretch can be made; whatever `gate.turn` rejects with, when stopped
 */
export async function findQuality(
  search: QualitySearch,
  target: number,
  gate: WorkGate,
): Promise<{ value: number; attempts: QualityAttempt[] }> {
  const scale = pictureCodec(search.spec.video.codec).quality
  if (!scale) throw new MediaError(`${search.spec.video.codec} has no scale of quality to search on.`)
  const stretches = search.stretch
    ? [search.stretch]
    : sampleStretches(search.treatment.result, stretchSeconds, stretchCount)
  const attempts: QualityAttempt[] = []
  let value = scale.usual
  await mkdir(search.scratchDirectory, { recursive: true })
  try {
    for (;;) {
      const made: { frames: number; xpsnr: number }[] = []
      for (const stretch of stretches) {
        const one = await tryStretch(search, stretch, value, gate)
        if (one) made.push(one)
      }
      if (made.length === 0)
        throw new MediaError('No stretch of the source could be decoded, so its quality cannot be measured.')
      attempts.push({ value, xpsnr: togetherXpsnr(made) })
      const step = nextQualityStep(target, scale, attempts, stretchTolerance)
      if (step.kind === 'keep') return { value: step.attempt.value, attempts }
      value = step.value
    }
  } finally {
    await rm(search.scratchDirectory, { recursive: true, force: true })
  }
}

/**
 * How bits are spent in stretches of a result: as its spec says, at the rate that a cap comes to, or at the setting that its quality is found at.
 * @throws as `findQuality` does
 */
export async function rateOfStretches(search: QualitySearch, gate: WorkGate): Promise<RateChoice> {
  const { spec, treatment, facts } = search
  const { rateControl } = spec.video
  if (rateControl.kind !== 'quality target') return plannedRate(spec, treatment.result, facts.audio)
  const { value } = await findQuality(search, rateControl.xpsnr, gate)
  return { kind: 'constant quality', value }
}

/** Makes one stretch and tells how like it is; null where the source gives nothing there. */
async function tryStretch(
  { scratchDirectory, stretch: _, facts, ...search }: QualitySearch,
  stretch: { firstFrame: number; frames: number },
  value: number,
  gate: WorkGate,
): Promise<{ frames: number; xpsnr: number } | null> {
  const outputPath = path.join(scratchDirectory, `stretch.${search.spec.container}`)
  // The picture alone is compared.
  const plan = { ...search, facts: { ...facts, audio: [] }, outputPath, stretch }
  try {
    const { frames, proved } = await transcode(
      { ...plan, rate: { kind: 'constant quality', value } },
      gate,
      () => undefined,
    )
    return { frames, xpsnr: proved?.picture.xpsnr?.mean ?? Number.POSITIVE_INFINITY }
  } catch (error) {
    if (error instanceof NoPicture) return null
    throw error
  } finally {
    await rm(outputPath, { force: true })
  }
}
