import { orientationOf, type Orientation, type Rational } from '@hematine/core'
import {
  AV_FRAME_DATA_DISPLAYMATRIX,
  AV_PKT_DATA_DISPLAYMATRIX,
  AV_PKT_DATA_FRAME_CROPPING,
  AVMEDIA_TYPE_VIDEO,
} from 'node-av/constants'
import { avGetPixFmtName, Frame, type FormatContext, type Stream } from 'node-av/lib'
import { StreamDecoder } from './decoder.ts'
import { Graph, videoPadOf } from '../ground/graph.ts'
import type { PictureShape, PlainInput } from '../ground/media-input.ts'
import { MediaError } from '../ground/libav.ts'

/** Frames of one stream of a source, in order and the right way up; see `StreamDecoder` and `ShapedFrames`. */
export interface FrameReader {
  readonly errors: number
  readonly timeBase: Rational
  readonly stream: Stream
  readonly container: FormatContext
  /** Sizes that frames of a picture had so far, as they are stored but turned and cut. */
  readonly sizes?: ReadonlySet<string>
  next(frame: Frame): Promise<boolean>
  /** Goes to a place, from the file's beginning where it cannot be gone to directly. */
  seek(ticks: bigint): Promise<void>
  close(): Promise<void>
}

/** The library's filters for each of the eight ways, by the signs of the display matrix. */
const turns: Record<string, string> = {
  '0,1,-1,0': 'transpose=clock',
  '-1,0,0,-1': 'hflip,vflip',
  '0,-1,1,0': 'transpose=cclock',
  '-1,0,0,1': 'hflip',
  '1,0,0,-1': 'vflip',
  '0,1,1,0': 'transpose=cclock_flip',
  '0,-1,-1,0': 'transpose=clock_flip',
}

export interface CutOff {
  left: number
  top: number
  right: number
  bottom: number
}

/** What the file says is to be cut off the stored picture: its clean aperture. */
function cutOffOf(stream: Stream): CutOff | null {
  const data = stream.codecpar.getCodedSideData(AV_PKT_DATA_FRAME_CROPPING)
  if (!data || data.length < 16) return null
  const [top, bottom, left, right] = [0, 4, 8, 12].map(at => data.readUInt32LE(at)) as [number, number, number, number]
  return left + top + right + bottom === 0 ? null : { left, top, right, bottom }
}

function orientationIn(data: Buffer | null): Orientation | null {
  return data && data.length >= 36
    ? orientationOf([data.readInt32LE(0), data.readInt32LE(4), data.readInt32LE(12), data.readInt32LE(16)])
    : null
}

/**
 * Frames of a picture as they are to be looked at: turned and cut as the file says, and all of one size and format, also where those change in
 * mid-stream. Frames that need nothing pass as they are.
 */
export class ShapedFrames implements FrameReader {
  /** How the file says that the picture is turned, and what is to be cut off; known after the first frame. */
  orientation: Orientation | null = null
  readonly cutOff: CutOff | null
  /** Sizes that frames had before they were brought into one, and how many were changed. */
  readonly sizes = new Set<string>()
  changed = 0
  private target: PictureShape | null
  private hasStarted = false
  private readonly graphs = new Map<string, Graph>()
  private readonly stored = new Frame()

  private constructor(
    private readonly decoder: StreamDecoder,
    wanted: PictureShape | null,
  ) {
    this.cutOff = cutOffOf(decoder.stream)
    this.target = wanted
    this.stored.alloc()
  }

  static async open(input: PlainInput, streamIndex: number, threads = 0): Promise<FrameReader> {
    const decoder = await StreamDecoder.open(input, streamIndex, threads)
    return decoder.context.codecType === AVMEDIA_TYPE_VIDEO ? ShapedFrames.over(input, decoder) : decoder
  }

  static over(input: PlainInput, decoder: StreamDecoder): ShapedFrames {
    return new ShapedFrames(decoder, input.kind === 'file' ? (input.picture ?? null) : null)
  }

  get errors(): number {
    return this.decoder.errors
  }

  get timeBase(): Rational {
    return this.decoder.timeBase
  }

  get stream(): Stream {
    return this.decoder.stream
  }

  get container(): FormatContext {
    return this.decoder.container
  }

  async next(frame: Frame): Promise<boolean> {
    if (!(await this.decoder.next(frame))) return false
    if (!this.hasStarted) {
      this.hasStarted = true
      this.orientation =
        orientationIn(frame.getSideData(AV_FRAME_DATA_DISPLAYMATRIX)) ??
        orientationIn(this.stream.codecpar.getCodedSideData(AV_PKT_DATA_DISPLAYMATRIX))
    }
    const format = avGetPixFmtName(frame.format as never) ?? ''
    const { width, height } = this.uprightSize(frame)
    this.target ??= { width, height, pixelFormat: format }
    this.sizes.add(`${width}x${height}`)
    const fits = width === this.target.width && height === this.target.height && format === this.target.pixelFormat
    if (!fits) this.changed++
    if (fits && !this.orientation && !this.cutOff) return true
    await this.shape(frame, `${frame.width}x${frame.height} ${format}`, fits)
    return true
  }

  /** Size of a frame once it is cut and turned. */
  private uprightSize(frame: Frame): { width: number; height: number } {
    const { left, top, right, bottom } = this.cutOff ?? { left: 0, top: 0, right: 0, bottom: 0 }
    const [width, height] = [Math.max(1, frame.width - left - right), Math.max(1, frame.height - top - bottom)]
    return this.orientation?.swaps ? { width: height, height: width } : { width, height }
  }

  private async shape(frame: Frame, key: string, fits: boolean): Promise<void> {
    let graph = this.graphs.get(key)
    if (!graph) {
      const { cutOff, target } = this
      const aspect = frame.sampleAspectRatio
      const filters = [
        ...(cutOff
          ? [
              `crop=iw-${cutOff.left + cutOff.right}:ih-${cutOff.top + cutOff.bottom}:${cutOff.left}:${cutOff.top}:exact=1`,
            ]
          : []),
        // Copied, because the binding cannot read planes that begin inside their memory or run upwards.
        ...(this.orientation ? [turns[this.orientation.signs.join(',')]!] : []),
        'copy',
        // What changes its size keeps its shape within the frame of the first.
        ...(fits
          ? []
          : [
              `scale=w=${target!.width}:h=${target!.height}:force_original_aspect_ratio=decrease:flags=lanczos+accurate_rnd`,
              `format=${target!.pixelFormat}`,
              `pad=${target!.width}:${target!.height}:-1:-1`,
            ]),
      ]
      graph = await Graph.video(filters.join(','), [
        videoPadOf(frame, {
          timeBase: this.timeBase,
          frameRate: { num: 25, den: 1 },
          ...(aspect.num > 0 ? { pixelAspect: { num: aspect.num, den: aspect.den } } : {}),
        }),
      ])
      this.graphs.set(key, graph)
    }
    const { pts } = frame
    await graph.push(frame)
    frame.unref()
    if ((await graph.pull(this.stored)) !== 'frame')
      throw new MediaError('The picture cannot be brought the right way up.')
    frame.ref(this.stored)
    this.stored.unref()
    frame.pts = pts
  }

  seek(ticks: bigint): Promise<void> {
    return this.decoder.seek(ticks)
  }

  async close(): Promise<void> {
    for (const graph of this.graphs.values()) graph.free()
    this.stored.free()
    await this.decoder.close()
  }
}
