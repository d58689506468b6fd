import { measuringVersion, runsToMeasure, type MeasureDepth, type Measurement, type SourceFacts } from '@hematine/core'
import type { MediaInput } from './input.ts'
import { unreadableStretches } from './title-reader.ts'
import { measurePictureOf } from './measure-picture.ts'
import { measureSoundOf } from './measure-sound.ts'
import { readPacketTimes } from './packet-times.ts'
import type { WorkGate } from './transcode.ts'

/** Part of the time that the picture takes where there is sound too. */
const usualPictureShare = 0.8

/** Picture packets whose times are read. */
const packets: Record<MeasureDepth, number> = { sampled: 3000, deep: 60_000 }

/**
 * Measures a source in samples spread over its length; the cost depends on the depth and the frame size, not on the length.
 * @param onProgress told the part that is done, 0 to 1, about once a frame
 * @throws MediaError when nothing can be decoded; whatever `gate.turn` rejects with, when stopped
 */
export async function measureSource(input: MediaInput, facts: SourceFacts, depth: MeasureDepth, gate: WorkGate, onProgress: (part: number) => void = () => undefined): Promise<Measurement> {
  const begin = process.cpuUsage()
  const times = await readPacketTimes(input, facts, packets[depth])
  const frames = facts.video ? runsToMeasure(facts.video.frameCount, depth).reduce((sum, run) => sum + run.frames, 0) : 0
  const pictureShare = !facts.video ? 0 : facts.audio.length > 0 ? usualPictureShare : 1
  let done = 0
  const counting: WorkGate = {
    async turn() {
      await gate.turn()
      onProgress(Math.min(1, ++done / Math.max(1, frames)) * pictureShare)
    },
  }
  const picture = facts.video ? await measurePictureOf(input, facts.video, depth, times, counting) : null
  const sound = []
  for (const track of facts.audio) {
    sound.push(await measureSoundOf(input, facts, track, depth, times, gate))
    onProgress(pictureShare + ((1 - pictureShare) * sound.length) / facts.audio.length)
  }
  const { user, system } = process.cpuUsage(begin)
  return { version: measuringVersion, depth, tookSeconds: (user + system) / 1e6, picture, sound, ...(input.kind === 'title' && input.unreadable.length > 0 ? { unreadable: unreadableStretches(input) } : {}) }
}
