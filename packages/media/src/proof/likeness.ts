import { describePixelFormat, type PictureCheckMeasurement, type PictureTreatment } from '@hematine/core'
import { AVCOL_RANGE_UNSPECIFIED, AVCOL_SPC_UNSPECIFIED } from 'node-av/constants'
import { avGetPixFmtName, Frame } from 'node-av/lib'
import { chromaSteps } from '../ground/frame-planes.ts'
import { Graph, videoPadOf } from '../ground/graph.ts'

/** The library's XPSNR reads rows of more than 8 bits right only when they fill their buffer, which rows of a multiple of this many columns do. */
const xpsnrColumns = 64

/**
 * The library's XPSNR weighs blocks whose side goes with the picture's (Helmrich and others, 2020), and divides by noughts below 45x45 pixels; its SSIM has
 * windows of 8x8. Of so small a picture every pixel is shown as a square of several, which leaves the errors what they are.
 */
const leastSide = 48

/** Frame-by-frame likeness of two pictures, as it accumulates. */
export class Likeness {
  private graph: Graph | null = null
  private readonly measured = new Frame()
  private readonly ssim = { sum: 0, worst: 1, worstFrame: 0 }
  private readonly xpsnr = { errorSum: 0, worst: Number.POSITIVE_INFINITY, worstFrame: 0 }
  private frames = 0
  /** What columns added for the library's sake, all without error, add to the XPSNR. */
  private paddingDecibels = 0
  private isIdentical = true
  /** Whether luma alone goes through the filters: of pictures that have it in a plane of its own, on both sides. */
  private isLuma = false

  constructor(private readonly treatment: PictureTreatment) {
    this.measured.alloc()
  }

  async add(index: number, result: Frame, reference: Frame): Promise<void> {
    // Samples whose meaning nobody states would be converted on the way to what the others mean; tags are looked at by themselves.
    if (result.colorSpace === AVCOL_SPC_UNSPECIFIED) result.colorSpace = reference.colorSpace
    if (result.colorRange === AVCOL_RANGE_UNSPECIFIED) result.colorRange = reference.colorRange
    this.graph ??= await this.build(result, reference)
    if (this.isLuma && this.isIdentical) this.isIdentical = holdSameBytes(result, reference)
    result.pts = BigInt(index)
    reference.pts = BigInt(index)
    await this.graph.push(result, 0)
    await this.graph.push(reference, 1)
    await this.collect()
  }

  private build(result: Frame, reference: Frame): Promise<Graph> {
    const { rate } = this.treatment.result
    const pad = (frame: Frame) => videoPadOf(frame, { timeBase: { num: rate.den, den: rate.num }, frameRate: rate })
    const name = avGetPixFmtName(result.format as never) ?? ''
    const { bitDepth } = describePixelFormat(name)
    this.isLuma = result.format === reference.format && /^yuva?\d{3}p/.test(name)
    const luma = this.isLuma ? 'extractplanes=y' : 'null'
    const times = Math.ceil(leastSide / Math.min(leastSide, result.width, result.height))
    const shown = times === 1 ? 'null' : `scale=iw*${times}:ih*${times}:flags=neighbor`
    const columns = result.width * times
    const width = bitDepth > 8 ? Math.ceil(columns / xpsnrColumns) * xpsnrColumns : columns
    this.paddingDecibels = 10 * Math.log10(width / columns)
    const widen = width === columns ? 'null' : `pad=w=${width}`
    return Graph.video(
      `[in0]${luma},${shown}[result];[in1]${luma},${shown},split=2[reference1][reference2];[result][reference1]ssim,${widen}[compared];[reference2]${widen}[widened];[compared][widened]xpsnr`,
      [pad(result), pad(reference)],
    )
  }

  private async collect(): Promise<void> {
    while (this.graph && (await this.graph.pull(this.measured)) === 'frame') {
      const values = this.measured.getMetadata().getAll()
      const index = Number(this.measured.pts)
      const ssim = Number(values['lavfi.ssim.Y'] ?? values['lavfi.ssim.R'] ?? values['lavfi.ssim.All'])
      const decibels = values['lavfi.xpsnr.xpsnr.y'] ?? values['lavfi.xpsnr.xpsnr.r'] ?? 'nan'
      const xpsnr = decibels === 'inf' ? Number.POSITIVE_INFINITY : Number(decibels) - this.paddingDecibels
      this.frames++
      this.ssim.sum += ssim
      if (ssim < this.ssim.worst) Object.assign(this.ssim, { worst: ssim, worstFrame: index })
      // Decibels of each frame become error again, so that the mean is of errors and not of logarithms.
      this.xpsnr.errorSum += 10 ** (-xpsnr / 10)
      if (xpsnr < this.xpsnr.worst) Object.assign(this.xpsnr, { worst: xpsnr, worstFrame: index })
      if (!this.isLuma)
        this.isIdentical &&= xpsnr === Number.POSITIVE_INFINITY && Number(values['lavfi.ssim.All']) === 1
      this.measured.unref()
    }
  }

  async finish(): Promise<Pick<PictureCheckMeasurement, 'ssim' | 'xpsnr' | 'identical'>> {
    if (this.graph) {
      await this.graph.push(null, 0)
      await this.graph.push(null, 1)
      await this.collect()
    }
    const identical = this.frames > 0 && this.isIdentical
    const meanError = this.xpsnr.errorSum / Math.max(1, this.frames)
    return {
      identical,
      ssim:
        this.frames > 0 && Number.isFinite(this.ssim.sum)
          ? { mean: this.ssim.sum / this.frames, worst: this.ssim.worst, worstFrame: this.ssim.worstFrame }
          : null,
      xpsnr:
        this.frames > 0 && meanError > 0 && Number.isFinite(meanError)
          ? { mean: -10 * Math.log10(meanError), worst: this.xpsnr.worst, worstFrame: this.xpsnr.worstFrame }
          : null,
    }
  }

  free(): void {
    this.graph?.free()
    this.measured.free()
  }
}

/** Whether the pictures of two frames of one format are the same, byte by byte; what lies between their rows does not count. */
function holdSameBytes(a: Frame, b: Frame): boolean {
  const { bitDepth, chroma } = describePixelFormat(avGetPixFmtName(a.format as never) ?? '')
  const [across, down] = chromaSteps(chroma)
  const [first, second] = [a.data!, b.data!]
  // Asked for once: every time, the libraries' binding makes a new list of them.
  const [strides, others] = [a.linesize, b.linesize]
  return first.every((plane, index) => {
    const isChroma = index === 1 || index === 2
    const bytes = (isChroma ? Math.ceil(a.width / across) : a.width) * (bitDepth > 8 ? 2 : 1)
    const rows = isChroma ? Math.ceil(a.height / down) : a.height
    const other = second[index]!
    for (let row = 0; row < rows; row++) {
      const [from, at] = [row * strides[index]!, row * others[index]!]
      if (plane.compare(other, at, at + bytes, from, from + bytes) !== 0) return false
    }
    return true
  })
}
