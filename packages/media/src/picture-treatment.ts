import { describePixelFormat, toNumber, type Treatment, type VideoFacts } from '@hematine/core'
import type { Frame } from 'node-av/lib'
import { StreamDecoder } from './decoder.ts'
import { Graph, videoPadOf } from './graph.ts'
import type { MediaInput } from './input.ts'
import { MediaError } from './libav.ts'
import { TreatedStream } from './treated-stream.ts'

/** Library names of the colour tags that differ from ITU-T H.273's. */
const zscaleNames: Record<string, string> = { smpte170m: '170m', bt470bg: '470bg', bt709: '709', bt2020nc: '2020_ncl', bt2020: '2020', gbr: 'gbr' }

/** Filter list that does a treatment's steps. `fromStart` anchors the result's first frame at time 0. */
export function filterList(treatment: Treatment, video: VideoFacts, fromStart: boolean): string {
  const { result, sourceColour } = treatment
  const filters = [
    `setparams=range=${sourceColour.range}:color_primaries=${sourceColour.primaries}:color_trc=${sourceColour.transfer}:colorspace=${sourceColour.matrix}`,
  ]
  const size = treatment.steps.find(step => step.kind === 'size')
  const colour = treatment.steps.find(step => step.kind === 'colour')
  for (const step of treatment.steps) {
    if (step.kind !== 'deinterlace') continue
    const parity = step.firstField === 'top' ? 'tff' : step.firstField === 'bottom' ? 'bff' : 'auto'
    filters.push(`bwdif=mode=${step.to === 'field rate' ? 'send_field' : 'send_frame'}:parity=${parity}:deint=${video.scan.kind === 'mixed' ? 'interlaced' : 'all'}`)
  }
  // Always present: it puts the frames on the exact grid of the result's rate, so that frame n of the result is frame n of the treated source.
  filters.push(`fps=fps=${result.rate.num}/${result.rate.den}${fromStart ? ':start_time=0' : ''}`)
  if (size || colour || needsConversion(video, result.pixelFormat)) {
    if (video.isRgb) filters.push(video.bitDepth > 8 ? 'format=gbrp16le' : 'format=gbrp')
    const settings = [`w=${result.frame.width}`, `h=${result.frame.height}`, 'filter=lanczos']
    if (colour && result.colour.matrix !== 'gbr') {
      settings.push(`m=${zscaleNames[result.colour.matrix] ?? result.colour.matrix}`, `r=${result.colour.range}`)
    }
    filters.push(`zscale=${settings.join(':')}`)
  }
  filters.push(`format=${result.pixelFormat}`)
  filters.push(`setparams=range=${result.colour.range}:color_primaries=${result.colour.primaries}:color_trc=${result.colour.transfer}:colorspace=${result.colour.matrix}`)
  filters.push(`setsar=${result.frame.pixelAspect.num}/${result.frame.pixelAspect.den}:max=65535`)
  filters.push(`setfield=${result.scan === 'progressive' ? 'prog' : result.scan === 'top field first' ? 'tff' : 'bff'}`)
  return filters.join(',')
}

/** Whether a change of pixel format resamples chroma or depth; RGB layouts only shuffle, which the library's plain conversion does without loss. */
function needsConversion(video: VideoFacts, pixelFormat: string): boolean {
  return video.pixelFormat !== pixelFormat && !describePixelFormat(pixelFormat).isRgb && !pixelFormat.startsWith('gray')
}

/** Frames before a wanted one that the filters see, so that those that look back in time have settled. */
const leadFrames = 8
/** Program streams have no index: their decoders need a few seconds before a place to find a whole group of pictures. */
const leadSeconds = 3

/** A source's picture, decoded and treated, frame by frame. Frame times are frame numbers of the result's rate. */
export class TreatedPicture extends TreatedStream {
  private readonly firstNeeded: bigint | null

  private constructor(decoder: StreamDecoder, private readonly video: VideoFacts, private readonly treatment: Treatment, private readonly firstFrame: number) {
    super(decoder, BigInt(video.startTicks))
    this.firstNeeded = firstFrame === 0 ? null : this.ticksAt((firstFrame - leadFrames) / toNumber(treatment.result.rate))
  }

  /**
   * @param firstFrame frame of the result to start with; 0 for the whole
   * @throws MediaError when the input cannot be opened
   */
  static async open(input: MediaInput, video: VideoFacts, treatment: Treatment, firstFrame = 0, threads = 0): Promise<TreatedPicture> {
    const decoder = await StreamDecoder.open(input, video.streamIndex, threads)
    const picture = new TreatedPicture(decoder, video, treatment, firstFrame)
    const seconds = firstFrame / toNumber(treatment.result.rate) - leadSeconds
    try {
      if (seconds > 0) await decoder.seek(picture.ticksAt(seconds))
    } catch (error) {
      await picture.close()
      throw error
    }
    return picture
  }

  private ticksAt(seconds: number): bigint {
    return BigInt(this.video.startTicks) + BigInt(Math.round(seconds / toNumber(this.video.timeBase)))
  }

  protected isNeeded(ticks: bigint): boolean {
    return this.firstNeeded === null || ticks >= this.firstNeeded
  }

  protected isWanted(frame: Frame): boolean {
    return frame.pts >= BigInt(this.firstFrame)
  }

  protected buildGraph(): Promise<Graph> {
    const { decoded, video } = this
    if (decoded.width <= 0 || decoded.height <= 0) throw new MediaError('The picture has no size.')
    return Graph.video(filterList(this.treatment, video, this.firstFrame === 0), [videoPadOf(decoded, { timeBase: video.timeBase, frameRate: video.frameRate, pixelAspect: video.pixelAspect })])
  }
}
