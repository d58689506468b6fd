import {
  measuringVersion,
  runsToMeasure,
  spannedFrames,
  toNumber,
  type MeasureDepth,
  type MeasuredWindow,
  type Measurement,
  type SourceFacts,
  type VideoFacts,
} from '@hematine/core'
import type { MediaInput } from '../ground/media-input.ts'
import { unreadableStretches } from '../discs/title-reader.ts'
import { findCuts } from './find-cuts.ts'
import { measurePictureOf } from './measure-picture.ts'
import { measureSoundOf } from './measure-sound.ts'
import { readPacketTimes } from './packet-times.ts'
import { knownOf } from '../volumes/source-input.ts'
import { picturesCutShort } from '../reading/still-file.ts'
import { countedInAll, readTimes } from '../reading/source-times.ts'
import type { WorkGate } from '../ground/gate.ts'

/** Part of the time that the picture takes where there is sound too. */
const usualPictureShare = 0.8

/** Picture packets whose times are read of a source that is too large to be read whole. */
const packets: Record<MeasureDepth, number> = { sampled: 3000, deep: 60_000 }

/** Files up to this size are read whole for the times of their packets. */
const countedUpTo: Record<MeasureDepth, number> = { sampled: countedInAll, deep: Number.POSITIVE_INFINITY }

/** A measurement, and the facts with what reading all packets told. */
export interface MeasuredSource {
  measurement: Measurement
  facts: SourceFacts
}

/**
 * Measures a source in samples spread over its length; the cost depends on the depth and the frame size, not on the length, unless it is looked through.
 * @param onProgress told the part that is done, 0 to 1, about once a frame
 * @param through whether every picture is looked at for cuts besides
 * @throws MediaError when nothing can be decoded; whatever `gate.turn` rejects with, when stopped
 */
export async function measureSource(
  given: MediaInput,
  known: SourceFacts,
  depth: MeasureDepth,
  gate: WorkGate,
  onProgress: (part: number) => void = () => undefined,
  through = false,
): Promise<MeasuredSource> {
  const begin = process.cpuUsage()
  const counted =
    given.kind === 'file' ? await readTimes(given.path, known, countedUpTo[depth], async () => gate.turn()) : null
  const facts = counted?.facts ?? known
  const input: MediaInput = given.kind === 'file' ? { ...given, ...knownOf(facts) } : given
  const times = counted?.times ?? (await readPacketTimes(input, facts, packets[depth]))
  const runs = facts.video ? runsToMeasure(spannedFrames(facts.video), depth) : []
  // What the windows cover to the end need not be looked through once more.
  const looksThrough = through && runs.length > 1
  const frames =
    runs.reduce((sum, run) => sum + run.frames, 0) + (looksThrough && facts.video ? spannedFrames(facts.video) : 0)
  const pictureShare = !facts.video ? 0 : facts.audio.length > 0 ? usualPictureShare : 1
  let done = 0
  const counting: WorkGate = {
    async turn() {
      await gate.turn()
      onProgress(Math.min(1, ++done / Math.max(1, frames)) * pictureShare)
    },
  }
  const picture = facts.video ? await measurePictureOf(input, facts.video, depth, times, counting) : null
  if (picture && looksThrough) picture.cuts = await findCuts(input, facts.video!, counting)
  if (picture) await countCutShort(input, facts.video!, picture.windows)
  const sound = []
  for (const track of facts.audio) {
    sound.push(await measureSoundOf(input, facts, track, depth, times, gate))
    onProgress(pictureShare + ((1 - pictureShare) * sound.length) / facts.audio.length)
  }
  const { user, system } = process.cpuUsage(begin)
  const measurement = {
    version: measuringVersion,
    depth,
    tookSeconds: (user + system) / 1e6,
    picture,
    sound,
    ...(input.kind === 'title' && input.unreadable.length > 0 ? { unreadable: unreadableStretches(input) } : {}),
  }
  return { measurement, facts }
}

/** Counts each picture whose file ends early as an error of the window that is nearest to it. */
async function countCutShort(input: MediaInput, video: VideoFacts, windows: MeasuredWindow[]): Promise<void> {
  for (const place of await picturesCutShort(input)) {
    const seconds = place / toNumber(video.frameRate)
    const distance = (window: MeasuredWindow) =>
      Math.max(0, window.seconds[0]! - seconds, seconds - window.seconds.at(-1)!)
    const nearest = windows.reduce((best, window) => (distance(window) < distance(best) ? window : best), windows[0]!)
    nearest.errors++
  }
}
