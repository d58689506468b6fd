import { plannedChapters, type DeliverySpec, type SoundTreatment, type SourceFacts } from '@hematine/core'
import { openBeside } from './beside-tracks.ts'
import { EncodedSound, soundRoles } from './encoded-sound.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { MediaError } from '../ground/libav.ts'
import { OutputFile } from './output.ts'
import { soundAloneZero } from '../sound/sound-treatment.ts'
import type { WorkGate } from '../ground/gate.ts'

/** Sound that is taken out of a source into a file of its own. */
export interface SoundPlan {
  input: MediaInput
  /** Of the source, with those tracks only that are delivered. */
  facts: SourceFacts
  treatment: Pick<SoundTreatment, 'timeline' | 'sound'>
  /** Container and sound of it count. */
  spec: DeliverySpec
  outputPath: string
  /** The source's name. */
  itemName?: string
  /** A piece of the result; the whole unless said. */
  stretch?: { startSeconds: number; seconds: number }
}

export interface SoundProgress {
  /** Length of the result so far. */
  seconds: number
  bytesWritten: number
}

export interface ExtractedSound {
  seconds: number
  /** Bytes and number of the encoded packets, without what the container adds. */
  bytes: number
  packets: number
  /** Seconds by the clock until all was open and the first sound was asked for, and from then on. */
  openSeconds: number
  workSeconds: number
}

/** Tracks are written in turns of so many seconds, so that a file with several is interleaved. */
const turnSeconds = 0.5

/**
 * Writes every track of `facts`, treated, into `outputPath`.
 * @throws MediaError when there is no sound; whatever `gate.turn` rejects with, when stopped. The unfinished file is the caller's to remove.
 */
export async function extractSound(
  { input, facts, treatment, spec, outputPath, stretch, itemName }: SoundPlan,
  gate: WorkGate,
  onProgress: (progress: SoundProgress) => void,
): Promise<ExtractedSound> {
  if (facts.audio.length === 0) throw new MediaError('The source has no sound.')
  const opened = performance.now()
  const zero = await soundAloneZero(input, facts, treatment)
  const most = stretch?.seconds ?? Number.POSITIVE_INFINITY
  const made: ExtractedSound = { seconds: 0, bytes: 0, packets: 0, openSeconds: 0, workSeconds: 0 }
  const chapters = stretch ? [] : plannedChapters(facts, spec, treatment.timeline)
  const beside = stretch ? null : await openBeside({ input, facts, spec }, itemName ?? null)
  const output = OutputFile.create(outputPath, spec.container, { chapters, ...beside?.remarks })
  const tracks: EncodedSound[] = []
  const written = {
    write: (packet: Parameters<OutputFile['write']>[0], index: number) => {
      made.bytes += packet.size
      made.packets++
      return output.write(packet, index)
    },
  }
  try {
    for (const [index, track] of facts.audio.entries()) {
      const treated = { startSeconds: stretch?.startSeconds ?? 0, treatment }
      const said = { ...track, roles: soundRoles(track, index) }
      tracks.push(await EncodedSound.open({ input, track, spec, zeroSeconds: zero, treated, said }, output))
    }
    await output.begin()
    const begun = performance.now()
    made.openSeconds = (begun - opened) / 1000
    for (let until = turnSeconds; made.seconds < most && tracks.some(track => !track.ended); until += turnSeconds) {
      for (const track of tracks) await track.writeUntil(Math.min(until, most), written, gate)
      made.seconds = Math.max(...tracks.map(track => track.seconds))
      onProgress({ seconds: made.seconds, bytesWritten: output.bytesWritten })
    }
    if (made.seconds === 0)
      throw new MediaError('There is no sound here: the source is damaged, or the place is after its end.')
    for (const track of tracks) await track.finish(written)
    const bytesWritten = output.bytesWritten
    await output.finish()
    onProgress({ seconds: made.seconds, bytesWritten })
    made.workSeconds = (performance.now() - begun) / 1000
    return made
  } finally {
    for (const track of tracks) await track.close()
    await output.close()
    await beside?.close()
  }
}
