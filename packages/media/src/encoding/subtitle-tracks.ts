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
  type SourceFacts,
} from '@hematine/core'
import { Packet } from 'node-av/lib'
import type { MediaInput } from '../ground/media-input.ts'
import { SubtitleReader } from '../reading/subtitle-reader.ts'
import { secondsOf } from '../sound/sound-treatment.ts'
import { textTicks, type PacketSink } from './output.ts'

/** What subtitles are made from. */
export interface SubtitlePlan {
  input: MediaInput
  facts: SourceFacts
  treatment: Pick<PictureTreatment, 'timeline'>
  spec: PictureSpec
}

/** A text that states no end is shown so long, or until the next. */
const unstatedSeconds = 5

/** The subtitle tracks of a result on their way into its file: packets of the source at the result's times, in the result's codecs. */
export class SubtitleTracks {
  private readonly packet = new Packet()
  private readonly lastTicks: bigint[] = []

  private constructor(
    private readonly plan: SubtitlePlan,
    private readonly tracks: readonly { from: string; to: string; streamIndex: number }[],
    private readonly reader: SubtitleReader,
  ) {
    this.packet.alloc()
  }

  /**
   * Opens those tracks that the spec keeps, and adds them to an output.
   * @returns null where none is kept
   * @throws MediaError when the source cannot be opened
   */
  static async open(plan: SubtitlePlan, output: PacketSink): Promise<SubtitleTracks | null> {
    const { input, facts, spec, treatment } = plan
    const { tracks } = plannedSubtitles(facts, spec, treatment.timeline)
    const { video } = facts
    if (tracks.length === 0 || !video || input.kind === 'join' || !output.addSubtitles) return null
    const reader = await SubtitleReader.open(
      input,
      tracks.map(({ position }) => ({ position, streamIndex: facts.subtitles[position]!.streamIndex })),
      { streamIndex: video.streamIndex, zeroSeconds: secondsOf(video.startTicks, video.timeBase) },
    )
    try {
      const added = tracks.map((track, index) => ({
        ...track,
        streamIndex: output.addSubtitles!(
          track,
          track.to === track.from ? reader.heads[index]! : track.to === 'mov_text' ? timedTextTrackHead() : null,
        ),
      }))
      return new SubtitleTracks(plan, added, reader)
    } catch (error) {
      await reader.close()
      throw error
    }
  }

  /** Writes what is shown before a time of the result, in seconds. */
  async writeUntil(seconds: number, output: Pick<PacketSink, 'write'>): Promise<void> {
    const timeline = this.plan.treatment.timeline ?? plainTimeline
    const until = sourceTimeAt(timeline, seconds)
    for (let next = await this.reader.peek(until); next; next = await this.reader.peek(until)) {
      const { track, from, seconds: stated, data } = next
      const { from: codec, to, streamIndex } = this.tracks[track]!
      const isText = subtitleKind(codec) === 'text'
      // Pictures say in themselves how long they are shown, and packets that end them say nothing else: only when they begin counts.
      const length = isText ? (stated ?? unstatedSeconds) : 0
      const spans = shownSpans(timeline, from, from + length)
      if ((spans[0]?.from ?? 0) >= seconds) return
      const bytes = codec === to ? data : turned(codec, to, data)
      if (bytes && isSaying(codec, data))
        for (const span of spans) {
          let at = BigInt(Math.round(span.from * textTicks))
          const last = this.lastTicks[track]
          if (last !== undefined && at <= last) at = last + 1n
          this.lastTicks[track] = at
          this.packet.data = Buffer.from(bytes)
          this.packet.pts = this.packet.dts = at
          this.packet.duration = isText
            ? BigInt(Math.max(1, Math.round(span.to * textTicks) - Number(at)))
            : stated === null
              ? 0n
              : BigInt(Math.round(stated * textTicks))
          await output.write(this.packet, streamIndex)
          this.packet.unref()
        }
      this.reader.take()
    }
  }

  async close(): Promise<void> {
    this.packet.free()
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
