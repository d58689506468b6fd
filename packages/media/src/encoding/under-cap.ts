import { readdir, rename, rm, stat, statfs } from 'node:fs/promises'
import path from 'node:path'
import {
  averageOf,
  capProblem,
  describeBytes,
  nextCapStep,
  pictureBytesUnder,
  plannedRate,
  toNumber,
  type CapAttempt,
  type CapLoad,
  type PictureSpec,
  type PictureTreatment,
  type SourceFacts,
} from '@hematine/core'
import { AVERROR_ENOSPC } from 'node-av/constants'
import { MediaError } from '../ground/libav.ts'
import type { EncoderRate } from './encoder.ts'

/** What is encoded, as far as a cap on its size asks. */
export interface CappedPlan {
  facts: SourceFacts
  treatment: PictureTreatment
  spec: PictureSpec
  outputPath: string
}

/** A disk with less than this is full. */
const leastFree = 64 * 1024

/** How a whole source is gone through, twice or more. */
export interface Passes<Result> {
  /** Goes through all frames, keeps what a second pass needs, and counts the sound. */
  learn(rate: EncoderRate): Promise<Pick<CapLoad, 'frames' | 'soundBytes' | 'soundPackets'>>
  /** Makes the whole at `outputPath`. */
  make(rate: EncoderRate): Promise<Result>
}

/**
 * Encodes so that the file is not larger than a cap and fills at least 98 % of it where its picture has use for that: a first pass over all
 * frames, a second at the rate that the cap leaves, and where that misses, further ones with the same statistics. The largest that fits stays.
 * @throws MediaError when nothing fits
 */
export async function encodeUnderCap<Result>(
  { facts, treatment, spec, outputPath }: CappedPlan,
  capBytes: number,
  passes: Passes<Result>,
): Promise<Result> {
  const statistics = `${outputPath}.passes`
  const kept = `${outputPath}.fits`
  try {
    const rate = toNumber(treatment.result.rate)
    const counted = await passes.learn({
      rate: plannedRate(spec, treatment.result, facts.audio),
      pass: { number: 1, statistics },
    })
    const load = { ...counted, seconds: counted.frames / rate }
    const problem = capProblem(spec, load)
    if (problem) throw new MediaError(problem)
    const left = pictureBytesUnder(capBytes, spec, load)
    const attempts: CapAttempt[] = []
    const results = new Map<CapAttempt, Result>()
    let next = averageOf(left, load.seconds).bitsPerSecond
    for (;;) {
      const choice = averageOf((next * load.seconds) / 8, load.seconds)
      const result = await passes.make({ rate: choice, pass: { number: 2, statistics } })
      const attempt = { bitsPerSecond: next, bytes: (await stat(outputPath)).size }
      attempts.push(attempt)
      results.set(attempt, result)
      const step = nextCapStep(capBytes, Math.max(0, capBytes - left - capBytes / 100), attempts)
      if (step.kind === 'none')
        throw new MediaError(
          `Even at its least rate the result is ${describeBytes(attempt.bytes)}, more than the ${describeBytes(capBytes)} that the spec allows. Choose a smaller frame or rate, or a higher cap.`,
        )
      const isLargest = attempts.every(
        other => other === attempt || other.bytes > capBytes || other.bytes < attempt.bytes,
      )
      if (attempt.bytes <= capBytes && isLargest) await rename(outputPath, kept)
      if (step.kind === 'keep') {
        await rename(kept, outputPath)
        return results.get(step.attempt)!
      }
      next = step.bitsPerSecond
    }
  } catch (error) {
    // Encoders do not say why they cannot keep their statistics.
    const disk = await statfs(path.dirname(outputPath)).catch(() => null)
    if (error instanceof MediaError && !error.isDiskFull && disk && disk.bavail * disk.bsize < leastFree)
      throw new MediaError('What the first pass learned cannot be kept: the disk is full.', AVERROR_ENOSPC)
    throw error
  } finally {
    await rm(kept, { force: true })
    await removeStatistics(statistics)
  }
}

/** Encoders write more than one file beside the one they are told. */
export async function removeStatistics(statistics: string): Promise<void> {
  const directory = path.dirname(statistics)
  for (const name of await readdir(directory))
    if (name.startsWith(path.basename(statistics))) await rm(path.join(directory, name), { force: true })
}
