import { mkdir, rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { performance } from 'node:perf_hooks'
import {
  curveValues,
  hardestStretch,
  pictureCodec,
  toNumber,
  type CurveMeasurement,
  type PictureSpec,
  type PictureTreatment,
  type SampleMeasurement,
  type SampleWindow,
  type SourceFacts,
} from '@hematine/core'
import { AVMEDIA_TYPE_VIDEO } from 'node-av/constants'
import { Frame } from 'node-av/lib'
import { resultPicture } from '../checking/result.ts'
import type { WorkGate } from '../ground/gate.ts'
import { MediaError } from '../ground/libav.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { StreamDecoder } from '../reading/decoder.ts'
import { memoryBytes } from '../reading/picture-limit.ts'
import { toPng, toRgb, untaggedMatrix } from '../stills/still.ts'
import { TreatedPicture } from '../treating/picture-treatment.ts'
import { curvePicture } from '../volumes/volume-files.ts'
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
  /** Where pictures of one frame are kept, by the names of `curvePicture`; null keeps none. It is made anew. */
  picturesDirectory: string | null
}

/** Part of this machine's memory that the treated frames of one stretch may take. */
const mostPart = 1 / 8
/** Larger frames than this, in pixels, are not kept as pictures: those of a curve would take half a gigabyte and more. */
const mostKept = 40_000_000
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
  const hardest = hardestStretch(sample.windows)
  let pictures: CurveMeasurement['pictures']
  let done = 0
  try {
    for (const [index, { startSeconds, frames }] of sample.windows.entries()) {
      const firstFrame = Math.round(startSeconds * toNumber(treatment.result.rate))
      const held = await treatedStretch(plan, firstFrame, Math.min(frames, most), gate)
      // Far from the keyframe that a stretch begins with, a frame looks as most do.
      const shown = index === hardest && held.length > 0 ? Math.floor(held.length / 2) : null
      const keeper = shown === null ? null : await PictureKeeper.begin(plan, held[shown]!, shown)
      try {
        for (const point of points) {
          const stretch = await tryValue(plan, held, firstFrame, point.value, gate, keeper)
          if (stretch) point.windows.push(stretch)
          onProgress(++done / (values.length * sample.windows.length))
        }
      } finally {
        for (const frame of held) frame.free()
      }
      if (keeper && keeper.values.length > 0)
        pictures = { seconds: (firstFrame + shown!) / toNumber(treatment.result.rate), values: keeper.values }
    }
  } finally {
    await rm(plan.scratchDirectory, { recursive: true, force: true })
  }
  if (points.some(point => point.windows.length === 0))
    throw new MediaError('No stretch of the source could be decoded, so its curve cannot be measured.')
  return { points, ...(pictures ? { pictures } : {}), tookSeconds: (performance.now() - begin) / 1000 }
}

/** Keeps one frame of a stretch as pictures. Where they cannot be written, the curve is measured all the same. */
class PictureKeeper {
  /** Values that there are pictures of. */
  values: number[] = []

  private constructor(
    private readonly treatment: PictureTreatment,
    private readonly directory: string,
    private readonly index: number,
  ) {}

  /** Begins with the treated frame, whose number in its stretch is `index`; null where no pictures are wanted, or they would be too large. */
  static async begin({ picturesDirectory, treatment }: CurvePlan, treated: Frame, index: number) {
    const { width, height } = treatment.result.frame
    if (picturesDirectory === null || width * height > mostKept) return null
    const keeper = new PictureKeeper(treatment, picturesDirectory, index)
    const isKept = await keeper.attempt(async () => {
      await rm(picturesDirectory, { recursive: true, force: true })
      await mkdir(picturesDirectory, { recursive: true })
      await keeper.write(treated, null)
    })
    return isKept ? keeper : null
  }

  /** Keeps the frame as it is in a result that was made of the stretch at a value. */
  async keep(outputPath: string, value: number): Promise<void> {
    const picture = await resultPicture(outputPath, this.treatment.result.rate)
    const decoder = await StreamDecoder.openBest(picture, AVMEDIA_TYPE_VIDEO)
    const frame = new Frame()
    frame.alloc()
    try {
      for (let at = 0; at <= this.index; at++) {
        frame.unref()
        if (!(await decoder.next(frame))) return
      }
      if (await this.attempt(() => this.write(frame, value))) this.values.push(value)
    } finally {
      frame.free()
      await decoder.close()
    }
  }

  private async write(frame: Frame, value: number | null): Promise<void> {
    const { rate, frame: stored } = this.treatment.result
    const png = await toPng(await toRgb(frame, rate, untaggedMatrix(stored)))
    await writeFile(path.join(this.directory, curvePicture(value)), png)
  }

  /** @returns false where the volume is full, read-only or gone */
  private async attempt(work: () => Promise<void>): Promise<boolean> {
    try {
      await work()
      return true
    } catch (error) {
      if (!(error instanceof Error && 'syscall' in error)) throw error
      await rm(this.directory, { recursive: true, force: true }).catch(() => undefined)
      this.values = []
      return false
    }
  }
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
  keeper: PictureKeeper | null,
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
    await keeper?.keep(outputPath, value)
    return window?.quality ? window : null
  } finally {
    await rm(outputPath, { recursive: true, force: true })
  }
}
