import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import path from 'node:path'
import {
  GraphicsReader,
  readCue,
  readDiscPicture,
  readPaletteHead,
  shownSpans,
  sourceTimeAt,
  subtitleKind,
  type BurntSubtitles,
  type Run,
  type Samples,
  type TextPicture,
  type Timeline,
} from '@hematine/core'
import { AV_PIX_FMT_RGBA } from 'node-av/constants'
import { avGetPixFmtName, Frame } from 'node-av/lib'
import { readPlanes, rewritten } from '../ground/frame-planes.ts'
import { Graph, videoPadOf } from '../ground/graph.ts'
import { MediaError } from '../ground/libav.ts'
import type { SubtitleReader } from '../reading/subtitle-reader.ts'
import { fontDirectory, fontName, quoteOption } from './font.ts'
import { SingleStage } from './stage.ts'

/** What a stage that burns in needs to know. */
export interface BurnPlan {
  burnt: BurntSubtitles
  /** Height of text, in percent of the frame's. */
  size: number
  timeline: Timeline
  /** Width of a pixel over its height. */
  shape: number
  /** Filters that bring red, green and blue with opacity to how the frame's colours are coded. */
  coded: string
  /** What white text is as a part of the brightest code: less in a high dynamic range, whose brightest code is for lights. */
  light: number
}

interface Times {
  timeBase: { num: number; den: number }
  frameRate: { num: number; den: number }
}

/** A text that states no end is shown so long, or until the next. */
const unstatedSeconds = 5
/** Text is set for so much of the result at a time, so that a trial of a moment need not read a whole film. */
const windowSeconds = 60

/** Burns the subtitles of a source into its frames. */
export abstract class BurnStage extends SingleStage {
  protected constructor(
    protected readonly plan: BurnPlan,
    protected readonly reader: SubtitleReader,
    protected readonly times: Times,
  ) {
    super(times.timeBase)
  }

  static make(plan: BurnPlan, reader: SubtitleReader, times: Times): BurnStage {
    return subtitleKind(plan.burnt.codec) === 'pictures'
      ? new PictureBurnStage(plan, reader, times)
      : new TextBurnStage(plan, reader, times)
  }

  protected secondsAt(frame: Frame): number {
    return (Number(frame.pts) * this.timeBase.num) / this.timeBase.den
  }

  protected keep(frame: Frame): void {
    const kept = new Frame()
    kept.alloc()
    kept.ref(frame)
    this.ready = kept
  }

  override free(): void {
    super.free()
    void this.reader.close()
  }
}

/** Words, set by the library's renderer for scripted text. */
class TextBurnStage extends BurnStage {
  private window = -1
  private graph: Graph | null = null
  private cues: { from: number; to: number; isStated: boolean; data: Buffer }[] = []

  protected async take(frame: Frame): Promise<void> {
    const window = Math.floor(this.secondsAt(frame) / windowSeconds)
    if (window !== this.window) await this.open(window, frame)
    if (!this.graph) return this.keep(frame)
    await this.graph.push(frame)
    const set = new Frame()
    set.alloc()
    if ((await this.graph.pull(set)) !== 'frame') throw new MediaError('The subtitles cannot be set into the picture.')
    this.ready = set
  }

  /** Sets the text of a stretch of the result. */
  private async open(window: number, frame: Frame): Promise<void> {
    this.window = window
    this.graph?.free()
    this.graph = null
    const { timeline, burnt } = this.plan
    const [begin, end] = [window * windowSeconds, (window + 1) * windowSeconds]
    const until = sourceTimeAt(timeline, end)
    for (
      let packet = await this.reader.peek(until);
      packet && packet.from < until;
      packet = await this.reader.peek(until)
    ) {
      const last = this.cues.at(-1)
      if (last && !last.isStated) last.to = Math.min(last.to, packet.from)
      const { from, seconds, data } = packet
      this.cues.push({ from, to: from + (seconds ?? unstatedSeconds), isStated: seconds !== null, data })
      this.reader.take()
    }
    const shown = this.cues.flatMap(cue =>
      shownSpans(timeline, cue.from, cue.to)
        .filter(span => span.to > begin && span.from < end)
        .map(span => ({ ...span, data: cue.data })),
    )
    // What may still be shown in the next stretch is kept.
    this.cues = this.cues.filter(cue => cue.to > until)
    if (shown.length === 0) return
    const head = burnt.codec === 'ass' ? this.reader.heads[0] : null
    const script = head
      ? scriptOf(
          head.toString(),
          shown.map(({ from, to, data }) => scriptLine(from, to, data.toString())),
        )
      : scriptOf(
          plainHead(this.plan),
          shown.map(({ from, to, data }) => plainLine(from, to, readCue(burnt.codec, data))),
        )
    const directory = await mkdtemp(path.join(tmpdir(), 'hematine-text-'))
    try {
      const file = path.join(directory, 'text.ass')
      await writeFile(file, script)
      const { shape } = this.plan
      // The shape in which it is shown, by which the renderer evens out pixels that are no squares.
      const drawn = `${Math.round(frame.width * shape * 1000)}x${frame.height * 1000}`
      this.graph = await Graph.video(
        `ass=filename=${quoteOption(file)}:fontsdir=${quoteOption(fontDirectory)}:original_size=${drawn},${asIs(frame)}`,
        [videoPadOf(frame, { ...this.times, pixelAspect: pixelAspectOf(frame) })],
      )
    } finally {
      // It was read when the filters were set up.
      await rm(directory, { recursive: true, force: true })
    }
  }

  override free(): void {
    super.free()
    this.graph?.free()
  }
}

/** Pictures of words, decoded here and laid over the frame where they lay in that of the source. Nothing else of the frame changes by a single code. */
class PictureBurnStage extends BurnStage {
  private readonly graphics = new GraphicsReader()
  private shown: { to: number; layer: Layer[] } | null = null
  private waiting: { from: number; to: number; picture: TextPicture | null } | null = null

  protected async take(frame: Frame): Promise<void> {
    const at = sourceTimeAt(this.plan.timeline, this.secondsAt(frame))
    for (;;) {
      this.waiting ??= await this.read(at)
      if (!this.waiting || this.waiting.from > at) break
      const { to, picture } = this.waiting
      this.waiting = null
      this.shown = picture && to > at ? { to, layer: await this.layerOf(picture, frame) } : null
    }
    if (this.shown && at >= this.shown.to) this.shown = null
    this.keep(frame)
    if (!this.shown || !this.ready) return
    const { planes } = readPlanes(frame)
    for (const [index, plane] of planes.entries()) layOver(plane, this.shown.layer[index]!)
    this.ready = rewritten(this.ready, planes)
  }

  /** What the next packet shows, or takes away, and when. */
  private async read(at: number): Promise<{ from: number; to: number; picture: TextPicture | null } | null> {
    const packet = await this.reader.peek(at)
    if (!packet) return null
    this.reader.take()
    const { codec, onlyForced } = this.plan.burnt
    const picture =
      codec === 'dvd_subtitle'
        ? readDiscPicture(packet.data, readPaletteHead(this.reader.heads[0]!).colours)
        : this.graphics.read(packet.data)
    const from = packet.from + (picture?.begins ?? 0)
    // One whose end is not told is shown until the next comes.
    const to = packet.from + (picture?.ends ?? packet.seconds ?? Number.POSITIVE_INFINITY)
    return { from, to, picture: picture && (!onlyForced || picture.isForced) ? picture : null }
  }

  /** A picture at the size of a frame and coded as its colours are, plane by plane. */
  private async layerOf(picture: TextPicture, frame: Frame): Promise<Layer[]> {
    const { coded, light } = this.plan
    const canvas = this.canvasOf(picture, frame)
    const dimmed = light === 1 ? 'null' : `colorchannelmixer=rr=${light}:gg=${light}:bb=${light}`
    const filters = await Graph.video(
      `${dimmed},scale=${frame.width}:${frame.height}:flags=bilinear,format=gbrap,${coded}`,
      [videoPadOf(canvas, this.times)],
    )
    const drawn = new Frame()
    drawn.alloc()
    try {
      canvas.pts = 0n
      await filters.push(canvas)
      if ((await filters.pull(drawn)) !== 'frame') throw new MediaError('The subtitles cannot be drawn.')
      const opacity = { rows: drawn.data![3]!, stride: drawn.linesize[3]! }
      const { planes, bitDepth } = readPlanes(frame)
      const scale = coded.includes('gbrap') ? (2 ** bitDepth - 1) / 255 : 2 ** (bitDepth - 8)
      return planes.map((plane, index) =>
        layerFor(plane, frame, { rows: drawn.data![index]!, stride: drawn.linesize[index]! }, opacity, scale),
      )
    } finally {
      drawn.free()
      canvas.free()
      filters.free()
    }
  }

  /** A frame of the source's size with nothing on it but the picture. */
  private canvasOf(picture: TextPicture, frame: Frame): Frame {
    const size = picture.frame ??
      readPaletteHead(this.reader.heads[0] ?? null).frame ?? { width: frame.width, height: frame.height }
    const canvas = Buffer.alloc(4 * size.width * size.height)
    for (let row = 0; row < picture.height && picture.y + row < size.height; row++) {
      const cells = Math.min(picture.width, size.width - picture.x)
      if (cells > 0)
        canvas.set(
          picture.rgba.subarray(4 * row * picture.width, 4 * (row * picture.width + cells)),
          4 * ((picture.y + row) * size.width + picture.x),
        )
    }
    return Frame.fromVideoBuffer(canvas, { ...size, format: AV_PIX_FMT_RGBA, timeBase: this.timeBase } as never)
  }
}

/** Part of a plane that something is laid over: for each of its samples how much of it goes, and what comes. */
interface Layer {
  left: number
  top: number
  width: number
  covered: Float32Array
  added: Float32Array
}

interface Rows {
  rows: Uint8Array
  stride: number
}

/** What a picture of 8 bits at the size of a frame is to one plane of it, whose samples may each stand for several pixels. @param scale codes of the plane for one of 8 bits */
function layerFor(
  plane: Samples,
  frame: { width: number; height: number },
  colour: Rows,
  opacity: Rows,
  scale: number,
): Layer {
  const [across, down] = [Math.round(frame.width / plane.width), Math.round(frame.height / plane.height)]
  let [left, top, right, bottom] = [plane.width, plane.height, 0, 0]
  for (let y = 0; y < frame.height; y++) {
    const row = opacity.rows.subarray(y * opacity.stride, y * opacity.stride + frame.width)
    const first = row.findIndex(value => value > 0)
    if (first < 0) continue
    let last = frame.width - 1
    while (row[last] === 0) last--
    const line = Math.min(plane.height - 1, Math.floor(y / down))
    left = Math.min(left, Math.floor(first / across))
    right = Math.max(right, Math.min(plane.width, Math.floor(last / across) + 1))
    top = Math.min(top, line)
    bottom = Math.max(bottom, line + 1)
  }
  const [width, height] = [Math.max(0, right - left), Math.max(0, bottom - top)]
  const layer = { left, top, width, covered: new Float32Array(width * height), added: new Float32Array(width * height) }
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let [count, covered, added] = [0, 0, 0]
      for (let v = (top + y) * down; v < Math.min((top + y + 1) * down, frame.height); v++)
        for (let u = (left + x) * across; u < Math.min((left + x + 1) * across, frame.width); u++, count++) {
          const part = opacity.rows[v * opacity.stride + u]! / 255
          covered += part
          added += part * colour.rows[v * colour.stride + u]! * scale
        }
      layer.covered[y * width + x] = covered / Math.max(1, count)
      layer.added[y * width + x] = added / Math.max(1, count)
    }
  return layer
}

function layOver({ data, width }: Samples, { left, top, width: across, covered, added }: Layer): void {
  for (let index = 0; index < covered.length; index++) {
    if (covered[index] === 0) continue
    const at = (top + Math.floor(index / across)) * width + left + (index % across)
    data[at] = Math.round(data[at]! * (1 - covered[index]!) + added[index]!)
  }
}

/** The filter that gives frames back in the format in which they came: what follows was set up for it, and not every frame has subtitles. */
function asIs(frame: Frame): string {
  return `format=${avGetPixFmtName(frame.format as never)}`
}

function pixelAspectOf(frame: Frame): { num: number; den: number } {
  const { num, den } = frame.sampleAspectRatio
  return num > 0 ? { num, den } : { num: 1, den: 1 }
}

/** H:MM:SS.cc, as scripts count. */
function clock(seconds: number): string {
  const hundredths = Math.max(0, Math.round(seconds * 100))
  const two = (value: number) => String(value).padStart(2, '0')
  return `${Math.floor(hundredths / 360_000)}:${two(Math.floor(hundredths / 6000) % 60)}:${two(Math.floor(hundredths / 100) % 60)}.${two(hundredths % 100)}`
}

/** Lines of the plane that text is set on. */
const plane = 1000

/** The head of a script for text that brings no style: at the foot, in the middle, light with a dark edge. */
function plainHead({ size, light }: Pick<BurnPlan, 'size' | 'light'>): string {
  // Blue, green and red of a slightly warm white.
  const text = [0xe6, 0xf0, 0xf2]
    .map(code =>
      Math.round(code * light)
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')
  return `[Script Info]
ScriptType: v4.00+
PlayResX: ${Math.round((plane * 16) / 9)}
PlayResY: ${plane}
WrapStyle: 0
ScaledBorderAndShadow: yes

[V4+ Styles]
Format: Name, Fontname, Fontsize, PrimaryColour, SecondaryColour, OutlineColour, BackColour, Bold, Italic, Underline, StrikeOut, ScaleX, ScaleY, Spacing, Angle, BorderStyle, Outline, Shadow, Alignment, MarginL, MarginR, MarginV, Encoding
Style: Default,${fontName},${(size * plane) / 100},&H00${text},&H00FFFFFF,&H00101010,&H80000000,0,0,0,0,100,100,0,0,1,${size / 1.5},0,2,60,60,50,1
`
}

function scriptOf(head: string, lines: readonly string[]): string {
  // Events of the source's own head go: they are read from its packets.
  const before = head.replaceAll('\0', '').split(/^\[Events\]/m)[0]!
  return `${before.trimEnd()}\n\n[Events]\nFormat: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text\n${lines.join('\n')}\n`
}

/** A line of a script from a container's packet, which has a number in place of the times. */
function scriptLine(from: number, to: number, packet: string): string {
  const [, layer = '0', ...rest] = packet.replaceAll(/[\r\n]/g, '').split(',')
  return `Dialogue: ${layer},${clock(from)},${clock(to)},${rest.join(',')}`
}

function plainLine(from: number, to: number, runs: readonly Run[]): string {
  const text = runs
    .map(({ text, italic, bold, underline }) => {
      // Braces would begin an override.
      const safe = text.replaceAll('{', '(').replaceAll('}', ')').replaceAll('\\', '\\\u2060').replaceAll('\n', '\\N')
      return `{\\i${italic ? 1 : 0}\\b${bold ? 1 : 0}\\u${underline ? 1 : 0}}${safe}`
    })
    .join('')
  return `Dialogue: 0,${clock(from)},${clock(to)},Default,,0,0,0,,${text}`
}
