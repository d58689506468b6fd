import {
  plainTimeline,
  sourceTimeAt,
  toNumber,
  type BurntSubtitles,
  type PictureTreatment,
  type VideoFacts,
} from '@hematine/core'
import type { Frame } from 'node-av/lib'
import { openFrames, type FrameReader } from '../reading/frame-reader.ts'
import { planStages, type StagePlan } from './filters.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { MediaError } from '../ground/libav.ts'
import type { NetworkDevice } from '../ground/network.ts'
import { StageChain } from './stages.ts'
import { SubtitleReader } from '../reading/subtitle-reader.ts'
import { TreatedStream } from '../reading/treated-stream.ts'

/** Frames before a wanted one that the filters see, so that those that look back in time have settled. */
const leadFrames = 8
/** Subtitles that begin so long before a wanted frame, in seconds, may still be shown in it. */
const shownBefore = 60
/** Program streams have no index: their decoders need a few seconds before a place to find a whole group of pictures. */
const leadSeconds = 3

export interface PictureOptions {
  /** Frame of the result to start with; 0 for the whole. */
  firstFrame?: number
  threads?: number
  /** Whether each step is a stage of its own, so that their times can be told apart. */
  apart?: boolean
  /** Seconds of the result before the first frame that the steps see at least; what a preview needs unless said. */
  lead?: number
}

/** A source's picture, decoded and treated, frame by frame. Frame times are frame numbers of the result's rate. */
export class TreatedPicture extends TreatedStream<StageChain> {
  private readonly firstNeeded: bigint | null
  private readonly plans: StagePlan[]
  private readonly firstFrame: number
  /** Seconds of the result before a wanted frame that the stages see. */
  private readonly lead: number

  /** @param upTo number of stages, when only the frames that reach the next one are wanted, all of them */
  private constructor(
    decoder: FrameReader,
    private readonly input: MediaInput,
    private readonly video: VideoFacts,
    private readonly treatment: PictureTreatment,
    private readonly options: PictureOptions,
    private readonly upTo?: number,
  ) {
    const end = treatment.timeline?.ranges?.at(-1)?.to
    super(decoder, BigInt(video.startTicks), end === undefined ? null : ticksAt(video, end))
    const { firstFrame = 0, apart = false, lead = 0 } = options
    this.firstFrame = firstFrame
    const plans = planStages(treatment, video, firstFrame === 0, apart)
    this.plans = plans.slice(0, upTo)
    this.lead = Math.max(
      lead,
      leadFrames / toNumber(treatment.result.rate),
      ...plans.map(plan => (plan.kind === 'steady-ahead' ? plan.lead : 0)),
    )
    this.firstNeeded =
      firstFrame === 0
        ? null
        : ticksAt(
            video,
            sourceTimeAt(treatment.timeline ?? plainTimeline, firstFrame / toNumber(treatment.result.rate) - this.lead),
          )
  }

  /** @throws MediaError when the input cannot be opened */
  static async open(
    input: MediaInput,
    video: VideoFacts,
    treatment: PictureTreatment,
    options: PictureOptions = {},
    upTo?: number,
  ): Promise<TreatedPicture> {
    const { firstFrame = 0, threads = 0 } = options
    const decoder = await openFrames(input, video.streamIndex, threads)
    const picture = new TreatedPicture(decoder, input, video, treatment, options, upTo)
    // What is trimmed off before the first range need not be decoded either.
    const seconds =
      sourceTimeAt(treatment.timeline ?? plainTimeline, firstFrame / toNumber(treatment.result.rate) - picture.lead) -
      leadSeconds
    try {
      if (seconds > 0) await decoder.seek(ticksAt(video, seconds))
    } catch (error) {
      await picture.close()
      throw error
    }
    return picture
  }

  /** Seconds of work so far by the numbers of the treatment's steps that it was spent on; of decoding under "decode", of what serves all steps under "other". */
  get stepSeconds(): Map<number | 'decode' | 'other', number> {
    const sums = new Map<number | 'decode' | 'other', number>([
      ['decode', this.decodeSeconds],
      ['other', 0],
    ])
    for (const [index, { steps }] of this.plans.entries()) {
      const key = steps[0] ?? 'other'
      sums.set(key, (sums.get(key) ?? 0) + (this.stages?.seconds[index] ?? 0))
    }
    return sums
  }

  /** Devices that its learned steps run on, by the network's name. */
  get devices(): Record<string, NetworkDevice> {
    return this.stages?.devices ?? {}
  }

  protected isNeeded(ticks: bigint): boolean {
    return this.firstNeeded === null || ticks >= this.firstNeeded
  }

  /** A picture that stands still may be stored once, long before. */
  protected readonly lasts = true

  /** The last frame is shown for a whole frame, whatever its packet says: otherwise a rate's grid may leave it out. */
  protected override complete(frame: Frame): void {
    const { frameRate, timeBase } = this.video
    frame.duration = BigInt(Math.max(1, Math.round(1 / (toNumber(frameRate) * toNumber(timeBase)))))
  }

  protected isWanted(frame: Frame): boolean {
    return this.upTo !== undefined || frame.pts >= BigInt(this.firstFrame)
  }

  protected async build({ width, height }: Frame): Promise<StageChain> {
    const { video } = this
    if (width <= 0 || height <= 0) throw new MediaError('The picture has no size.')
    return new StageChain(
      this.plans,
      { timeBase: video.timeBase, frameRate: video.frameRate },
      video.pixelAspect,
      stage => TreatedPicture.open(this.input, video, this.treatment, this.options, stage),
      burnt => this.readSubtitles(burnt),
    )
  }

  /** Opens the track that is burnt in, at what may still be shown when the first wanted frame is. */
  private async readSubtitles({ position, streamIndex }: BurntSubtitles): Promise<SubtitleReader> {
    const { input, video } = this
    if (input.kind === 'join') throw new MediaError('The subtitles of sources that are joined cannot be burnt in.')
    const zero = video.startTicks * toNumber(video.timeBase)
    const reader = await SubtitleReader.open(input, [{ position, streamIndex }], {
      streamIndex: video.streamIndex,
      zeroSeconds: zero,
    })
    const { timeline = plainTimeline, result } = this.treatment
    const first = sourceTimeAt(timeline, this.firstFrame / toNumber(result.rate))
    if (first > shownBefore) await reader.seek(first - shownBefore)
    return reader
  }
}

/** A time of the source in ticks of its picture's stream. */
function ticksAt({ startTicks, timeBase }: VideoFacts, seconds: number): bigint {
  return BigInt(startTicks) + BigInt(Math.round(seconds / toNumber(timeBase)))
}
