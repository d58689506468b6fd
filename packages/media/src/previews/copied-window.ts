import { rm } from 'node:fs/promises'
import path from 'node:path'
import { performance } from 'node:perf_hooks'
import {
  bytesBeside,
  containerFacts,
  toNumber,
  type PictureSpec,
  type PictureTreatment,
  type SampleWindow,
  type SourceFacts,
} from '@hematine/core'
import { Packet } from 'node-av/lib'
import { timeCopyCheck } from '../checking/check.ts'
import { comparePictures } from '../checking/check-copy.ts'
import { transcode } from '../encoding/transcode.ts'
import type { WorkGate } from '../ground/gate.ts'
import { isAgain, MediaError } from '../ground/libav.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { keepOnlyStream, openInput } from '../reading/input.ts'
import { sizeOfResult } from '../volumes/result-files.ts'

/** Length that is really copied and checked, and for how long the rest is read at most, in seconds. */
const [copiedSeconds, readingSeconds] = [6, 20]

/** What is copied for a forecast. */
interface CopiedPlan {
  input: MediaInput
  facts: SourceFacts
  treatment: PictureTreatment
  spec: PictureSpec
  scratchDirectory: string
}

/**
 * Measures a picture that is to be copied: its beginning is copied and checked for the time, and its packets are counted for the size, all of them where that
 * takes no longer than a forecast may.
 * @returns all that was counted as one stretch, with the time that it would take
 * @throws MediaError when the source cannot be copied; whatever `gate.turn` rejects with, when stopped
 */
export async function copiedWindow(
  plan: CopiedPlan,
  gate: WorkGate,
  onProgress: (part: number) => void,
): Promise<{ window: SampleWindow; copiedFrames: number; openSeconds: number }> {
  const { facts, treatment, spec } = plan
  const { rate, frameCount } = treatment.result
  const outputPath = path.join(plan.scratchDirectory, `stretch-${process.pid}-copied.${spec.container}`)
  try {
    const wanted = Math.min(frameCount, Math.max(1, Math.round(copiedSeconds * toNumber(rate))))
    const bare = { ...plan, facts: { ...facts, audio: [] }, outputPath, stretch: { firstFrame: 0, frames: wanted } }
    const { frames, seconds, untilFirstFrame } = await transcode(bare, gate, () => undefined)
    const checkSeconds = await timeCopyCheck({ ...plan, outputPath }, gate, frames)
    const compared = performance.now()
    await comparePictures(
      asSource(outputPath, facts),
      { input: { kind: 'file', path: outputPath }, streamIndex: 0 },
      gate,
    )
    const compareSeconds = (performance.now() - compared) / 1000
    const counted = await countPackets(plan, frames, gate, onProgress)
    const { bytesPerPacket, headsApart } = containerFacts(spec.container)
    const rest = Math.max(0, (await sizeOfResult(outputPath)) - counted.firstBytes - frames * bytesPerPacket)
    const times = counted.frames / frames
    // Transport and program streams say what they hold again and again; other containers have one head.
    const bytes = counted.bytes + (headsApart ? 0 : rest * times)
    // Which of the packets are keyframes makes no difference where all are counted.
    const mean = Math.round(bytes / counted.frames)
    return {
      window: {
        startSeconds: 0,
        frames: counted.frames,
        encodeSeconds: Math.max(1e-6, seconds * times),
        checkSeconds: (checkSeconds + compareSeconds) * times,
        firstKeyframeBytes: mean,
        otherKeyframes: 0,
        otherKeyframeBytes: 0,
        interFrames: counted.frames - 1,
        interBytes: Math.round(bytes) - mean,
        headBytes: (headsApart ? rest : 0) + bytesBeside(facts, spec),
        // Every frame is the source's own.
        quality: { xpsnr: null, ssim: 1 },
      },
      copiedFrames: frames,
      openSeconds: untilFirstFrame,
    }
  } finally {
    await rm(outputPath, { force: true })
  }
}

/** A stretch that was copied as what it could be copied from: comparing it with itself takes the time that comparing takes. */
function asSource(path: string, facts: SourceFacts): { input: MediaInput; facts: SourceFacts } {
  return {
    input: { kind: 'file', path },
    facts: { ...facts, video: { ...facts.video!, streamIndex: 0, startTicks: 0 } },
  }
}

/** Packets of a picture and their bytes, for as long as may be read. @param first how many of them `firstBytes` is the sum of */
async function countPackets(
  { input, facts }: Pick<CopiedPlan, 'input' | 'facts'>,
  first: number,
  gate: WorkGate,
  onProgress: (part: number) => void,
): Promise<{ frames: number; bytes: number; firstBytes: number }> {
  const { streamIndex } = facts.video!
  if (input.kind === 'join') throw new MediaError('The picture of sources that are joined is not copied.')
  const container = await openInput(input)
  const packet = new Packet()
  packet.alloc()
  const counted = { frames: 0, bytes: 0, firstBytes: 0 }
  const begin = performance.now()
  try {
    keepOnlyStream(container, streamIndex)
    for (;;) {
      // A title is read through a reader of ours, which cannot answer at once.
      const code = input.kind === 'title' ? await container.readFrame(packet) : container.readFrameSync(packet)
      if (isAgain(code)) continue
      if (code < 0) return counted
      // Before the first keyframe nothing can be decoded, and nothing is copied.
      const isCopied =
        packet.streamIndex === streamIndex && packet.size > 0 && (counted.frames > 0 || packet.isKeyframe)
      if (isCopied) {
        counted.frames++
        counted.bytes += packet.size
        if (counted.frames === first) counted.firstBytes = counted.bytes
      }
      packet.unref()
      if (counted.frames % packetsAtOnce !== 0) continue
      await gate.turn()
      await new Promise(resolve => setImmediate(resolve))
      onProgress(Math.min(1, counted.frames / Math.max(1, facts.video!.frameCount)))
      if (performance.now() - begin > readingSeconds * 1000) return counted
    }
  } finally {
    packet.free()
    await container.closeInput()
  }
}
/** Packets between two looks at whether the work is to go on. */
const packetsAtOnce = 500
