import { mkdir, rm } from 'node:fs/promises'
import path from 'node:path'
import { performance } from 'node:perf_hooks'
import {
  curveValues,
  pictureCodec,
  toNumber,
  type CurveMeasurement,
  type PictureSpec,
  type PictureTreatment,
  type SampleMeasurement,
  type SampleWindow,
  type SourceFacts,
} from '@hematine/core'
import { Frame } from 'node-av/lib'
import { measurePicture, qualityOfStretch, type TreatedFrames } from '../checking/check.ts'
import type { WorkGate } from '../ground/gate.ts'
import { MediaError } from '../ground/libav.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { memoryBytes } from '../reading/picture-limit.ts'
import { TreatedPicture } from '../treating/picture-treatment.ts'
import { encodeStretch } from './stretch.ts'

/** What a curve is measured of. */
export interface CurvePlan {
  input: MediaInput
  facts: SourceFacts
  treatment: PictureTreatment
  spec: PictureSpec
  /** The stretches that the forecast was measured in: a curve is of the same, so that both say the same. */
  sample: Pick<SampleMeasurement, 'windows'>
  /** Directory for the stretches while they are measured; it is made, and removed with all in it. */
  scratchDirectory: string
}

/** Part of this machine's memory that the treated frames of one stretch may take. */
const mostPart = 1 / 8
/** A pixel of the deepest layouts that are delivered, in bytes. */
const bytesAPixel = 8

/**
 * Treats stretches of a source once, encodes them at several values of the codec's scale, and holds each against its treated frames.
 * @throws MediaError when the codec has no scale, or no stretch can be made; whatever `gate.turn` rejects with, when stopped
 */
export async function measureCurve(
  plan: CurvePlan,
  gate: WorkGate,
  onProgress: (part: number) => void,
): Promise<CurveMeasurement> {
  const begin = performance.now()
  const { spec, treatment, sample } = plan
  const scale = pictureCodec(spec.video.codec).quality
  if (!scale) throw new MediaError(`${spec.video.codec} has no scale of quality: its size follows from its format.`)
  const { rateControl } = spec.video
  const values = curveValues(scale, rateControl.kind === 'constant quality' ? rateControl.value : null)
  const points = values.map(value => ({ value, windows: [] as SampleWindow[] }))
  const { width, height } = treatment.result.frame
  const most = Math.max(1, Math.floor((memoryBytes() * mostPart) / (width * height * bytesAPixel)))
  await mkdir(plan.scratchDirectory, { recursive: true })
  let done = 0
  try {
    for (const { startSeconds, frames } of sample.windows) {
      const firstFrame = Math.round(startSeconds * toNumber(treatment.result.rate))
      const held = await treatedStretch(plan, firstFrame, Math.min(frames, most), gate)
      try {
        for (const point of points) {
          const stretch = await tryValue(plan, held, firstFrame, point.value, gate)
          if (stretch) point.windows.push(stretch)
          onProgress(++done / (values.length * sample.windows.length))
        }
      } finally {
        for (const frame of held) frame.free()
      }
    }
  } finally {
    await rm(plan.scratchDirectory, { recursive: true, force: true })
  }
  if (points.some(point => point.windows.length === 0))
    throw new MediaError('No stretch of the source could be decoded, so its curve cannot be measured.')
  return { points, tookSeconds: (performance.now() - begin) / 1000 }
}

/** The treated frames of a stretch, held in memory; the caller frees them. */
async function treatedStretch(
  { input, facts, treatment }: CurvePlan,
  firstFrame: number,
  frames: number,
  gate: WorkGate,
): Promise<Frame[]> {
  const picture = await TreatedPicture.open(input, facts.video!, treatment, { firstFrame })
  const held: Frame[] = []
  try {
    while (held.length < frames) {
      await gate.turn()
      const frame = new Frame()
      frame.alloc()
      if (!(await picture.next(frame))) {
        frame.free()
        break
      }
      held.push(frame)
    }
    return held
  } catch (error) {
    for (const frame of held) frame.free()
    throw error
  } finally {
    await picture.close()
  }
}

/** Encodes held frames at a value and holds the result against them; null when there are none. */
async function tryValue(
  plan: CurvePlan,
  held: readonly Frame[],
  firstFrame: number,
  value: number,
  gate: WorkGate,
): Promise<SampleWindow | null> {
  const outputPath = path.join(plan.scratchDirectory, `curve.${plan.spec.container}`)
  let at = 0
  try {
    const window = await encodeStretch(
      { ...plan, outputPath, firstFrame },
      { rate: { kind: 'constant quality', value } },
      gate,
      async () => held[at++]?.clone() ?? null,
    )
    if (!window) return null
    const measured = await measurePicture(
      { ...plan, outputPath },
      gate,
      () => undefined,
      { firstFrame, frames: window.frames },
      heldAgain(held),
    )
    const quality = qualityOfStretch(measured)
    return quality && { ...window, quality }
  } finally {
    await rm(outputPath, { recursive: true, force: true })
  }
}

/** Frames that are held, once more from the first. */
function heldAgain(held: readonly Frame[]): () => Promise<TreatedFrames> {
  let at = 0
  return async () => ({
    errors: 0,
    async next(frame) {
      const source = held[at++]
      if (source) frame.ref(source)
      return source !== undefined
    },
    async close() {},
  })
}
