import { describePixelFormat, type Plane, type Samples } from '@hematine/core'
import { avGetPixFmtName, type Frame } from 'node-av/lib'
import { ensure } from './libav.ts'

/** Formats of separate planes, which samples can be changed in; others are brought into the nearest. A plane of opacity comes last and is left alone. */
export const planarFormats =
  'yuv420p|yuv422p|yuv444p|yuv411p|yuv440p|yuv420p10le|yuv422p10le|yuv444p10le|yuv420p12le|yuv422p12le|yuv444p12le|yuv444p16le|gbrp|gbrp10le|gbrp12le|gbrp16le|gray|gray10le|gray16le|yuva420p|yuva422p|yuva444p|yuva420p10le|yuva422p10le|yuva444p10le|gbrap|gbrap10le|gbrap12le|gbrap16le'

/** Pixels across and down that share a sample of chroma, by the name of its sampling. */
export function chromaSteps(chroma: string): [across: number, down: number] {
  return [{ '4:2:0': 2, '4:2:2': 2, '4:1:1': 4 }[chroma] ?? 1, { '4:2:0': 2, '4:4:0': 2 }[chroma] ?? 1]
}

/** The planes of a frame of separate planes, or the first ones: copies of their samples. */
export function readPlanes(frame: Frame, most = 3): { planes: Samples[]; bitDepth: number } {
  const name = avGetPixFmtName(frame.format as never) ?? ''
  const { bitDepth, chroma, isRgb } = describePixelFormat(name)
  const [across, down] = isRgb || chroma === 'grey' ? [1, 1] : chromaSteps(chroma)
  const planes = (chroma === 'grey' ? [0] : [0, 1, 2]).slice(0, most).map(index => {
    const [width, height] =
      index === 0 ? [frame.width, frame.height] : [Math.ceil(frame.width / across), Math.ceil(frame.height / down)]
    const [rows, stride] = [frame.data![index]!, frame.linesize[index]!]
    const data = bitDepth > 8 ? new Uint16Array(width * height) : new Uint8Array(width * height)
    const line = width * data.BYTES_PER_ELEMENT
    const bytes = new Uint8Array(data.buffer)
    for (let y = 0; y < height; y++) bytes.set(rows.subarray(y * stride, y * stride + line), y * line)
    return { data, width, height }
  })
  return { planes, bitDepth }
}

/** Puts samples into a frame's planes; the frame must be its only owner's. */
export function writePlanes(frame: Frame, planes: readonly Samples[]): void {
  for (const [index, { data, height }] of planes.entries()) {
    const [rows, stride] = [frame.data![index]!, frame.linesize[index]!]
    const bytes = new Uint8Array(data.buffer, data.byteOffset, data.byteLength)
    const line = bytes.length / height
    for (let y = 0; y < height; y++) rows.set(bytes.subarray(y * line, (y + 1) * line), y * stride)
  }
}

/** A frame with other samples. @throws MediaError when memory runs out */
export function rewritten(frame: Frame, planes: readonly Samples[]): Frame {
  ensure(frame.makeWritable(), 'A picture cannot be written: memory ran out')
  writePlanes(frame, planes)
  return frame
}

/** A plane of 8 bits, for looking at motion. */
export function eightBits({ data, width, height }: Samples, scale: number): Plane {
  return {
    data: data instanceof Uint8Array ? data : Uint8Array.from(data, value => value / scale),
    width,
    height,
    stride: width,
  }
}
