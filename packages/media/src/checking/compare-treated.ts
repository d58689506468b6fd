import { toNumber, type PictureTreatment, type SourceFacts, type TreatedLikeness } from '@hematine/core'
import { Frame } from 'node-av/lib'
import type { WorkGate } from '../ground/gate.ts'
import { MediaError } from '../ground/libav.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { Likeness } from '../proof/likeness.ts'
import { TreatedPicture } from '../treating/picture-treatment.ts'

/** A source and what is done with it. */
export interface TreatedSource {
  input: MediaInput
  facts: SourceFacts
  treatment: PictureTreatment
}

/** Frames that are compared at most, and the stretches that they are in then, spread over the whole. */
const mostFrames = 240
const stretches = 5

/**
 * Compares the treated frames of a source one by one with those of another that shows the same: both begin with the same frame, and come to frames of one size,
 * layout and rate.
 * @param onPart told how much of it is done
 * @throws MediaError where no frame of both can be had; whatever `gate.turn` rejects with, when stopped
 */
export async function compareTreated(
  of: TreatedSource,
  reference: TreatedSource,
  gate: WorkGate,
  onPart: (part: number) => void,
): Promise<TreatedLikeness> {
  const common = Math.min(of.treatment.result.frameCount, reference.treatment.result.frameCount)
  const wanted = stretchesOf(common)
  const all = wanted.reduce((sum, { frames }) => sum + frames, 0)
  const sum = new Sum(toNumber(reference.treatment.result.rate))
  let done = 0
  for (const { first, frames } of wanted) {
    const likeness = new Likeness(reference.treatment)
    const [one, other] = [await open(of, first), await open(reference, first)]
    const [frame, referenceFrame] = [new Frame(), new Frame()]
    frame.alloc()
    referenceFrame.alloc()
    try {
      let compared = 0
      for (; compared < frames; compared++) {
        await gate.turn()
        if (!(await one.next(frame)) || !(await other.next(referenceFrame))) break
        // Where one of the two could not be decoded from here on, the other's frames have nothing to be compared with.
        if (frame.pts !== referenceFrame.pts) break
        await likeness.add(compared, frame, referenceFrame)
        frame.unref()
        referenceFrame.unref()
        onPart(++done / all)
      }
      if (compared > 0) sum.add(await likeness.finish(), first, compared)
      // Of one that ends before it should there is no more to come.
      if (compared < frames) onPart((done += frames - compared) / all)
    } finally {
      frame.free()
      referenceFrame.free()
      likeness.free()
      await one.close()
      await other.close()
    }
  }
  return sum.read()
}

const open = ({ input, facts, treatment }: TreatedSource, firstFrame: number) =>
  TreatedPicture.open(input, facts.video!, treatment, { firstFrame })

/** All frames, or stretches of equal length spread evenly over them. */
function stretchesOf(frames: number): { first: number; frames: number }[] {
  if (frames <= mostFrames) return [{ first: 0, frames }]
  const each = mostFrames / stretches
  return Array.from({ length: stretches }, (_, index) => ({
    first: Math.round((index * (frames - each)) / (stretches - 1)),
    frames: each,
  }))
}

/** The likeness of several stretches together. */
class Sum {
  private frames = 0
  private identical = true
  private ssim = 0
  private error = 0
  private worst: TreatedLikeness['worst'] = null

  constructor(private readonly rate: number) {}

  add({ identical, ssim, xpsnr }: Awaited<ReturnType<Likeness['finish']>>, first: number, frames: number): void {
    this.frames += frames
    this.identical &&= identical
    this.ssim += (ssim?.mean ?? 1) * frames
    if (!xpsnr) return
    // The mean is of errors, not of their logarithms.
    this.error += 10 ** (-xpsnr.mean / 10) * frames
    if (!this.worst || xpsnr.worst < this.worst.xpsnr)
      this.worst = { xpsnr: xpsnr.worst, seconds: (first + xpsnr.worstFrame) / this.rate }
  }

  read(): TreatedLikeness {
    if (this.frames === 0)
      throw new MediaError(
        'No frame of both could be decoded, so they cannot be compared. See what Intake says of the two sources.',
      )
    return {
      frames: this.frames,
      identical: this.identical,
      ssim: this.ssim / this.frames,
      xpsnr: this.error > 0 ? -10 * Math.log10(this.error / this.frames) : null,
      worst: this.worst,
    }
  }
}
