import {
  describePixelFormat,
  spannedFrames,
  toNumber,
  type StoredFrame,
  type PictureTreatment,
  type VideoFacts,
} from '@hematine/core'
import { avGetPixFmtName, Frame } from 'node-av/lib'
import { openFrames } from '../reading/frame-reader.ts'
import { wholeChromaFilters } from '../treating/filters.ts'
import type { WorkGate } from '../ground/gate.ts'
import { Graph, videoPadOf } from '../ground/graph.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { MediaError } from '../ground/libav.ts'
import { TreatedPicture } from '../treating/picture-treatment.ts'
import { pictures } from '../ground/when-wanted.ts'

/** One picture as bytes of red, green and blue. */
export interface RgbPicture {
  width: number
  height: number
  data: Buffer
}

const matrixNames: Record<number, string> = { 1: '709', 5: '470bg', 6: '170m', 7: '240m', 9: '2020_ncl' }

/** Turns a frame into RGB by its own colour tags; untagged pictures by the matrix given (library name), BT.709 unless said. */
export async function toRgb(
  frame: Frame,
  rate: { num: number; den: number },
  untaggedMatrix = '709',
  size?: { width: number; height: number },
): Promise<RgbPicture> {
  const matrix = matrixNames[Number(frame.colorSpace)] ?? untaggedMatrix
  const scale = size ? `w=${size.width}:h=${size.height}:filter=bicubic:` : ''
  // RGB has no matrix to undo, whatever a tag says; other formats go through planar RGB so that the conversion uses the right one.
  const { isRgb, ...samples } = describePixelFormat(avGetPixFmtName(frame.format as never) ?? '')
  const isEven = frame.width % 2 === 0 && frame.height % 2 === 0
  const whole = isEven ? '' : `${wholeChromaFilters(frame, samples).join(',')},`
  // High dynamic range is shown in a standard one, its reference white (ITU-R BT.2408: 203 cd/m²) as white; what is brighter is cut.
  const range = [16, 18].includes(Number(frame.colorTrc)) ? 't=709:p=709:npl=203:' : ''
  // So is linear light, which would be black but for its lights.
  const isLinear = Number(frame.colorTrc) === 8
  const filters = isRgb
    ? isLinear
      ? `format=gbrpf32le,setparams=range=full:color_primaries=bt709:color_trc=linear:colorspace=gbr,zscale=${scale}t=bt709:m=gbr:r=full,format=gbrp,format=rgb24`
      : `format=gbrp,zscale=${scale}m=gbr,format=rgb24`
    : `${whole}zscale=${scale}min=${matrix}:${range}m=gbr:r=full,format=gbrp,format=rgb24`
  const graph = await Graph.video(filters, [videoPadOf(frame, { timeBase: { num: 1, den: 1000 }, frameRate: rate })])
  const result = new Frame()
  result.alloc()
  try {
    await graph.push(frame)
    await graph.push(null)
    if ((await graph.pull(result)) !== 'frame')
      throw new MediaError('The picture cannot be turned into red, green and blue.')
    return rgbOf(result)
  } finally {
    result.free()
    graph.free()
  }
}

/** The picture of a frame in packed red, green and blue of 8 bits. */
export function rgbOf({ width, height, linesize, data: planes }: Frame): RgbPicture {
  const [stride, rows] = [linesize[0]!, planes![0]!]
  const data = Buffer.alloc(width * height * 3)
  for (let row = 0; row < height; row++) rows.copy(data, row * width * 3, row * stride, row * stride + width * 3)
  return { width, height, data }
}

/** A lossless PNG of a picture, at the least compression that still shrinks it. */
export function toPng(picture: RgbPicture): Promise<Buffer> {
  return pictures()(picture.data, { raw: { width: picture.width, height: picture.height, channels: 3 } })
    .png({ compressionLevel: 2 })
    .toBuffer()
}

/** Matrix the colour rules of core assume for an untagged picture, by the library's name. */
export function untaggedMatrix(frame: StoredFrame): string {
  return frame.height > 576 || frame.width > 1024 ? '709' : '170m'
}

/** Places looked at for a poster, as parts of the length: the first with enough contrast is taken, or the one with the most, so that black leaders are not. */
const posterPlaces = [0.1, 0.35, 0.6]
/** Standard deviation of the samples that is enough. */
const enoughContrast = 25
/** Small pictures are made by the hundred; the slower efforts save a tenth of their bytes for four times the work. */
const webpEffort = 1
const posterWidth = 480

/**
 * A small picture that stands for a source, in its right shape.
 * @returns WebP, 480 pixels wide
 */
export async function posterFrame(
  input: MediaInput,
  video: VideoFacts,
  durationSeconds: number | null,
): Promise<Buffer> {
  const shown = (video.width * toNumber(video.pixelAspect)) / video.height
  const size = { width: posterWidth, height: Math.max(2, Math.round(posterWidth / shown / 2) * 2) }
  // One thread: starting more takes longer than the few frames.
  const decoder = await openFrames(input, video.streamIndex, 1)
  const frame = new Frame()
  frame.alloc()
  let best: { picture: RgbPicture; contrast: number } | null = null
  try {
    for (const place of posterPlaces) {
      const target =
        BigInt(video.startTicks) + BigInt(Math.round(((durationSeconds ?? 0) * place) / toNumber(video.timeBase)))
      await decoder.seek(target)
      if (!(await decoder.next(frame))) continue
      const picture = await toRgb(frame, video.frameRate, untaggedMatrix(video), size)
      frame.unref()
      const contrast = contrastOf(picture.data)
      if (!best || contrast > best.contrast) best = { picture, contrast }
      if (contrast >= enoughContrast) break
    }
  } finally {
    frame.free()
    await decoder.close()
  }
  if (!best) throw new MediaError('No frame for a poster could be decoded.')
  return pictures()(best.picture.data, { raw: { width: best.picture.width, height: best.picture.height, channels: 3 } })
    .webp({ quality: 82, effort: webpEffort })
    .toBuffer()
}

/** Standard deviation of a part of a picture's samples. */
function contrastOf(data: Buffer): number {
  let [sum, squares, count] = [0, 0, 0]
  for (let at = 0; at < data.length; at += 7) {
    sum += data[at]!
    squares += data[at]! ** 2
    count++
  }
  return Math.sqrt(Math.max(0, squares / count - (sum / count) ** 2))
}

/** Pictures of a strip, and the height of each. */
const stripCount = 12
const stripHeight = 72

/** Small pictures from places spread evenly over a source, as WebP; places that do not decode are left out. */
export async function stripFrames(
  input: MediaInput,
  video: VideoFacts,
  durationSeconds: number | null,
  gate: WorkGate,
): Promise<{ seconds: number; picture: Buffer }[]> {
  const length = durationSeconds ?? 0
  const shape = (video.width * toNumber(video.pixelAspect)) / video.height
  const size = { width: Math.max(2, Math.round((stripHeight * shape) / 2) * 2), height: stripHeight }
  const count = Math.max(1, Math.min(stripCount, spannedFrames(video)))
  const decoder = await openFrames(input, video.streamIndex, 1)
  const frame = new Frame()
  frame.alloc()
  const strip: { seconds: number; picture: Buffer }[] = []
  try {
    for (let index = 0; index < count; index++) {
      await gate.turn()
      const seconds = ((index + 0.5) * length) / count
      if (index > 0 || length > 1)
        await decoder.seek(BigInt(Math.round(video.startTicks + seconds / toNumber(video.timeBase))))
      if (!(await decoder.next(frame))) continue
      const at = (Number(frame.pts) - video.startTicks) * toNumber(video.timeBase)
      const picture = await toRgb(frame, video.frameRate, untaggedMatrix(video), size)
      frame.unref()
      if (strip.some(entry => Math.abs(entry.seconds - at) < 1e-6)) continue
      strip.push({
        seconds: Math.max(0, at),
        picture: await pictures()(picture.data, { raw: { width: picture.width, height: picture.height, channels: 3 } })
          .webp({ quality: 75, effort: webpEffort })
          .toBuffer(),
      })
    }
  } finally {
    frame.free()
    await decoder.close()
  }
  return strip
}

/** Which picture of a job to show: the source as it is, the source after its treatment, or the result. */
export type StillSide = 'source' | 'treated' | 'result'

/** Frame `index` of the treated source. @throws MediaError when there is no such frame */
export async function treatedStill(
  input: MediaInput,
  video: VideoFacts,
  treatment: PictureTreatment,
  index: number,
): Promise<RgbPicture> {
  const picture = await TreatedPicture.open(input, video, treatment, { firstFrame: index })
  const frame = new Frame()
  frame.alloc()
  try {
    if (!(await picture.next(frame))) throw new MediaError(`There is no frame ${index}.`)
    return await toRgb(frame, treatment.result.rate, untaggedMatrix(treatment.result.frame))
  } finally {
    frame.free()
    await picture.close()
  }
}

/**
 * The frame that a file shows at a time, or its last one when that is beyond.
 * @param size that it is brought to; its own unless said
 * @throws MediaError when nothing decodes there
 */
export async function plainStill(
  input: MediaInput,
  video: VideoFacts,
  seconds: number,
  size?: { width: number; height: number },
): Promise<RgbPicture> {
  const decoder = await openFrames(input, video.streamIndex)
  const [frame, candidate] = [new Frame(), new Frame()]
  frame.alloc()
  candidate.alloc()
  try {
    const frameTicks = 1 / toNumber(video.frameRate) / toNumber(video.timeBase)
    const target = video.startTicks + seconds / toNumber(video.timeBase)
    if (seconds > 3) await decoder.seek(BigInt(Math.round(target - 3 / toNumber(video.timeBase))))
    let found = false
    while (await decoder.next(candidate)) {
      // The frame shown at a time is the last one that starts no later; half a frame of tolerance absorbs rounded times.
      if (found && Number(candidate.pts) > target + frameTicks / 2) break
      frame.unref()
      frame.ref(candidate)
      candidate.unref()
      found = true
    }
    if (!found) throw new MediaError('There is no frame at that place.')
    return await toRgb(frame, video.frameRate, untaggedMatrix(video), size)
  } finally {
    frame.free()
    candidate.free()
    await decoder.close()
  }
}
