import { performance } from 'node:perf_hooks'
import {
  containerFacts,
  copiesSound,
  describePixelFormat,
  isUntouched,
  outputKind,
  streamLimits,
  toNumber,
  type PictureCheckMeasurement,
  type PictureSpec,
  type SourceFacts,
  type StretchQuality,
  type PictureTreatment,
} from '@hematine/core'
import {
  AV_FRAME_FLAG_INTERLACED,
  AVCOL_RANGE_UNSPECIFIED,
  AVCOL_SPC_UNSPECIFIED,
  AVMEDIA_TYPE_VIDEO,
} from 'node-av/constants'
import { avGetCodecName, avGetPixFmtName, Frame } from 'node-av/lib'
import { StreamDecoder } from '../reading/decoder.ts'
import { openFrames } from '../reading/frame-reader.ts'
import { Graph, videoPadOf } from '../ground/graph.ts'
import { picturesCutShort } from '../reading/still-file.ts'
import { comparePackets, comparePictures } from './check-copy.ts'
import { measureSubtitles } from './check-text.ts'
import { readResult, resultPicture, tagsOf } from './result.ts'
import type { MediaInput, PlainInput } from '../ground/media-input.ts'
import { TreatedPicture } from '../treating/picture-treatment.ts'
import { measureFlow } from './stream-flow.ts'
import { prove } from './proving/prove.ts'
import { levelOf, profileName, readColour } from '../reading/source-facts.ts'
import { secondsOf } from '../sound/sound-treatment.ts'
import type { WorkGate } from '../ground/gate.ts'
import { MediaError } from '../ground/libav.ts'
import { matchesItsList, sha256OfResult, sizeOfResult } from '../volumes/result-files.ts'

export interface CheckPlan {
  input: MediaInput
  facts: SourceFacts
  treatment: PictureTreatment
  spec: PictureSpec
  outputPath: string
}

/** The library's XPSNR reads rows of more than 8 bits right only when they fill their buffer, which rows of a multiple of this many columns do. */
const xpsnrColumns = 64

/**
 * The library's XPSNR weighs blocks whose side goes with the picture's (Helmrich and others, 2020), and divides by noughts below 45x45 pixels; its SSIM has
 * windows of 8x8. Of so small a picture every pixel is shown as a square of several, which leaves the errors what they are.
 */
const leastSide = 48

/** Frame-by-frame likeness of two pictures, as it accumulates. */
export class Likeness {
  private graph: Graph | null = null
  private readonly measured = new Frame()
  private readonly ssim = { sum: 0, worst: 1, worstFrame: 0 }
  private readonly xpsnr = { errorSum: 0, worst: Number.POSITIVE_INFINITY, worstFrame: 0 }
  private frames = 0
  /** What columns added for the library's sake, all without error, add to the XPSNR. */
  private paddingDecibels = 0
  private identicalFrames = 0

  constructor(private readonly treatment: PictureTreatment) {
    this.measured.alloc()
  }

  async add(index: number, result: Frame, reference: Frame): Promise<void> {
    // Samples whose meaning nobody states would be converted on the way to what the others mean; tags are looked at by themselves.
    if (result.colorSpace === AVCOL_SPC_UNSPECIFIED) result.colorSpace = reference.colorSpace
    if (result.colorRange === AVCOL_RANGE_UNSPECIFIED) result.colorRange = reference.colorRange
    this.graph ??= await this.build(result, reference)
    result.pts = BigInt(index)
    reference.pts = BigInt(index)
    await this.graph.push(result, 0)
    await this.graph.push(reference, 1)
    await this.collect()
  }

  private build(result: Frame, reference: Frame): Promise<Graph> {
    const { rate } = this.treatment.result
    const pad = (frame: Frame) => videoPadOf(frame, { timeBase: { num: rate.den, den: rate.num }, frameRate: rate })
    const { bitDepth } = describePixelFormat(avGetPixFmtName(result.format as never) ?? '')
    const times = Math.ceil(leastSide / Math.min(leastSide, result.width, result.height))
    const shown = times === 1 ? 'null' : `scale=iw*${times}:ih*${times}:flags=neighbor`
    const columns = result.width * times
    const width = bitDepth > 8 ? Math.ceil(columns / xpsnrColumns) * xpsnrColumns : columns
    this.paddingDecibels = 10 * Math.log10(width / columns)
    const widen = width === columns ? 'null' : `pad=w=${width}`
    return Graph.video(
      `[in0]${shown}[result];[in1]${shown},split=2[reference1][reference2];[result][reference1]ssim,${widen}[compared];[reference2]${widen}[widened];[compared][widened]xpsnr`,
      [pad(result), pad(reference)],
    )
  }

  private async collect(): Promise<void> {
    while (this.graph && (await this.graph.pull(this.measured)) === 'frame') {
      const values = this.measured.getMetadata().getAll()
      const index = Number(this.measured.pts)
      const ssim = Number(values['lavfi.ssim.Y'] ?? values['lavfi.ssim.R'] ?? values['lavfi.ssim.All'])
      const decibels = values['lavfi.xpsnr.xpsnr.y'] ?? values['lavfi.xpsnr.xpsnr.r'] ?? 'nan'
      const xpsnr = decibels === 'inf' ? Number.POSITIVE_INFINITY : Number(decibels) - this.paddingDecibels
      this.frames++
      this.ssim.sum += ssim
      if (ssim < this.ssim.worst) Object.assign(this.ssim, { worst: ssim, worstFrame: index })
      // Decibels of each frame become error again, so that the mean is of errors and not of logarithms.
      this.xpsnr.errorSum += 10 ** (-xpsnr / 10)
      if (xpsnr < this.xpsnr.worst) Object.assign(this.xpsnr, { worst: xpsnr, worstFrame: index })
      if (xpsnr === Number.POSITIVE_INFINITY && Number(values['lavfi.ssim.All']) === 1) this.identicalFrames++
      this.measured.unref()
    }
  }

  async finish(): Promise<Pick<PictureCheckMeasurement, 'ssim' | 'xpsnr' | 'identical'>> {
    if (this.graph) {
      await this.graph.push(null, 0)
      await this.graph.push(null, 1)
      await this.collect()
    }
    const identical = this.frames > 0 && this.identicalFrames === this.frames
    const meanError = this.xpsnr.errorSum / Math.max(1, this.frames)
    return {
      identical,
      ssim:
        this.frames > 0 && Number.isFinite(this.ssim.sum)
          ? { mean: this.ssim.sum / this.frames, worst: this.ssim.worst, worstFrame: this.ssim.worstFrame }
          : null,
      xpsnr:
        this.frames > 0 && meanError > 0 && Number.isFinite(meanError)
          ? { mean: -10 * Math.log10(meanError), worst: this.xpsnr.worst, worstFrame: this.xpsnr.worstFrame }
          : null,
    }
  }

  free(): void {
    this.graph?.free()
    this.measured.free()
  }
}

/**
 * Decodes a result whole, beside its source treated once more, and measures both.
 * @throws MediaError when the result cannot be opened; whatever `gate.turn` rejects with, when stopped
 */
export async function measureResult(
  plan: CheckPlan,
  gate: WorkGate,
  onProgress: (framesDone: number) => void,
): Promise<PictureCheckMeasurement> {
  const { facts } = plan
  const { outputPath } = plan
  const bytes = await sizeOfResult(outputPath)
  const { picture, sound, facts: made, container } = await readResult(outputPath, plan.treatment.result.rate)
  const {
    video,
    copy: pictureCopy,
    isProved,
  } = await measureWhole(plan, { input: picture, streamIndex: made.video?.streamIndex }, gate, onProgress)
  const limits = plan.treatment.copied ? null : streamLimits(plan.spec)
  const flow =
    limits && made.video && outputKind(plan.spec) === 'moving picture'
      ? await measureFlow({ input: picture, streamIndex: made.video.streamIndex }, limits, gate)
      : null
  // Streams of packs begin where their first pack lets a player begin, and not at 0.
  const begin = containerFacts(plan.spec.container).beginsLate
    ? secondsOf(video.video.startTicks, video.video.timeBase)
    : 0
  const audio = []
  for (const [index, { input, streamIndex }] of sound.entries()) {
    const track = facts.audio[index]
    const copy =
      track && copiesSound(track, facts, plan.spec, plan.treatment)
        ? await comparePackets(plan, track.streamIndex, { input, streamIndex }, gate)
        : null
    audio.push({ ...(await measureSound(input, streamIndex, gate, begin)), ...(copy ? { copy } : {}) })
  }
  const subtitles = await measureSubtitles(plan, { input: picture, facts: made }, gate)
  const { account, glances, sourceSoundSeconds } = await prove(plan, gate, onProgress, isProved)
  const sha256 = await sha256OfResult(outputPath, gate)
  if (!(await matchesItsList(outputPath, sha256)))
    throw new MediaError('The folder does not hold what was written into it: a file of it changed. Make it again.')
  return {
    container,
    bytes,
    sourceBytes: facts.bytes,
    sha256,
    ...video,
    ...(pictureCopy ? { copy: pictureCopy } : {}),
    ...(flow ? { flow } : {}),
    sourceDecodeErrors: video.sourceDecodeErrors + (await picturesCutShort(plan.input)).length,
    audio,
    subtitles,
    chapters: made.chapters ?? [],
    ...tagsOf(made),
    sourceAudioSeconds: sourceSoundSeconds,
    account,
    ...(glances ? { glances } : {}),
  }
}

/**
 * Decodes a result's picture whole. One that was copied is held against its source packet by packet: where all are the source's own, and each gave a frame
 * without an error, every frame is the source's, which need not be decoded beside it.
 */
async function measureWhole(
  plan: CheckPlan,
  { input, streamIndex }: { input: PlainInput; streamIndex: number | undefined },
  gate: WorkGate,
  onProgress: (framesDone: number) => void,
): Promise<{ video: PictureMeasurement; copy: PictureCheckMeasurement['copy']; isProved: boolean }> {
  if (!plan.treatment.copied || streamIndex === undefined)
    return { video: await measurePicture(plan, gate, onProgress), copy: undefined, isProved: false }
  const { isWhole, ...copy } = await comparePictures(plan, { input, streamIndex }, gate, onProgress)
  if (isWhole && isUntouched(copy)) {
    const alone = await measurePicture(plan, gate, onProgress, null, nothingBeside)
    const { framesDecoded, decodeErrors } = alone.video
    if (framesDecoded === copy.sourcePackets && decodeErrors === 0)
      return { video: { ...alone, treatedFrames: copy.sourcePackets, identical: true }, copy, isProved: true }
  }
  return { video: await measurePicture(plan, gate, onProgress), copy, isProved: false }
}

/** In place of treated frames where there is nothing to compare. */
const nothingBeside = async (): Promise<TreatedFrames> => ({
  errors: 0,
  next: async () => false,
  close: async () => undefined,
})

/** What `measurePicture` finds. */
export type PictureMeasurement = Pick<
  PictureCheckMeasurement,
  'video' | 'treatedFrames' | 'sourceDecodeErrors' | 'ssim' | 'xpsnr' | 'identical'
>

/** The frames that a result is held against. */
export interface TreatedFrames {
  /** Decode errors of the source so far. */
  readonly errors: number
  next(frame: Frame): Promise<boolean>
  close(): Promise<void>
}

/**
 * Decodes a result's picture whole and compares each frame with the treated source.
 * @param part for a result that is a stretch only: the treated frame it starts with, and how many of its frames are looked at
 * @param open gives the treated frames from there on; the source is treated once more unless said
 */
export async function measurePicture(
  plan: CheckPlan,
  gate: WorkGate,
  onProgress: (framesDone: number) => void,
  part: { firstFrame: number; frames: number } | null = null,
  open: () => Promise<TreatedFrames> = () =>
    TreatedPicture.open(plan.input, plan.facts.video!, plan.treatment, { firstFrame: part?.firstFrame ?? 0 }),
): Promise<PictureMeasurement> {
  const { treatment } = plan
  const result = await resultPicture(plan.outputPath, plan.treatment.result.rate)
  const decoder = await StreamDecoder.openBest(result, AVMEDIA_TYPE_VIDEO)
  const likeness = new Likeness(treatment)
  const [frame, reference] = [new Frame(), new Frame()]
  frame.alloc()
  reference.alloc()
  let treated: TreatedFrames | null = null
  try {
    treated = await open()
    let [framesDecoded, treatedFrames] = [0, 0]
    let [firstTicks, lastTicks] = [0, 0]
    let interlaced = false
    let shape: Pick<
      PictureCheckMeasurement['video'],
      'width' | 'height' | 'pixelFormat' | 'colour' | 'pixelAspect'
    > | null = null
    for (;;) {
      await gate.turn()
      const hasResult = (part === null || framesDecoded < part.frames) && (await decoder.next(frame))
      const hasReference = (part === null || treatedFrames < part.frames) && (await treated.next(reference))
      if (hasResult) {
        const ticks = Number(frame.pts)
        if (framesDecoded === 0) {
          firstTicks = ticks
          const aspect = frame.sampleAspectRatio.num > 0 ? frame.sampleAspectRatio : decoder.stream.sampleAspectRatio
          shape = {
            width: frame.width,
            height: frame.height,
            pixelFormat: plainFormat(avGetPixFmtName(frame.format as never) ?? 'unknown'),
            colour: readColour(frame),
            pixelAspect: aspect.num > 0 ? { num: aspect.num, den: aspect.den } : { num: 1, den: 1 },
          }
          interlaced = frame.hasFlags(AV_FRAME_FLAG_INTERLACED)
        }
        lastTicks = ticks
        framesDecoded++
      }
      if (hasReference) treatedFrames++
      if (!hasResult && !hasReference) break
      if (hasResult && hasReference && frame.width === reference.width && frame.height === reference.height)
        await likeness.add(framesDecoded - 1, frame, reference)
      if (hasResult) frame.unref()
      if (hasReference) reference.unref()
      onProgress(Math.max(framesDecoded, treatedFrames))
    }
    if (!shape) throw new MediaError('The result holds no picture that can be decoded.')
    const { stream } = decoder
    const rate =
      framesDecoded > 1
        ? measuredRate(framesDecoded, (lastTicks - firstTicks) * toNumber(decoder.timeBase), treatment)
        : treatment.result.rate
    return {
      video: {
        codec: avGetCodecName(stream.codecpar.codecId) ?? 'unknown',
        profile: profileName(stream),
        level: levelOf(stream),
        ...shape,
        frameRate: rate,
        interlaced,
        framesDecoded,
        decodeErrors: decoder.errors,
        durationSeconds: (lastTicks - firstTicks) * toNumber(decoder.timeBase) + 1 / toNumber(rate),
        startTicks: firstTicks,
        timeBase: decoder.timeBase,
      },
      treatedFrames,
      sourceDecodeErrors: treated.errors,
      ...(await likeness.finish()),
    }
  } finally {
    frame.free()
    reference.free()
    likeness.free()
    await treated?.close()
    await decoder.close()
  }
}

/**
 * Time that checking a stretch takes, as a job's check does it, and what it finds.
 * @returns how like the stretch is, and seconds for `part.frames` frames; the first one, with its seek, is left out and the others stand for it. A single frame has the seek in
 * @throws as `measurePicture` does
 */
export async function timeCheck(
  plan: CheckPlan,
  gate: WorkGate,
  part: { firstFrame: number; frames: number },
): Promise<{ seconds: number; quality: StretchQuality | null }> {
  const opened = performance.now()
  let begin = 0
  const { copied } = plan.treatment
  const look = () => (begin ||= performance.now())
  const measured = await measurePicture(plan, gate, look, part, copied ? nothingBeside : undefined)
  const end = performance.now()
  return {
    seconds: part.frames > 1 ? ((end - begin) / 1000) * (part.frames / (part.frames - 1)) : (end - opened) / 1000,
    quality: qualityOfStretch(copied ? { ...measured, identical: true } : measured),
  }
}

/** How like a stretch is to its treated frames; null where they could not be compared. */
export function qualityOfStretch({
  ssim,
  xpsnr,
  identical,
}: Pick<PictureMeasurement, 'ssim' | 'xpsnr' | 'identical'>): StretchQuality | null {
  if (identical) return { xpsnr: null, ssim: 1 }
  return xpsnr && ssim ? { xpsnr: xpsnr.mean, ssim: ssim.mean } : null
}

/** Rate of a result from its frames' own times; the planned one when it agrees to within the rounding of the container's clock. */
function measuredRate(frames: number, span: number, treatment: PictureTreatment): { num: number; den: number } {
  const planned = treatment.result.rate
  const measured = (frames - 1) / span
  const rounding = 0.002 / Math.max(span, 0.04)
  return Math.abs(measured / toNumber(planned) - 1) <= rounding
    ? planned
    : { num: Math.round(measured * 1000), den: 1000 }
}

/** Deprecated full-range names mean the same layout. */
function plainFormat(name: string): string {
  return name.replace(/^yuvj/, 'yuv')
}

/** Decodes a whole sound track; its length is counted from `zeroSeconds`, the picture's start. */
async function measureSound(
  input: MediaInput,
  streamIndex: number,
  gate: WorkGate,
  zeroSeconds: number,
): Promise<PictureCheckMeasurement['audio'][number]> {
  const decoder = await openFrames(input, streamIndex, 1)
  const frame = new Frame()
  frame.alloc()
  try {
    let end = 0
    while (await decoder.next(frame)) {
      await gate.turn()
      const at = secondsOf(Number(frame.pts), decoder.timeBase)
      end = Math.max(end, at + frame.nbSamples / Math.max(1, frame.sampleRate))
      frame.unref()
    }
    return {
      codec: avGetCodecName(decoder.stream.codecpar.codecId) ?? 'unknown',
      channels: decoder.stream.codecpar.channels,
      sampleRate: decoder.stream.codecpar.sampleRate,
      durationSeconds: Math.max(0, end - zeroSeconds),
      decodeErrors: decoder.errors,
    }
  } finally {
    frame.free()
    await decoder.close()
  }
}
