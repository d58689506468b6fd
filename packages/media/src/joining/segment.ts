import { leadOf, plannedRate, type Segment } from '@hematine/core'
import { EncodedPicture } from '../encoding/encoded-picture.ts'
import { remarksFor } from '../encoding/picture-remarks.ts'
import type { TranscodePlan } from '../encoding/transcode.ts'
import type { WorkGate } from '../ground/gate.ts'
import { MediaError } from '../ground/libav.ts'
import { PacketFileReader, PacketFileWriter } from './packet-file.ts'
import { storeProof, type FoundOfSegment } from './stored-proof.ts'

/** What making a segment takes. */
export interface SegmentPlan extends Pick<TranscodePlan, 'input' | 'facts' | 'treatment' | 'spec'> {
  segment: Segment
  /** The working file. */
  path: string
}

export interface SegmentProgress {
  framesDone: number
  bytesWritten: number
}

/**
 * Treats, encodes and compares a range of a result's frames, and leaves its packets with what was found of them in a working file. One that is there already,
 * and whole, is left as it is. What lies beyond the result's end gives a segment without frames.
 * @throws MediaError; whatever `gate.turn` rejects with, when stopped
 */
export async function makeSegment(
  plan: SegmentPlan,
  gate: WorkGate,
  onProgress: (progress: SegmentProgress) => void,
): Promise<FoundOfSegment> {
  const { input, facts, treatment, spec, segment, path } = plan
  const { video } = facts
  if (!video) throw new MediaError('The source has no picture.')
  const known = await findSegment(path, segment)
  if (known) return known
  const lead = leadOf(treatment, video.frameRate)
  if ('because' in lead) throw new MediaError(`The job cannot be made in segments, because ${lead.because}.`)
  const { firstFrame, frames: most } = segment
  const output = new PacketFileWriter(path, spec.container)
  let picture: EncodedPicture | null = null
  try {
    const rate = { rate: plannedRate(spec, treatment.result, facts.audio), remarks: await remarksFor(plan) }
    picture = await EncodedPicture.open(
      { input, video, treatment, spec, rate, firstFrame, proof: 'segment', lead: lead.seconds },
      output,
      gate,
    )
    const { proof } = picture
    output.watch = packet => proof!.take(packet)
    await output.begin()
    let frames = 0
    while (frames < (most ?? Number.POSITIVE_INFINITY)) {
      await gate.turn()
      if (!(await picture.next())) break
      frames++
      onProgress({ framesDone: frames, bytesWritten: output.bytesWritten })
    }
    if (frames > 0) await picture.finish()
    const proved = (await picture.proved())!
    const { ends } = proof!
    const found: FoundOfSegment = {
      firstFrame,
      frames,
      seconds: picture.begun === 0 ? 0 : (performance.now() - picture.begun) / 1000,
      before: picture.before && [...picture.before],
      last: ends.treatedLast && [...ends.treatedLast],
      sourceErrors: picture.sourceErrors,
      devices: picture.devices,
      ...storeProof(proved, ends),
    }
    await output.conclude(found)
    return found
  } finally {
    await picture?.close()
    await output.close()
  }
}

/** What was found of a segment that is finished; null where there is none that is whole, and of this range. */
async function findSegment(path: string, { firstFrame, frames }: Segment): Promise<FoundOfSegment | null> {
  const reader = await PacketFileReader.open(path).catch(() => null)
  if (!reader) return null
  try {
    const found = (await reader.found()) as FoundOfSegment
    await reader.walk()
    const isSame = found.firstFrame === firstFrame && (frames ?? found.frames) >= found.frames
    return isSame ? found : null
  } catch {
    return null
  } finally {
    await reader.close()
  }
}
