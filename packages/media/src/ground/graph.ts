import { AV_BUFFERSRC_FLAG_KEEP_REF, type AVPixelFormat } from 'node-av/constants'
import { avGetSampleFmtName, Filter, FilterGraph, FilterInOut, type FilterContext, type Frame } from 'node-av/lib'
import { isLight } from './codec-calls.ts'
import { ensure, isAgain, isEnd, MediaError } from './libav.ts'
import { unstatedSpeakers } from './speakers.ts'

export interface VideoPad {
  width: number
  height: number
  format: AVPixelFormat
  timeBase: { num: number; den: number }
  frameRate: { num: number; den: number }
  pixelAspect: { num: number; den: number }
  colorRange?: number
  colorSpace?: number
}

export interface AudioPad {
  format: number
  sampleRate: number
  channelMask: bigint
  timeBase: { num: number; den: number }
}

/** The pad for frames like this one; square pixels unless said. */
export function videoPadOf(
  frame: Frame,
  rest: Pick<VideoPad, 'timeBase' | 'frameRate'> & Partial<Pick<VideoPad, 'pixelAspect'>>,
): VideoPad {
  return {
    width: frame.width,
    height: frame.height,
    format: frame.format as never,
    colorRange: frame.colorRange,
    colorSpace: frame.colorSpace,
    pixelAspect: { num: 1, den: 1 },
    ...rest,
  }
}

/** The pad for sound like this frame's. */
export function audioPadOf(frame: Frame, timeBase: AudioPad['timeBase']): AudioPad {
  const { nbChannels, mask } = frame.channelLayout
  return {
    format: frame.format,
    sampleRate: frame.sampleRate,
    channelMask: mask || unstatedSpeakers(nbChannels),
    timeBase,
  }
}

/** The binding's parameter call refuses sound, so its shape is given as the filter's own options. */
function soundSettings(pad: AudioPad): string {
  return [
    `time_base=${pad.timeBase.num}/${pad.timeBase.den}`,
    `sample_rate=${pad.sampleRate}`,
    `sample_fmt=${avGetSampleFmtName(pad.format as never)}`,
    `channel_layout=0x${pad.channelMask.toString(16)}`,
  ].join(':')
}

/** A filter graph with named sources and one sink. Holds every context it needs until `free`, as the library demands. */
export class Graph {
  private constructor(
    private readonly graph: FilterGraph,
    private readonly sources: FilterContext[],
    private readonly sink: FilterContext,
    /** Whether its work is done in this thread. */
    private readonly light: boolean,
  ) {}

  /** @throws MediaError when the filters cannot be set up */
  static async video(description: string, pads: VideoPad[]): Promise<Graph> {
    return Graph.build(description, 'buffer', 'buffersink', pads, (source, index) => {
      const pad = pads[index]!
      const code = source.buffersrcParametersSet({
        width: pad.width,
        height: pad.height,
        format: pad.format,
        timeBase: pad.timeBase,
        frameRate: pad.frameRate,
        sampleAspectRatio: pad.pixelAspect,
        ...(pad.colorRange === undefined ? {} : { colorRange: pad.colorRange as never }),
        ...(pad.colorSpace === undefined ? {} : { colorSpace: pad.colorSpace as never }),
      })
      return code < 0 ? code : source.initStr(null)
    })
  }

  /** @param pad the sound that will be pushed; null for filters that make their own */
  static async audio(description: string, pad: AudioPad | null): Promise<Graph> {
    return Graph.build(description, 'abuffer', 'abuffersink', pad ? [pad] : [], source =>
      source.initStr(pad && soundSettings(pad)),
    )
  }

  /** Filters that make pictures of sound. @throws MediaError when the filters cannot be set up */
  static async pictureOfSound(description: string, pad: AudioPad): Promise<Graph> {
    return Graph.build(description, 'abuffer', 'buffersink', [pad], source => source.initStr(soundSettings(pad)))
  }

  private static async build(
    description: string,
    sourceName: 'buffer' | 'abuffer',
    sinkName: 'buffersink' | 'abuffersink',
    pads: readonly (VideoPad | AudioPad)[],
    setUp: (source: FilterContext, index: number) => number,
  ): Promise<Graph> {
    const graph = new FilterGraph()
    graph.alloc()
    try {
      const sources = pads.map((_, index) => {
        const source = graph.allocFilter(Filter.getByName(sourceName)!, `in${index}`)
        if (!source) throw new MediaError('The filters cannot be set up: memory ran out.')
        ensure(setUp(source, index), 'The filters cannot take this picture or sound')
        return source
      })
      const sink = graph.createFilter(Filter.getByName(sinkName)!, 'out', null)
      if (!sink) throw new MediaError('The filters cannot be set up: memory ran out.')
      const segment = graph.segmentParse(description)
      if (!segment) throw new MediaError(`The filter list cannot be read: ${description}`)
      ensure(segment.createFilters(), 'A filter cannot be made')
      ensure(segment.applyOpts(), `A filter does not take its settings (${description})`)
      const open = new FilterInOut()
      const closed = new FilterInOut()
      ensure(segment.apply(open, closed), 'The filters do not fit together')
      segment.free()
      linkEnds(open, closed, sources, sink)
      open.free()
      closed.free()
      ensure(await graph.config(), `The filters do not fit this material (${description})`)
      const isPicture = sinkName === 'buffersink'
      const shown = [
        ...pads,
        ...(isPicture ? [{ width: sink.buffersinkGetWidth(), height: sink.buffersinkGetHeight() }] : []),
      ]
      return new Graph(
        graph,
        sources,
        sink,
        shown.every(pad => !('width' in pad) || isLight(pad)),
      )
    } catch (error) {
      graph.free()
      throw error
    }
  }

  /** Hands a frame to a source, or null for its end. The frame stays the caller's. */
  async push(frame: Frame | null, input = 0): Promise<void> {
    // It only lies there until something is pulled.
    const code = this.sources[input]!.buffersrcAddFrameSync(frame, AV_BUFFERSRC_FLAG_KEEP_REF)
    if (!isEnd(code)) ensure(code, 'A filter failed')
  }

  /** Takes a finished frame. 'again' asks for more input. */
  async pull(frame: Frame): Promise<'frame' | 'again' | 'end'> {
    const code = this.light ? this.sink.buffersinkGetFrameSync(frame) : await this.sink.buffersinkGetFrame(frame)
    if (isAgain(code)) return 'again'
    if (isEnd(code)) return 'end'
    ensure(code, 'A filter failed')
    return 'frame'
  }

  /** Changes a setting of every filter of a kind while it runs. @returns the library's result */
  command(filter: string, setting: string, value: string): number {
    const result = this.graph.sendCommand(filter, setting, value)
    return typeof result === 'number' ? result : 0
  }

  get timeBase(): { num: number; den: number } {
    return this.sink.buffersinkGetTimeBase()
  }

  get output(): FilterContext {
    return this.sink
  }

  free(): void {
    this.graph.free()
  }
}

/** Joins the description's open ends, labelled [in0], [in1] ... (or unlabelled when there is one), to the sources, and its last filter to the sink. */
function linkEnds(open: FilterInOut, closed: FilterInOut, sources: FilterContext[], sink: FilterContext): void {
  for (let end: FilterInOut | null = open; end?.filterCtx; end = end.next) {
    const index = Number(/\d+$/.exec(end.name ?? 'in0')?.[0] ?? 0)
    ensure(sources[index]!.link(0, end.filterCtx, end.padIdx), 'The filters do not fit together')
  }
  for (let end: FilterInOut | null = closed; end?.filterCtx; end = end.next)
    ensure(end.filterCtx.link(end.padIdx, sink, 0), 'The filters do not fit together')
}
