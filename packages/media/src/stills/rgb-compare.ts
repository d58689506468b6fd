import { AV_PIX_FMT_RGB24 } from 'node-av/constants'
import { Frame } from 'node-av/lib'
import { Graph, videoPadOf } from '../ground/graph.ts'
import { MediaError } from '../ground/libav.ts'
import type { RgbPicture } from './still.ts'

const times = { timeBase: { num: 1, den: 25 }, frameRate: { num: 25, den: 1 } }

function frameOf({ width, height, data }: RgbPicture): Frame {
  const frame = Frame.fromVideoBuffer(data, {
    width,
    height,
    format: AV_PIX_FMT_RGB24,
    timeBase: times.timeBase,
  } as never)
  frame.pts = 0n
  return frame
}

async function through(filters: string, pictures: readonly RgbPicture[], take: (frame: Frame) => void): Promise<void> {
  const frames = pictures.map(frameOf)
  const graph = await Graph.video(
    filters,
    frames.map(frame => videoPadOf(frame, times)),
  )
  const result = new Frame()
  result.alloc()
  try {
    for (const [index, frame] of frames.entries()) {
      await graph.push(frame, index)
      await graph.push(null, index)
    }
    if ((await graph.pull(result)) !== 'frame') throw new MediaError('The pictures cannot be compared.')
    take(result)
  } finally {
    result.free()
    graph.free()
    for (const frame of frames) frame.free()
  }
}

/** A picture enlarged by the library's Lanczos: what learned enlargement is held against. */
export async function enlargeRgb(picture: RgbPicture, width: number, height: number): Promise<RgbPicture> {
  let data = Buffer.alloc(0)
  await through(
    `scale=${width}:${height}:flags=lanczos+accurate_rnd+full_chroma_int,format=rgb24`,
    [picture],
    frame => {
      const [stride, rows] = [frame.linesize[0]!, frame.data![0]!]
      data = Buffer.alloc(width * height * 3)
      for (let row = 0; row < height; row++) rows.copy(data, row * width * 3, row * stride, row * stride + width * 3)
    },
  )
  return { width, height, data }
}

/** Edge that is not compared, in pixels: each method guesses there. */
const edge = 8

/** PSNR over red, green and blue in dB, and SSIM of their mean, of two pictures of one size. */
export async function compareRgb(picture: RgbPicture, target: RgbPicture): Promise<{ psnr: number; ssim: number }> {
  const { width, height } = picture
  let sum = 0
  for (let y = edge; y < height - edge; y++)
    for (let at = (y * width + edge) * 3; at < (y * width + width - edge) * 3; at++)
      sum += (picture.data[at]! - target.data[at]!) ** 2
  const mean = sum / ((width - 2 * edge) * (height - 2 * edge) * 3)
  let ssim = 0
  await through('[in0]format=gbrp[a];[in1]format=gbrp[b];[a][b]ssim', [picture, target], frame => {
    ssim = Number(frame.getMetadata().getAll()['lavfi.ssim.All'])
  })
  return { psnr: 10 * Math.log10(255 ** 2 / mean), ssim }
}
