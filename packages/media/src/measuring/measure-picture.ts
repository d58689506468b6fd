import {
  bordersInAll,
  bordersOf,
  chromaOf,
  columnGrid,
  combing,
  cutChange,
  detailOf,
  fieldOf,
  flatPart,
  histogram,
  histogramChange,
  letteringOf,
  levelsOf,
  marksIn,
  meanChange,
  noiseOf,
  peakedPart,
  profilesOf,
  reduced,
  rowGrid,
  runsToMeasure,
  shiftBetween,
  spannedFrames,
  squaresInAll,
  stayingPart,
  supportedMotion,
  toNumber,
  windowPlans,
  type Borders,
  type MeasureDepth,
  type MeasuredPicture,
  type MeasuredRun,
  type MeasuredWindow,
  type Plane,
  type Profiles,
  type Reduced,
  type Region,
  type VideoFacts,
} from '@hematine/core'
import { Frame } from 'node-av/lib'
import { openFrames, type FrameReader } from '../reading/frame-reader.ts'
import { Graph, videoPadOf } from '../ground/graph.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { MediaError } from '../ground/libav.ts'
import type { PacketTimes } from '../reading/source-times.ts'
import type { WorkGate } from '../ground/gate.ts'

/** Containers without an index are sought by guesses and so 3 s early; the frames before the place are passed over. */
const seekEarlySeconds = 3
const withoutIndex = /^(mpeg|mpegts|mpegvideo|dv|h264|hevc|rm)$/

/** One frame as it is measured: planes copied out of the library's memory. */
interface Picture {
  seconds: number
  letter: string
  luma: Plane
  u: Plane
  v: Plane
}

interface Before {
  luma: Plane
  counts: Uint32Array
  profiles: Profiles
}

const none: Profiles = { columns: new Float32Array(), rows: new Float32Array() }

/** Gathers the columns of one window. */
class WindowGauge {
  readonly window: MeasuredWindow = {
    seconds: [],
    mean: [],
    low: [],
    high: [],
    illegal: [],
    atTop: [],
    saturation: [],
    vivid: [],
    change: [],
    histogramChange: [],
    stays: [],
    shiftX: [],
    shiftY: [],
    shiftFit: [],
    comb: [],
    scan: '',
    errors: 0,
    still: null,
    borders: null,
  }
  private readonly borders: (Borders | null)[] = []
  likeness: Reduced | null = null

  /** @param isGlance whether only what a glance needs is measured */
  constructor(
    private readonly frames: number,
    private readonly isGlance: boolean,
  ) {}

  get isFull(): boolean {
    return this.window.seconds.length >= this.frames
  }

  add(picture: Picture, before: Before | null): Before {
    const { window } = this
    // Every other line is plenty for levels.
    const counts = histogram({
      ...picture.luma,
      height: Math.floor((picture.luma.height + 1) / 2),
      stride: picture.luma.stride * 2,
    })
    const profiles = this.isGlance ? none : profilesOf(picture.luma)
    const levels = levelsOf(counts)
    const shift = before && !this.isGlance ? wholeShift(before, picture.luma, profiles) : { x: 0, y: 0, fit: 0 }
    const change = before ? meanChange(before.luma, picture.luma) : 0
    const index = window.seconds.length
    window.seconds.push(round(picture.seconds, 4))
    for (const name of ['mean', 'low', 'high', 'illegal', 'atTop'] as const)
      window[name].push(round(levels[name], name === 'illegal' || name === 'atTop' ? 5 : 2))
    const chroma = chromaOf(picture.u, picture.v)
    window.saturation.push(chroma.saturation)
    window.vivid!.push(round(chroma.vivid, 5))
    window.change.push(round(change, 3))
    window.histogramChange.push(round(before ? histogramChange(before.counts, counts) : 0, 4))
    window.stays!.push(before ? round(staysOf(before.luma, picture.luma, change), 3) : 1)
    window.shiftX.push(round(shift.x, 2))
    window.shiftY.push(round(shift.y, 2))
    window.shiftFit.push(round(shift.fit, 3))
    window.comb!.push(round(before ? combing(before.luma, picture.luma) : 0, 2))
    window.scan += picture.letter
    if (index % Math.max(1, Math.floor(this.frames / 3)) === 0) this.borders.push(bordersOf(picture.luma, levels.mean))
    if (!this.isGlance && index === Math.floor((this.frames - 1) / 2))
      this.takeStill(picture, counts, before && change > 0.02 ? before.luma : null)
    return { luma: picture.luma, counts, profiles }
  }

  private takeStill({ seconds, letter, luma }: Picture, counts: Uint32Array, before: Plane | null): void {
    // Fields of different moments would pass for fine vertical detail, so one of them is looked at.
    const interlaced = letter === 't' || letter === 'b'
    const plane = interlaced ? fieldOf(luma, 0) : luma
    const noise = noiseOf(plane, before && (interlaced ? fieldOf(before, 0) : before))
    const [across, down] = [columnGrid(plane), rowGrid(plane)]
    const detail = (direction: 'rows' | 'columns') => {
      const found = detailOf(plane, direction, noise ?? 0)
      return found && { cutoff: round(found.cutoff, 3), fall: round(found.fall, 1) }
    }
    this.window.still = {
      seconds: round(seconds, 4),
      noise: noise === null ? null : round(noise, 2),
      gridX: round(across.strength, 2),
      gridY: round(down.strength, 2),
      gridStepX: round(across.step, 3),
      gridStepY: round(down.step, 3),
      gridColumn: across.phase,
      gridRow: down.phase,
      detailX: detail('rows'),
      detailY: detail('columns'),
      flat: round(flatPart(luma), 3),
      peaked: round(peakedPart(counts), 3),
      lettering: round(letteringOf(plane), 4),
    }
    this.likeness = reduced(luma)
  }

  end(errors: number): MeasuredWindow {
    this.window.errors = errors
    this.window.borders = bordersInAll(this.borders)
    return this.window
  }
}

/** Part of a picture that stays what it was, of one that changed so much that it may be another; see `MeasuredWindow.stays`. */
export function staysOf(before: Plane, now: Plane, change: number): number {
  return change < cutChange ? 1 : (stayingPart(before, now) ?? 0)
}

/** Shifts below this are not looked at more closely, in pixels. */
const restingShift = 0.5
/** Part of all squares that must bear a motion out: a thing on an even ground moves in few of them. */
const leastSupport = 0.3

/** Shift of a whole picture: what its profiles say, if squares spread over it say so too. Things that move in a picture at rest are no shift. */
function wholeShift(before: Before, now: Plane, profiles: Profiles): { x: number; y: number; fit: number } {
  const shift = shiftBetween(before.profiles, profiles)
  if (shift.fit === 0 || Math.hypot(shift.x, shift.y) < restingShift) return shift
  const found = supportedMotion(before.luma, now)
  return found && found.agreeing >= leastSupport * squaresInAll
    ? { x: found.motion.x, y: found.motion.y, fit: shift.fit }
    : { x: 0, y: 0, fit: 0 }
}

function round(value: number, digits: number): number {
  return Number(value.toFixed(digits))
}

/**
 * Measures the picture of a source in windows spread over its length.
 * @throws MediaError when nothing of it can be decoded; whatever `gate.turn` rejects with, when stopped
 */
export async function measurePictureOf(
  input: MediaInput,
  video: VideoFacts,
  depth: MeasureDepth,
  times: PacketTimes,
  gate: WorkGate,
): Promise<MeasuredPicture> {
  const runs = runsToMeasure(spannedFrames(video), depth)
  const { framesEach } = windowPlans[depth]
  const windows: MeasuredWindow[] = []
  const likenesses: Reduced[] = []
  const decoder = await openFrames(input, video.streamIndex)
  let sizes: string[] = []
  try {
    for (const run of runs) {
      let gauge = new WindowGauge(Math.min(framesEach, run.frames), false)
      let before: Before | null = null
      let errors = decoder.errors
      const close = () => {
        if (gauge.window.seconds.length === 0) return
        windows.push(gauge.end(decoder.errors - errors))
        errors = decoder.errors
        if (gauge.likeness) likenesses.push(gauge.likeness)
        gauge = new WindowGauge(Math.min(framesEach, run.frames), false)
      }
      for await (const picture of picturesOf(decoder, video, run)) {
        await gate.turn()
        before = gauge.add(picture, before)
        if (gauge.isFull) close()
      }
      close()
    }
    sizes = decoder.sizes ? [...decoder.sizes] : []
  } finally {
    await decoder.close()
  }
  if (windows.length === 0)
    throw new MediaError('No frame of the source could be decoded, so nothing of it can be measured.')
  const borders = bordersInAll(windows.map(window => window.borders))
  return {
    width: video.width,
    height: video.height,
    framesPerSecond: toNumber(video.frameRate),
    windows,
    whole: runs.length === 1,
    marks: marksIn(likenesses, borders ?? undefined),
    times: spacing(times, video),
    ...(sizes.length > 1 ? { sizes } : {}),
  }
}

/** Looks at a few windows of frames that somebody else decodes one after the other, all of them. */
export class Glancer {
  private readonly windows: MeasuredWindow[] = []
  private readonly runs: MeasuredRun[]
  private readonly judged = new Frame()
  private graph: Graph | null = null
  private gauge: WindowGauge | null = null
  private before: Before | null = null
  private size = { width: 0, height: 0 }

  /** @param frames expected in all @param within the part of them that is looked at; all unless said */
  constructor(
    private readonly video: Pick<VideoFacts, 'colour' | 'isRgb' | 'frameRate'>,
    frames: number,
    private readonly within: Region | null = null,
  ) {
    this.runs = runsToMeasure(frames, 'glance')
    this.judged.alloc()
  }

  private runOf(number: number): MeasuredRun | undefined {
    return this.runs.find(({ first, frames }) => number >= first && number < first + frames)
  }

  /** Whether it would look at a frame of this number. */
  wants(number: number): boolean {
    return this.runOf(number) !== undefined
  }

  /** Takes a look at a frame, by its number. */
  async see(frame: Frame, number: number): Promise<void> {
    const run = this.runOf(number)
    if (!run) return
    const isFirst = number === run.first
    if (isFirst) {
      await this.endWindow()
      this.size = { width: frame.width, height: frame.height }
      const part = this.within
        ? `,crop=${this.within.width}:${this.within.height}:${this.within.left}:${this.within.top},copy`
        : ''
      this.graph = await Graph.video(`${toLimited(this.video)}${part},idet`, [
        videoPadOf(frame, { timeBase: { num: 1, den: 1 }, frameRate: this.video.frameRate }),
      ])
      this.gauge = new WindowGauge(run.frames, true)
    }
    if (!this.graph || frame.width !== this.size.width || frame.height !== this.size.height) return
    const { pts } = frame
    frame.pts = BigInt(number)
    await this.graph.push(frame)
    frame.pts = pts
    await this.drain()
    if (number === run.first + run.frames - 1) await this.endWindow()
  }

  private async drain(): Promise<void> {
    while ((await this.graph!.pull(this.judged)) === 'frame') {
      this.before = this.gauge!.add(copied(this.judged, Number(this.judged.pts)), this.before)
      this.judged.unref()
    }
  }

  private async endWindow(): Promise<void> {
    if (!this.graph) return
    await this.graph.push(null)
    await this.drain()
    this.graph.free()
    this.graph = null
    this.before = null
    this.windows.push(this.gauge!.end(0))
  }

  /** What was seen. */
  async finish(): Promise<Pick<MeasuredPicture, 'windows' | 'width' | 'height'>> {
    await this.endWindow()
    return { windows: this.windows, ...(this.within ?? this.size) }
  }

  free(): void {
    this.graph?.free()
    this.judged.free()
  }
}

/** The frames of a run with how their fields relate, as the library's idet filter judges each by itself: its judgement over several frames smooths pulldown away. */
async function* picturesOf(decoder: FrameReader, video: VideoFacts, run: MeasuredRun): AsyncGenerator<Picture> {
  const [frameTicks, base] = [1 / toNumber(video.frameRate) / toNumber(decoder.timeBase), toNumber(decoder.timeBase)]
  const start = video.startTicks + run.first * frameTicks
  if (run.first > 0) {
    const early = withoutIndex.test(decoder.container.iformat?.name ?? '') ? seekEarlySeconds / base : 0
    await decoder.seek(BigInt(Math.max(0, Math.round(start - early))))
  }
  const [frame, judged] = [new Frame(), new Frame()]
  frame.alloc()
  judged.alloc()
  let graph: Graph | null = null
  try {
    let [taken, ended] = [0, false]
    while (!ended) {
      ended = taken >= run.frames || !(await decoder.next(frame))
      if (ended) {
        await graph?.push(null)
      } else if (Number(frame.pts) < start - frameTicks / 2) {
        frame.unref()
        continue
      } else {
        graph ??= await Graph.video(`${toLimited(video)},idet`, [
          videoPadOf(frame, { timeBase: decoder.timeBase, frameRate: video.frameRate }),
        ])
        await graph.push(frame)
        frame.unref()
        taken++
      }
      while (graph && (await graph.pull(judged)) === 'frame') {
        yield copied(judged, (Number(judged.pts) - video.startTicks) * base)
        judged.unref()
      }
    }
  } finally {
    graph?.free()
    frame.free()
    judged.free()
  }
}

/**
 * Filters that bring a picture into 8-bit luma of limited range, whatever it is coded in.
 * @param size that it is brought to; its own unless said
 */
export function toLimited(
  video: Pick<VideoFacts, 'colour' | 'isRgb'>,
  size?: { width: number; height: number },
): string {
  const sized = size ? `w=${size.width}:h=${size.height}:flags=area` : 'flags=bicubic+accurate_rnd'
  // Linear light is looked at as it is shown; as it is stored, all but the lights would be black.
  if (video.colour.transfer === 'linear' && video.isRgb)
    return `format=gbrpf32le,setparams=range=full:color_primaries=bt709:color_trc=linear:colorspace=gbr,zscale=t=bt709:m=bt709:r=limited,format=yuv444p,scale=${size ? sized : 'flags=bicubic'},format=yuv420p`
  return `scale=${sized}:out_range=limited${video.colour.range === 'full' || video.isRgb ? ':in_range=full' : ':in_range=limited'},format=yuv420p`
}

const letters: Record<string, string> = { tff: 't', bff: 'b', progressive: 'p' }

/** A plane of 8-bit samples, copied out of the library's memory. */
export function copiedPlane(frame: Frame, index: number, width: number, height: number): Plane {
  const stride = frame.linesize[index]!
  // A plain array: the library's buffers are of another kind, and loops that meet both kinds run slowly.
  const data = new Uint8Array(stride * height)
  data.set(frame.data![index]!.subarray(0, data.length))
  return { data, width, height, stride }
}

function copied(frame: Frame, seconds: number): Picture {
  const { width, height } = frame
  const [halfWidth, halfHeight] = [Math.ceil(width / 2), Math.ceil(height / 2)]
  return {
    seconds,
    letter: letters[String(frame.getMetadata()?.get('lavfi.idet.single.current_frame') ?? '')] ?? 'u',
    luma: copiedPlane(frame, 0, width, height),
    u: copiedPlane(frame, 1, halfWidth, halfHeight),
    v: copiedPlane(frame, 2, halfWidth, halfHeight),
  }
}

/** Packets come out of order by so many at most; the last ones read may have neighbours that were not. */
const reordering = 16

/** Counts the steps between the times of packets that are about a frame long, shorter, and longer. */
function spacing({ pictureSeconds, endSeconds }: PacketTimes, video: VideoFacts): MeasuredPicture['times'] {
  const rate = toNumber(video.frameRate)
  const result = {
    packetsRead: pictureSeconds.length,
    regular: 0,
    short: 0,
    long: 0,
    longAt: [] as number[],
    endSeconds: endSeconds.get(video.streamIndex) ?? null,
  }
  for (let index = 1; index < pictureSeconds.length - reordering; index++) {
    const step = (pictureSeconds[index]! - pictureSeconds[index - 1]!) * rate
    if (step < 0.5) result.short++
    else if (step <= 1.5) result.regular++
    else {
      result.long++
      if (result.longAt.length < 20) result.longAt.push(round(pictureSeconds[index - 1]!, 3))
    }
  }
  return result
}
