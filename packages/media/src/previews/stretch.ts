import { performance } from 'node:perf_hooks'
import {
  bytesBeside,
  containerFacts,
  outputKind,
  toNumber,
  type PictureSpec,
  type PictureTreatment,
  type SampleWindow,
  type SourceFacts,
} from '@hematine/core'
import type { Frame } from 'node-av/lib'
import { Encoder, type EncoderRate } from '../encoding/encoder.ts'
import type { PacketSink } from '../encoding/output.ts'
import { createOutput } from '../encoding/picture-files.ts'
import type { WorkGate } from '../ground/gate.ts'
import { PictureProof, qualityOf } from '../proof/picture-proof.ts'
import { sizeOfResult } from '../volumes/result-files.ts'

/**
 * Encodes treated frames of a stretch into a result of their own, compares them as a job does, and counts its packets. The clock starts when the first frame
 * is there.
 * @param next the next frame, with its place in the whole result as its time, or null; it is freed here
 * @returns what was counted, its check not timed yet; null when there was no frame
 */
export async function encodeStretch(
  plan: { facts: SourceFacts; spec: PictureSpec; treatment: PictureTreatment; outputPath: string; firstFrame: number },
  rate: EncoderRate,
  gate: WorkGate,
  next: () => Promise<Frame | null>,
): Promise<SampleWindow | null> {
  const { facts, spec, treatment, outputPath, firstFrame } = plan
  const output = createOutput({ spec, outputPath, itemName: 'stretch', result: treatment.result })
  const encoder = await Encoder.video(spec, treatment, rate)
  const window: SampleWindow = {
    startSeconds: firstFrame / toNumber(treatment.result.rate),
    frames: 0,
    encodeSeconds: 0,
    checkSeconds: 0,
    firstKeyframeBytes: 0,
    otherKeyframes: 0,
    otherKeyframeBytes: 0,
    interFrames: 0,
    interBytes: 0,
  }
  let packets = 0
  let proof: PictureProof | null = null
  try {
    const stream = output.addStream(encoder, {
      pixelAspect: treatment.result.frame.pixelAspect,
      rate: treatment.result.rate,
    })
    await output.begin()
    proof = await PictureProof.begin(encoder.context, treatment, gate, false)
    output.watch = packet => proof!.take(packet)
    const take = async (packet: Parameters<PacketSink['write']>[0]) => {
      if (packets++ === 0) window.firstKeyframeBytes = packet.size
      else if (packet.isKeyframe) {
        window.otherKeyframes++
        window.otherKeyframeBytes += packet.size
      } else {
        window.interFrames++
        window.interBytes += packet.size
      }
      await output.write(packet, stream)
    }
    let begin = 0
    for (;;) {
      await gate.turn()
      const frame = await next()
      if (!frame) break
      begin ||= performance.now()
      frame.pts -= BigInt(firstFrame)
      proof.hold(frame)
      await encoder.encode(frame, take)
      frame.free()
      window.frames++
    }
    if (window.frames === 0) return null
    await encoder.encode(null, take)
    const quality = qualityOf(await proof.finish())
    if (quality) window.quality = quality
    window.encodeSeconds = (performance.now() - begin) / 1000
    await output.finish()
    // Of a sequence every picture is a file, whose head is in its packet.
    if (outputKind(spec) !== 'image sequence') {
      const added = packets * containerFacts(spec.container).bytesPerPacket
      const held = window.firstKeyframeBytes + window.otherKeyframeBytes + window.interBytes
      window.headBytes = Math.max(0, (await sizeOfResult(outputPath)) - held - added) + bytesBeside(facts, spec)
    }
    return window
  } finally {
    await proof?.close()
    encoder.close()
    await output.close()
  }
}
