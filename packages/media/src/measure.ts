import { measuringVersion, type MeasureDepth, type Measurement, type SourceFacts } from '@hematine/core'
import type { MediaInput } from './input.ts'
import { measurePictureOf } from './measure-picture.ts'
import { measureSoundOf } from './measure-sound.ts'
import { readPacketTimes } from './packet-times.ts'
import type { WorkGate } from './transcode.ts'

/** Picture packets whose times are read. */
const packets: Record<MeasureDepth, number> = { sampled: 3000, deep: 60_000 }

/**
 * Measures a source in samples spread over its length; the cost depends on the depth and the frame size, not on the length.
 * @throws MediaError when nothing can be decoded; whatever `gate.turn` rejects with, when stopped
 */
export async function measureSource(input: MediaInput, facts: SourceFacts, depth: MeasureDepth, gate: WorkGate): Promise<Measurement> {
  const begin = process.cpuUsage()
  const times = await readPacketTimes(input, facts, packets[depth])
  const picture = facts.video ? await measurePictureOf(input, facts.video, depth, times, gate) : null
  const sound = []
  for (const track of facts.audio) sound.push(await measureSoundOf(input, facts, track, depth, times, gate))
  const { user, system } = process.cpuUsage(begin)
  return { version: measuringVersion, depth, tookSeconds: (user + system) / 1e6, picture, sound }
}
