import { access, mkdir } from 'node:fs/promises'
import path from 'node:path'
import {
  columnGrid,
  detailOf,
  framesIn,
  noiseOf,
  plainWay,
  plainTimeline,
  resultTimeAt,
  rowGrid,
  stepName,
  toNumber,
  wobbleOf,
  type PictureSpec,
  type Moment,
  type PictureFigures,
  type Plane,
  type SourceFacts,
  type PictureTreatment,
  type TrialMoment,
  type VideoFacts,
} from '@hematine/core'
import { Frame } from 'node-av/lib'
import { timeProof } from '../checking/prove.ts'
import { rateOfStretches } from '../delivering/find-quality.ts'
import { openFrames } from '../reading/frame-reader.ts'
import { FrameSheet, toJpeg } from '../stills/frame-sheet.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { MediaError } from '../ground/libav.ts'
import { readResult } from '../checking/result.ts'
import { toRgb, treatedStill, untaggedMatrix, type RgbPicture } from '../stills/still.ts'
import { writeMomentSound } from './moment-sound.ts'
import { momentFile, sheetFile, soundFile, sourceSheetFile, sourceSoundFile } from '../volumes/trial-files.ts'
import { sizeOfResult } from '../volumes/result-files.ts'
import type { WorkGate } from '../ground/gate.ts'
import { transcode, type TranscodeResult } from '../encoding/transcode.ts'

/** A moment that is tried, as far as it is the same with and without a picture. */
export interface AnyTrialPlan {
  input: MediaInput
  /** Of the source, with those tracks only that are delivered. */
  facts: SourceFacts
  moment: Moment
  /** Number of the moment within its trial. */
  index: number
  /** Directory of the trial; the source's own sheets lie in the one above it. */
  directory: string
  sourceId: number
}

export interface TrialPlan extends AnyTrialPlan {
  treatment: PictureTreatment
  spec: PictureSpec
}

export const trimmedOff = 'The treatment trims this moment off. Choose another moment, or keep its range.'

/** The part of a result that shows a moment of the source: its first frame and how many. @throws MediaError when the treatment trims the moment off */
export function stretchOf({ from, to }: Moment, treatment: PictureTreatment): { firstFrame: number; frames: number } {
  const timeline = treatment.timeline ?? plainTimeline
  const rate = toNumber(treatment.result.rate)
  const start = resultTimeAt(timeline, from)
  if (start === null) throw new MediaError(trimmedOff)
  const firstFrame = Math.min(Math.max(0, treatment.result.frameCount - 1), Math.round(start * rate))
  return {
    firstFrame,
    frames: Math.max(
      1,
      Math.min(treatment.result.frameCount - firstFrame, framesIn((to - from) / timeline.speed, treatment.result.rate)),
    ),
  }
}

/** A picture from the middle of a treated moment, as JPEG, to be looked at before the whole moment is done. @throws MediaError */
export async function trialLook({
  input,
  facts,
  treatment,
  moment,
}: Pick<TrialPlan, 'input' | 'facts' | 'treatment' | 'moment'>): Promise<Buffer> {
  const { firstFrame, frames } = stretchOf(moment, treatment)
  const places = [firstFrame + Math.floor(frames / 2), firstFrame, 0]
  for (const place of places) {
    try {
      return await toJpeg(await treatedStill(input, facts.video!, treatment, place))
    } catch (error) {
      // A source that ends early still has something to look at.
      if (!(error instanceof MediaError) || place === places.at(-1)) throw error
    }
  }
  throw new MediaError('No frame of this moment could be decoded. Choose another moment.')
}

/** Frames that are checked as those of a job are, to know what that costs; all would take as long as the moment itself. */
const checkedFrames = 12

/** Frames whose figures are taken, spread over the moment; each with the one after it. */
const figurePlaces = [0.15, 0.5, 0.85]

/**
 * Treats and encodes one moment as a job would, measures it, and keeps the pictures before and after for looking at them.
 * @throws MediaError when it cannot be done; whatever `gate.turn` rejects with, when stopped
 */
export async function runTrialMoment(plan: TrialPlan, gate: WorkGate): Promise<TrialMoment> {
  const { input, facts, treatment, spec, directory, index } = plan
  await mkdir(directory, { recursive: true })
  const outputPath = path.join(directory, momentFile(index, spec))
  const stretch = stretchOf(plan.moment, treatment)
  const search = { ...plan, stretch, scratchDirectory: path.join(directory, `search-${index}`) }
  const rate = await rateOfStretches(search, gate)
  const made = await transcode(
    { rate, input, facts, treatment, spec, outputPath, stretch, apart: true },
    gate,
    () => undefined,
  )
  return measureMoment(plan, outputPath, made, gate)
}

async function measureMoment(
  { facts, treatment, ...plan }: TrialPlan,
  outputPath: string,
  made: TranscodeResult,
  gate: WorkGate,
): Promise<TrialMoment> {
  const video = facts.video!
  const { directory, index } = plan
  const { picture: output, facts: written, sound } = await readResult(outputPath, treatment.result.rate)
  const speed = treatment.timeline?.speed ?? 1
  const rate = toNumber(treatment.result.rate)

  const after = new FrameSheet()
  const results = new Map<number, Plane>()
  const wanted = new Set(
    figurePlaces.flatMap(place =>
      [0, 1].map(next => Math.min(made.frames - 1, Math.floor(place * made.frames) + next)),
    ),
  )
  await eachFrame(output, written.video!, 0, gate, async (picture, seconds, number) => {
    await after.add(picture, seconds * speed)
    if (wanted.has(number)) results.set(number, lumaOf(picture))
  })
  const { ssim = null, xpsnr = null } = made.proved?.picture ?? {}
  await after.write(path.join(directory, sheetFile(index)))
  const sources = await keepSourceSheet({ ...plan, facts, treatment }, gate)
  const before: PictureFigures[] = []
  const treated: PictureFigures[] = []
  for (const place of figurePlaces) {
    const first = Math.min(made.frames - 1, Math.floor(place * made.frames))
    const now = results.get(first)
    const next = results.get(first + 1) ?? null
    const at = (first / rate) * speed
    const source = nearest(sources, at)
    // The source frame shown one result frame later, which at a doubled rate may be the same one.
    const sourceNext = nearest(sources, at + Math.max(speed / rate, 1 / toNumber(video.frameRate)))
    if (!now || !source) continue
    const wobble = next && sourceNext ? wobbleOf([source, sourceNext], [now, next]) : null
    before.push(figuresOf(source, wobble?.before ?? null))
    treated.push(figuresOf(now, wobble?.after ?? null))
  }
  const checked = Math.min(made.frames, checkedFrames)
  const { secondsPerFrame } = await timeProof({ ...plan, facts, treatment, outputPath }, checked, gate)
  const checkSeconds = secondsPerFrame * made.frames
  const gain = await gainOf({ ...plan, facts, treatment }, results, made.frames)
  const { moment } = plan
  const [loudBefore, loudAfter] = [
    await writeMomentSound(
      path.join(path.dirname(directory), sourceSoundFile(plan.sourceId, moment, facts.audio[0]?.streamIndex ?? 0)),
      plan.input,
      facts,
      moment.from,
      moment.to - moment.from,
      gate,
    ),
    await writeMomentSound(
      path.join(directory, soundFile(index)),
      sound[0]?.input ?? output,
      written,
      0,
      Number.MAX_SAFE_INTEGER / 1e6,
      gate,
    ),
  ]
  const names = [...made.stepSeconds].map(([key, seconds]) => ({ name: stepName(treatment, key), seconds }))
  return {
    frames: made.frames,
    seconds: made.seconds,
    checkSeconds,
    untilFirstFrame: made.untilFirstFrame,
    steps: [...names, { name: 'Encode', seconds: made.encodeSeconds }],
    bytes: await sizeOfResult(outputPath),
    ssim: ssim?.mean ?? null,
    xpsnr: xpsnr?.mean ?? null,
    before: meanFigures(before),
    after: meanFigures(treated),
    devices: made.devices,
    ...(gain ? { gain } : {}),
    ...(loudBefore === undefined || loudAfter === undefined
      ? {}
      : { loudness: { before: loudBefore, after: loudAfter } }),
  }
}

/** Holds the dear steps of a treatment against the plain way, at the frames whose figures are taken. @param results luma of the result by frame of the moment */
async function gainOf(
  { input, facts, treatment, moment }: TrialPlan,
  results: ReadonlyMap<number, Plane>,
  frames: number,
): Promise<TrialMoment['gain']> {
  const plain = plainWay(treatment)
  if (!plain) return undefined
  const { firstFrame } = stretchOf(moment, treatment)
  const differences: number[] = []
  const [detail, blocking]: [number[], number[]] = [[], []]
  for (const place of figurePlaces) {
    const number = Math.min(frames - 1, Math.floor(place * frames))
    const now = results.get(number)
    if (!now) continue
    const other = lumaOf(await treatedStill(input, facts.video!, plain.treatment, firstFrame + number))
    if (other.width !== now.width || other.height !== now.height) continue
    let squares = 0
    for (let at = 0; at < now.data.length; at++) squares += (now.data[at]! - other.data[at]!) ** 2
    differences.push(Math.sqrt(squares / now.data.length))
    const [here, there] = [figuresOf(now, null), figuresOf(other, null)]
    if (here.detail && there.detail) detail.push(here.detail / there.detail)
    if (there.blocking > 0) blocking.push(here.blocking / there.blocking)
  }
  const mean = (values: readonly number[]) =>
    values.length === 0 ? null : values.reduce((sum, value) => sum + value, 0) / values.length
  return differences.length === 0
    ? undefined
    : { over: plain.over, difference: mean(differences)!, detail: mean(detail), blocking: mean(blocking) }
}

/** Pictures of the source itself, kept for all trials of the moment. @returns the luma of its frames by their times */
async function keepSourceSheet(
  { input, facts, moment, directory, sourceId }: TrialPlan,
  gate: WorkGate,
): Promise<{ seconds: number; luma: Plane }[]> {
  const file = path.join(path.dirname(directory), sourceSheetFile(sourceId, moment, null))
  const isThere = await access(file).then(
    () => true,
    () => false,
  )
  const sheet = new FrameSheet()
  const planes: { seconds: number; luma: Plane }[] = []
  await eachFrame(
    input,
    facts.video!,
    moment.from,
    gate,
    async (picture, seconds) => {
      if (!isThere) await sheet.add(picture, seconds)
      planes.push({ seconds, luma: lumaOf(picture) })
    },
    moment.to - moment.from,
  )
  if (!isThere) await sheet.write(file)
  return planes
}

/** Program streams have no index: reading begins a little before the place. */
const leadSeconds = 3

/** Decodes frames from a place on. `take` is told the time from that place and the frame's number; it must not keep the frame. */
async function eachFrame(
  input: MediaInput,
  video: VideoFacts,
  from: number,
  gate: WorkGate,
  take: (picture: RgbPicture, seconds: number, number: number) => Promise<void>,
  length = Number.POSITIVE_INFINITY,
): Promise<void> {
  const decoder = await openFrames(input, video.streamIndex)
  const frame = new Frame()
  frame.alloc()
  try {
    const halfFrame = 0.5 / toNumber(video.frameRate)
    if (from > leadSeconds)
      await decoder.seek(BigInt(Math.round(video.startTicks + (from - leadSeconds) / toNumber(video.timeBase))))
    let number = 0
    while (await decoder.next(frame)) {
      await gate.turn()
      const seconds = (Number(frame.pts) - video.startTicks) * toNumber(video.timeBase) - from
      if (seconds >= length - halfFrame) break
      if (seconds >= -halfFrame)
        await take(await toRgb(frame, video.frameRate, untaggedMatrix(video)), Math.max(0, seconds), number++)
      frame.unref()
    }
  } finally {
    frame.free()
    await decoder.close()
  }
}

/** Luma of BT.709 weights in full range: both sides of a comparison are measured alike, whatever they were coded as. */
function lumaOf({ width, height, data }: RgbPicture): Plane {
  const luma = new Uint8Array(width * height)
  for (let at = 0, from = 0; at < luma.length; at++, from += 3)
    luma[at] = (data[from]! * 54 + data[from + 1]! * 183 + data[from + 2]! * 19) >> 8
  return { data: luma, width, height, stride: width }
}

function nearest(frames: readonly { seconds: number; luma: Plane }[], seconds: number): Plane | null {
  if (frames.length === 0) return null
  return frames.reduce((best, frame) =>
    Math.abs(frame.seconds - seconds) < Math.abs(best.seconds - seconds) ? frame : best,
  ).luma
}

function figuresOf(plane: Plane, wobble: number | null): PictureFigures {
  const noise = noiseOf(plane, null)
  const detail = detailOf(plane, 'rows', noise ?? 0)
  const grid = Math.sqrt(columnGrid(plane).strength * rowGrid(plane).strength)
  return { noise, detail: detail && detail.cutoff * plane.width, blocking: grid, wobble }
}

function meanFigures(figures: readonly PictureFigures[]): PictureFigures {
  const mean = (values: readonly (number | null)[]) => {
    const known = values.filter(value => value !== null)
    return known.length === 0 ? null : known.reduce((sum, value) => sum + value, 0) / known.length
  }
  return {
    noise: mean(figures.map(entry => entry.noise)),
    detail: mean(figures.map(entry => entry.detail)),
    blocking: mean(figures.map(entry => entry.blocking)) ?? 1,
    wobble: mean(figures.map(entry => entry.wobble)),
  }
}
