import {
  plainTimeline,
  plannedSubtitles,
  readCue,
  shownSpans,
  sourceTimeAt,
  subtitleKind,
  timedTextTrackHead,
  writeCue,
  type PictureSpec,
  type PictureTreatment,
  type PlannedSubtitles,
  type SourceFacts,
} from '@hematine/core'
import { Packet } from 'node-av/lib'
import type { MediaInput } from '../ground/media-input.ts'
import { SubtitleReader } from '../reading/subtitle-reader.ts'
import { secondsOf } from '../sound/sound-treatment.ts'
import { textTicks, type PacketSink } from './output.ts'
import { openSubtitleFile, type SubtitleSink } from './subtitle-files.ts'

/** What subtitles are made from. */
export interface SubtitlePlan {
  input: MediaInput
  facts: SourceFacts
  treatment: Pick<PictureTreatment, 'timeline'>
  spec: PictureSpec
  outputPath: string
}

/** A text that states no end is shown so long, or until the next. */
const unstatedSeconds = 5

/** A track in the result's own file. */
class TrackInside implements SubtitleSink {
  private readonly packet = new Packet()

  constructor(
    private readonly output: Pick<PacketSink, 'write'>,
    private readonly streamIndex: number,
  ) {
    this.packet.alloc()
  }

  async write(data: Uint8Array, from: number, length: number | null): Promise<void> {
    this.packet.data = Buffer.from(data)
    this.packet.pts = this.packet.dts = BigInt(from)
    this.packet.duration = BigInt(length ?? 0)
    await this.output.write(this.packet, this.streamIndex)
    this.packet.unref()
  }

  async finish(): Promise<void> {}

  async close(): Promise<void> {
    this.packet.free()
  }
}

/** The subtitles of a result on their way into its file, and into files beside it: packets of the source at the result's times, in the result's codecs. */
export class SubtitleTracks {
  private readonly lastTicks: number[] = []

  private constructor(
    private readonly plan: SubtitlePlan,
    private readonly tracks: readonly { from: string; to: string; sink: SubtitleSink }[],
    private readonly reader: SubtitleReader,
  ) {}

  /**
   * Opens those tracks that the spec keeps, and adds them to an output, or begins their files.
   * @param output one that takes no tracks of text gets none
   * @returns null where none is kept
   * @throws MediaError when the source cannot be opened
   */
  static async open(plan: SubtitlePlan, output: PacketSink): Promise<SubtitleTracks | null> {
    const { input, facts, spec, treatment, outputPath } = plan
    const { video } = facts
    const { tracks, files } = plannedSubtitles(facts, spec, treatment.timeline)
    const inside = output.addSubtitles ? tracks : []
    if (inside.length + files.length === 0 || !video || input.kind === 'join') return null
    const reader = await SubtitleReader.open(
      input,
      [...inside, ...files].map(({ position }) => ({ position, streamIndex: facts.subtitles[position]!.streamIndex })),
      { streamIndex: video.streamIndex, zeroSeconds: secondsOf(video.startTicks, video.timeBase) },
    )
    const opened: { from: string; to: string; sink: SubtitleSink }[] = []
    const keep = ({ from, to }: PlannedSubtitles, sink: SubtitleSink) => opened.push({ from, to, sink })
    try {
      for (const [index, track] of inside.entries()) {
        const { to, from } = track
        const head = to === from ? reader.heads[index]! : to === 'mov_text' ? timedTextTrackHead() : null
        keep(track, new TrackInside(output, output.addSubtitles!(track, head)))
      }
      for (const [index, file] of files.entries()) {
        const head = reader.heads[inside.length + index]!
        keep(file, await openSubtitleFile(outputPath, file, { head, frame: video }))
      }
      return new SubtitleTracks(plan, opened, reader)
    } catch (error) {
      for (const { sink } of opened) await sink.close()
      await reader.close()
      throw error
    }
  }

  /** Writes what is shown before a time of the result, in seconds. */
  async writeUntil(seconds: number): Promise<void> {
    const timeline = this.plan.treatment.timeline ?? plainTimeline
    const until = sourceTimeAt(timeline, seconds)
    for (let next = await this.reader.peek(until); next; next = await this.reader.peek(until)) {
      const { track, from, seconds: stated, data } = next
      const { from: codec, to, sink } = this.tracks[track]!
      const isText = subtitleKind(codec) === 'text'
      // Pictures say in themselves how long they are shown, and packets that end them say nothing else: only when they begin counts.
      const length = isText ? (stated ?? unstatedSeconds) : 0
      const spans = shownSpans(timeline, from, from + length)
      if ((spans[0]?.from ?? 0) >= seconds) return
      const bytes = codec === to ? data : turned(codec, to, data)
      if (bytes && isSaying(codec, data))
        for (const span of spans) {
          const begins = Math.round(span.from * textTicks)
          const at = Math.max(begins, (this.lastTicks[track] ?? -1) + 1)
          this.lastTicks[track] = at
          const ticks = isText
            ? Math.max(1, Math.round(span.to * textTicks) - at)
            : stated === null
              ? null
              : Math.round(stated * textTicks)
          await sink.write(bytes, at, ticks)
        }
      this.reader.take()
    }
  }

  /** Everything was written: ends the files beside the result. */
  async finish(): Promise<void> {
    for (const { sink } of this.tracks) await sink.finish()
  }

  async close(): Promise<void> {
    for (const { sink } of this.tracks) await sink.close()
    await this.reader.close()
  }
}

/** A text packet in another codec; null where nothing is left of it. */
function turned(from: string, to: string, data: Buffer): Uint8Array | null {
  const runs = readCue(from, data)
  return runs.length === 0 ? null : writeCue(to as Parameters<typeof writeCue>[0], runs)
}

/** Whether a packet says anything: MP4 has empty ones between texts. */
function isSaying(codec: string, data: Buffer): boolean {
  return codec !== 'mov_text' || readCue(codec, data).length > 0
}
