import { performance } from 'node:perf_hooks'
import {
  containerFacts,
  copiesSound,
  isUntouched,
  outputKind,
  pictureCodec,
  streamLimits,
  toNumber,
  type PictureCheckMeasurement,
  type PictureSpec,
  type Rational,
  type SourceFacts,
  type PictureTreatment,
} from '@hematine/core'
import { AV_FRAME_FLAG_INTERLACED, AVMEDIA_TYPE_VIDEO } from 'node-av/constants'
import { avGetCodecName, avGetPixFmtName, Frame } from 'node-av/lib'
import { containerColour } from '../reading/container-colour.ts'
import { StreamDecoder } from '../reading/decoder.ts'
import { openFrames } from '../reading/frame-reader.ts'
import { picturesCutShort } from '../reading/still-file.ts'
import { comparePackets, comparePictures } from './check-copy.ts'
import { measureSubtitles } from './check-text.ts'
import { readResult, resultPicture, tagsOf, type Result } from './result.ts'
import type { MediaInput, PlainInput } from '../ground/media-input.ts'
import { TreatedPicture } from '../treating/picture-treatment.ts'
import { prove } from './prove.ts'
import type { Proved } from '../encoding/transcode.ts'
import { Likeness } from '../proof/likeness.ts'
import { readBack, type ProvedStream, type ReadBack } from '../proof/on-disk.ts'
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
  /** What comparing behind the encoders showed; where it is left out, the file is decoded and its source treated once more. */
  proved?: Proved | null
}

/**
 * Measures a finished result: what was compared behind the encoders is held against what lies on the disk, and both it and the source are decoded plainly for
 * the account of what is in them. A result that was not compared on its way is decoded whole, beside its source treated once more.
 * @throws MediaError when the result cannot be opened; whatever `gate.turn` rejects with, when stopped
 */
export async function measureResult(
  plan: CheckPlan,
  gate: WorkGate,
  onProgress: (framesDone: number) => void,
): Promise<PictureCheckMeasurement> {
  const { facts } = plan
  const { outputPath, proved } = plan
  const bytes = await sizeOfResult(outputPath)
  const result = await readResult(outputPath, plan.treatment.result.rate)
  const { picture, sound, facts: made, container } = result
  const isEncodedFilm = !plan.treatment.copied && outputKind(plan.spec) === 'moving picture'
  const limits = isEncodedFilm ? streamLimits(plan.spec) : null
  const onDisk = proved ? await readBack(...streamsOfResult(plan, proved, result), limits, gate) : null
  const {
    video,
    copy: pictureCopy,
    isProved,
  } = proved && onDisk
    ? { video: await pictureOnDisk(plan, proved, onDisk), copy: undefined, isProved: false }
    : await measureWhole(plan, { input: picture, streamIndex: made.video?.streamIndex }, gate, onProgress)
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
    const likeness = proved?.sound[index]?.likeness
    const stored = onDisk?.sound[index]
    audio.push({
      ...(await measureSound(input, streamIndex, gate, begin)),
      ...(copy ? { copy } : {}),
      ...(likeness ? { likeness } : {}),
      ...(stored ? { onDisk: stored } : {}),
    })
  }
  const subtitles = await measureSubtitles(plan, { input: picture, facts: made }, gate)
  const { account, glances, sourceSoundSeconds } = await prove(plan, gate, onProgress, isProved, proved?.picture)
  const sha256 = await sha256OfResult(outputPath, gate)
  if (!(await matchesItsList(outputPath, sha256)))
    throw new MediaError('The folder does not hold what was written into it: a file of it changed. Make it again.')
  return {
    container,
    bytes,
    sourceBytes: facts.bytes,
    sha256,
    ...video,
    // Of a copy it is its source's own.
    ...(isEncodedFilm ? { video: { ...video.video, containerColour: await containerColour(outputPath) } } : {}),
    ...(pictureCopy ? { copy: pictureCopy } : {}),
    ...(onDisk?.flow ? { flow: onDisk.flow } : {}),
    sourceDecodeErrors: video.sourceDecodeErrors + (await picturesCutShort(plan.input)).length,
    audio,
    ...subtitles,
    chapters: made.chapters ?? [],
    ...tagsOf(made),
    sourceAudioSeconds: sourceSoundSeconds,
    account,
    ...(glances ? { glances } : {}),
  }
}

/** The streams of a result that were compared on their way into it. */
function streamsOfResult(
  { spec }: CheckPlan,
  { picture, sound }: Proved,
  result: Result,
): [ProvedStream, (ProvedStream | null)[]] {
  const { ledger, codec, head } = picture
  const { countsPackets, beginsLate } = containerFacts(spec.container)
  const times = countsPackets ? 'none' : beginsLate ? 'first' : undefined
  return [
    {
      input: result.picture,
      streamIndex: result.facts.video?.streamIndex ?? 0,
      ledger,
      codec,
      head,
      isFiles: outputKind(spec) !== 'moving picture' && !pictureCodec(spec.video.codec).wrap,
    },
    sound.map((track, index) => {
      const made = result.sound[index]
      if (!track || !made) return null
      const { ledger, codec: name } = track
      return { ...made, ledger, codec: name, ...(times ? { times } : {}) }
    }),
  ]
}

/** Most frames out of their place that are named. */
const mostMisplaced = 100

/** What was compared of a picture, with what its file says and shows of it. */
async function pictureOnDisk(
  { outputPath, treatment }: CheckPlan,
  { picture, sourceDecodeErrors }: Proved,
  onDisk: ReadBack,
): Promise<PictureMeasurement> {
  const decoder = await StreamDecoder.openBest(
    await resultPicture(outputPath, treatment.result.rate),
    AVMEDIA_TYPE_VIDEO,
  )
  const frame = new Frame()
  frame.alloc()
  try {
    if (!(await decoder.next(frame))) throw new MediaError('The result holds no picture that can be decoded.')
    const { treatedFrames, framesDecoded, decodeErrors, ssim, xpsnr, identical, framesCompared, misplaced, strange } =
      picture
    const firstTicks = Number(frame.pts)
    const span = onDisk.shown
      ? onDisk.shown.last - onDisk.shown.first
      : (framesDecoded - 1) * toNumber(decoder.timeBase)
    return {
      video: {
        ...streamShape(decoder, frame),
        ...timing({ frames: framesDecoded, firstTicks, span, timeBase: decoder.timeBase }, treatment),
        framesDecoded,
        decodeErrors,
      },
      treatedFrames,
      framesCompared,
      misplaced: misplaced.slice(0, mostMisplaced),
      strange: strange.slice(0, mostMisplaced),
      onDisk: onDisk.picture,
      sourceDecodeErrors,
      ssim,
      xpsnr,
      identical,
    }
  } finally {
    frame.free()
    await decoder.close()
  }
}

type Video = PictureCheckMeasurement['video']

/** What a stream and its first frame say of themselves. */
function streamShape(
  { stream }: StreamDecoder,
  frame: Frame,
): Omit<Video, 'frameRate' | 'framesDecoded' | 'decodeErrors' | 'durationSeconds' | 'startTicks' | 'timeBase'> {
  const aspect = frame.sampleAspectRatio.num > 0 ? frame.sampleAspectRatio : stream.sampleAspectRatio
  return {
    codec: avGetCodecName(stream.codecpar.codecId) ?? 'unknown',
    profile: profileName(stream),
    level: levelOf(stream),
    width: frame.width,
    height: frame.height,
    pixelFormat: plainFormat(avGetPixFmtName(frame.format as never) ?? 'unknown'),
    colour: readColour(frame),
    pixelAspect: aspect.num > 0 ? { num: aspect.num, den: aspect.den } : { num: 1, den: 1 },
    interlaced: frame.hasFlags(AV_FRAME_FLAG_INTERLACED),
  }
}

/** How fast and how long a result is. @param span seconds from the first frame to the last */
function timing(
  { frames, firstTicks, span, timeBase }: { frames: number; firstTicks: number; span: number; timeBase: Rational },
  treatment: PictureTreatment,
): Pick<Video, 'frameRate' | 'durationSeconds' | 'startTicks' | 'timeBase'> {
  const frameRate = frames > 1 ? measuredRate(frames, span, treatment) : treatment.result.rate
  return { frameRate, durationSeconds: span + 1 / toNumber(frameRate), startTicks: firstTicks, timeBase }
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
    const alone = await measurePicture(plan, gate, onProgress, nothingBeside)
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
type PictureMeasurement = Pick<
  PictureCheckMeasurement,
  | 'video'
  | 'treatedFrames'
  | 'framesCompared'
  | 'misplaced'
  | 'strange'
  | 'onDisk'
  | 'sourceDecodeErrors'
  | 'ssim'
  | 'xpsnr'
  | 'identical'
>

/** The frames that a result is held against. */
interface TreatedFrames {
  /** Decode errors of the source so far. */
  readonly errors: number
  next(frame: Frame): Promise<boolean>
  close(): Promise<void>
}

/**
 * Decodes a result's picture whole and compares each frame with the treated source.
 * @param open gives the treated frames; the source is treated once more unless said
 * @param most frames that are decoded; all unless said
 */
async function measurePicture(
  plan: CheckPlan,
  gate: WorkGate,
  onProgress: (framesDone: number) => void,
  open: () => Promise<TreatedFrames> = () => TreatedPicture.open(plan.input, plan.facts.video!, plan.treatment),
  most = Number.POSITIVE_INFINITY,
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
    let shape: ReturnType<typeof streamShape> | null = null
    for (;;) {
      await gate.turn()
      const hasResult = framesDecoded < most && (await decoder.next(frame))
      const hasReference = await treated.next(reference)
      if (hasResult) {
        const ticks = Number(frame.pts)
        if (framesDecoded === 0) {
          firstTicks = ticks
          shape = streamShape(decoder, frame)
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
    const { timeBase } = decoder
    const span = (lastTicks - firstTicks) * toNumber(timeBase)
    return {
      video: {
        ...shape,
        ...timing({ frames: framesDecoded, firstTicks, span, timeBase }, treatment),
        framesDecoded,
        decodeErrors: decoder.errors,
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
 * Time that decoding a stretch takes whose packets are its source's own, as a job's check does it.
 * @returns seconds for `frames` frames; the first one is left out and the others stand for it. A single frame has the opening in
 * @throws as `measurePicture` does
 */
export async function timeCopyCheck(plan: CheckPlan, gate: WorkGate, frames: number): Promise<number> {
  const opened = performance.now()
  let begin = 0
  await measurePicture(plan, gate, () => (begin ||= performance.now()), nothingBeside, frames)
  const end = performance.now()
  return frames > 1 ? ((end - begin) / 1000) * (frames / (frames - 1)) : (end - opened) / 1000
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
