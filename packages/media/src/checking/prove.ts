import {
  accountOfPictures,
  accountOfSound,
  glanceOf,
  keepsAll,
  keptRegion,
  pictureRegion,
  plainTimeline,
  spannedFrames,
  stretchLookedAt,
  toNumber,
  windowPlans,
  type Account,
  type Glances,
  type PictureTreatment,
  type PlainLook,
  type Region,
  type SourceFacts,
  type SourceStretch,
  type Treatment,
  type VideoFacts,
} from '@hematine/core'
import { Glancer } from '../measuring/measure-picture.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { secondsOf, soundAloneZero } from '../sound/sound-treatment.ts'
import { readResult } from './result.ts'
import type { WorkGate } from '../ground/gate.ts'
import type { ProvedPicture } from '../proof/picture-proof.ts'
import { envelopeRate, listenPlainly, lookPlainly, streamsOf, zeroOf, type LookedAt } from '../proof/plain-look.ts'

export interface Proof {
  account: Account
  glances: Glances | null
  /** Length of each of the source's tracks by its own samples, from time 0. */
  sourceSoundSeconds: number[]
}

export interface ProofPlan {
  input: MediaInput
  /** Of the source, with the tracks that are delivered. */
  facts: SourceFacts
  treatment: Treatment
  outputPath: string
}

/** Sound alone has no rate of pictures to read by. */
const anyRate = { num: 25, den: 1 }

/**
 * Holds a result against its source without the treatment: every picture and second of sound of both is decoded plainly and counted, and a few
 * windows of both are measured by themselves.
 * @param seen of the result, where its packets were decoded on their way into it; else it is decoded here
 * @param isSame whether the picture's packets were shown to be the source's own: then all that is in them is there, and only the sound is looked at
 * @throws MediaError when one of them cannot be decoded; whatever `gate.turn` rejects with, when stopped
 */
export async function prove(
  { input, facts, treatment, outputPath }: ProofPlan,
  gate: WorkGate,
  onProgress: (pictures: number) => void,
  isSame = false,
  seen: Pick<ProvedPicture, 'look' | 'seen'> | null = null,
): Promise<Proof> {
  const { facts: made, ...output } = await readResult(outputPath, treatment.result?.rate ?? anyRate)
  const hasPicture = treatment.result !== null && facts.video !== null && made.video !== null
  let picture: Account['picture'] = null
  let glances: Glances | null = null
  let resultZero = made.video ? secondsOf(made.video.startTicks, made.video.timeBase) : 0
  if (hasPicture && !isSame) {
    const looked = stretchOfSource(input, facts, treatment)
    const source = await lookAndGlance(
      input,
      streamsOf(input, facts, 'picture'),
      facts.video!,
      framesIn(facts, looked?.kept ?? null),
      gate,
      onProgress,
      {
        within: input.kind === 'join' ? null : keptRegion(treatment as PictureTreatment, facts.video!),
        stretch: looked,
      },
    )
    const result =
      (seen?.seen ? { look: seen.look, seen: seen.seen } : null) ??
      (await lookAndGlance(
        output.picture,
        () => made.video!.streamIndex,
        made.video!,
        treatment.result!.frameCount,
        gate,
        onProgress,
        { within: pictureRegion(treatment as PictureTreatment) },
      ))
    if (!seen?.seen) resultZero = result.look.seconds.find(at => at !== null) ?? resultZero
    picture = accountOfPictures(source.look, result.look, facts, treatment)
    const isFlagged = facts.video!.scan.kind !== 'progressive'
    // Edges of a picture that is yet to be turned are others.
    const edges = <Seen extends { borders: unknown }>(seen: Seen) =>
      source.look.signs ? { ...seen, borders: null } : seen
    glances = { source: edges(glanceOf(source.seen, isFlagged)), result: glanceOf(result.seen, isFlagged) }
  }
  const zero = hasPicture ? zeroOf(facts) : await soundAloneZero(input, facts, treatment)
  const sound: Account['sound'] = []
  const sourceSoundSeconds: number[] = []
  const listened = listenedTo(input, facts, treatment)
  for (let index = 0; index < facts.audio.length; index++) {
    // A channel that sounds only in what is trimmed off is silent in the result.
    const counts = (from: number, to: number) => keepsAll(treatment.timeline ?? plainTimeline, from, to)
    const heard = await listenPlainly(input, streamsOf(input, facts, index), zero, gate, counts, listened)
    sourceSoundSeconds.push(Math.max(0, heard.last ?? 0))
    const other = output.sound[index]
    if (!other) continue
    sound.push(
      accountOfSound(
        heard,
        await listenPlainly(other.input, () => other.streamIndex, resultZero, gate),
        facts,
        treatment,
        picture?.expected ?? null,
      ),
    )
  }
  return { account: { picture, sound }, glances, sourceSoundSeconds }
}

/** The stretch of a source that is looked at; null for all of it. */
function stretchOfSource(input: MediaInput, facts: SourceFacts, treatment: Treatment): LookedAt | null {
  const stretch = input.kind === 'file' || input.kind === 'title' ? stretchLookedAt(facts, treatment) : null
  return stretch && { ...stretch, zero: zeroOf(facts), rate: toNumber(facts.video!.frameRate) }
}

/**
 * The stretch of a source's sound that is listened to; null for all of it. What is kept begins a whole number of coarse samples behind where that begins:
 * half a sample off, high tones are as like as turned over.
 */
function listenedTo(input: MediaInput, facts: SourceFacts, treatment: Treatment): SourceStretch | null {
  const stretch = input.kind === 'file' || input.kind === 'title' ? stretchLookedAt(facts, treatment) : null
  if (!stretch) return null
  const { from, to, kept } = stretch
  return { from: kept.from - Math.floor((kept.from - from) * envelopeRate + 1e-6) / envelopeRate, to }
}

/** How many pictures a stretch of a source has, or all of it. */
function framesIn(facts: SourceFacts, stretch: SourceStretch | null): number {
  const all = spannedFrames(facts.video!)
  if (!stretch) return all
  const rate = toNumber(facts.video!.frameRate)
  return Math.max(1, Math.min(all, Math.round(stretch.to * rate)) - Math.round(stretch.from * rate))
}

/**
 * Time that proving takes beside what is compared while it is encoded, measured on a stretch: seconds for each frame of the result in decoding the source
 * plainly, and what looking closely at windows of both takes once, whatever the length.
 * @param outputPath of the stretch @param frames of it
 */
export async function timeProof(
  { input, facts, treatment, outputPath }: ProofPlan & { treatment: PictureTreatment },
  frames: number,
  gate: WorkGate,
): Promise<{ secondsPerFrame: number; onceSeconds: number }> {
  const timed = async (work: (told: (pictures: number) => void) => Promise<unknown>) => {
    let [begun, first, last] = [0, 0, 0]
    await work(pictures => {
      // Opening and the first picture happen once in a whole job.
      if (begun === 0) {
        begun = performance.now()
        first = pictures
      }
      last = pictures
    })
    return last > first ? (performance.now() - begun) / 1000 / (last - first) : 0
  }
  const { facts: made, ...output } = await readResult(outputPath, treatment.result.rate)
  // Pictures of the source that are counted for each of the result.
  const perSource = framesIn(facts, stretchOfSource(input, facts, treatment)) / Math.max(1, treatment.result.frameCount)
  const { windows, framesEach } = windowPlans.glance
  // Only so many pictures are looked at closely, of either: what that costs beside counting them is measured on one window.
  const closely = async (
    looked: MediaInput,
    streamOf: (part: number) => number,
    video: VideoFacts,
    pictures: number,
    counted: number,
  ) => {
    const counting = await timed(told => lookPlainly(looked, streamOf, gate, told, counted))
    const most = framesEach
    const looking = await timed(told => lookAndGlance(looked, streamOf, video, most, gate, told, { most }))
    return { counting, once: Math.max(0, looking - counting) * Math.min(pictures, windows * framesEach) }
  }
  const source = await closely(
    input,
    streamsOf(input, facts, 'picture'),
    facts.video!,
    spannedFrames(facts.video!),
    Math.max(2, Math.round(frames * perSource)),
  )
  const { frameCount } = treatment.result
  const result = await closely(output.picture, () => made.video!.streamIndex, made.video!, frameCount, framesEach)
  return { secondsPerFrame: source.counting * perSource, onceSeconds: source.once + result.once }
}

/** What of a picture is looked at; all of it unless said. */
interface Look {
  most?: number
  within?: Region | null
  stretch?: LookedAt | null
}

async function lookAndGlance(
  input: MediaInput,
  streamOf: (part: number) => number,
  video: VideoFacts,
  frames: number,
  gate: WorkGate,
  onProgress: (pictures: number) => void,
  { most, within = null, stretch = null }: Look = {},
): Promise<{ look: PlainLook; seen: Parameters<typeof glanceOf>[0] }> {
  const glancer = new Glancer(video, frames, within)
  try {
    const look = await lookPlainly(input, streamOf, gate, onProgress, most, glancer, within, stretch)
    return { look, seen: await glancer.finish() }
  } finally {
    glancer.free()
  }
}
