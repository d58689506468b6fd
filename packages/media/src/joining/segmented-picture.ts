import type { Segment } from '@hematine/core'
import { Packet } from 'node-av/lib'
import type { ProvedTrack } from '../encoding/encoded-picture.ts'
import { Encoder, type EncoderRate } from '../encoding/encoder.ts'
import type { PacketSink } from '../encoding/output.ts'
import type { TranscodePlan } from '../encoding/transcode.ts'
import { MediaError } from '../ground/libav.ts'
import type { NetworkDevice } from '../ground/network.ts'
import type { ProvedPicture } from '../proof/picture-proof.ts'
import { PacketFileReader } from './packet-file.ts'
import { joinProofs, type FoundOfSegment } from './stored-proof.ts'

/** A segment of a job and its working file. */
export interface MadeSegment extends Segment {
  path: string
}

/** Segments that do not fit together: the job is to be made in one go. */
export class SeamProblem extends MediaError {}

/** Of a frame that was treated from two places, so many codes at a point are no difference: steps that lean on all that went before forget to within one. */
const mostSeamCodes = 2

/** The picture of a job from its segments on its way into a file, packet by packet: nothing is encoded again. */
export class SegmentedPicture implements ProvedTrack {
  private readonly packet = new Packet()
  private at = 0
  private reader: PacketFileReader | null = null
  begun = 0
  readonly stepSeconds = new Map<number | 'decode' | 'other', number>()
  readonly encodeSeconds = 0

  private constructor(
    private readonly segments: readonly { path: string; found: FoundOfSegment }[],
    private readonly output: PacketSink,
    readonly stream: number,
  ) {
    this.packet.alloc()
  }

  /**
   * Adds the picture that segments make to an output.
   * @throws SeamProblem when they do not fit together; WorkingFileProblem when one is not whole
   */
  static async open(
    plan: Pick<TranscodePlan, 'facts' | 'spec' | 'treatment'>,
    made: readonly MadeSegment[],
    rate: EncoderRate,
    output: PacketSink,
  ): Promise<SegmentedPicture> {
    const { spec, treatment } = plan
    const segments: { path: string; found: FoundOfSegment }[] = []
    for (const { path } of made) segments.push({ path, found: await foundIn(path) })
    const full = segments.filter(({ found }) => found.frames > 0)
    // Opened only for what it says of its stream, which is what it said for each segment.
    const encoder = await Encoder.video(spec, treatment, rate)
    try {
      checkSeams(
        made,
        segments.map(({ found }) => found),
        encoder.head,
      )
      const stream = output.addStream(encoder, {
        pixelAspect: treatment.result.frame.pixelAspect,
        rate: treatment.result.rate,
        roles: ['default'],
      })
      return new SegmentedPicture(full, output, stream)
    } finally {
      encoder.close()
    }
  }

  async next(): Promise<boolean> {
    this.begun ||= performance.now()
    for (; this.at < this.segments.length; this.at++) {
      this.reader ??= await PacketFileReader.open(this.segments[this.at]!.path)
      if (await this.reader.next(this.packet)) {
        await this.output.write(this.packet, this.stream)
        this.packet.unref()
        return true
      }
      await this.reader.close()
      this.reader = null
    }
    return false
  }

  async finish(): Promise<void> {}

  /** Its packets were decoded when they were made. */
  async prove(): Promise<void> {}

  /** What was proved of the segments, as one. */
  async proved(): Promise<ProvedPicture> {
    return joinProofs(this.segments.map(({ found }) => found))
  }

  get sourceErrors(): number {
    return this.segments.reduce((sum, { found }) => sum + found.sourceErrors, 0)
  }

  get devices(): Record<string, NetworkDevice> {
    return Object.assign({}, ...this.segments.map(({ found }) => found.devices)) as Record<string, NetworkDevice>
  }

  async close(): Promise<void> {
    await this.reader?.close()
    this.packet.free()
  }
}

async function foundIn(path: string): Promise<FoundOfSegment> {
  const reader = await PacketFileReader.open(path)
  try {
    return (await reader.found()) as FoundOfSegment
  } finally {
    await reader.close()
  }
}

/** Holds segments against each other: no frame missing or twice, one head for all, and each begins where the one before it ends. @throws SeamProblem */
function checkSeams(made: readonly Segment[], found: readonly FoundOfSegment[], head: Uint8Array | null): void {
  // A source that ends sooner than it promised leaves the last segments without frames.
  const last = found.findLastIndex(({ frames }) => frames > 0)
  for (const [index, segment] of found.entries()) {
    const wanted = made[index]!.frames
    if (index < last && segment.frames !== wanted)
      throw new SeamProblem(
        `A part of the picture came out with ${segment.frames} frames and not with ${wanted}: its source cannot be begun in the middle.`,
      )
    if (index > last) continue
    const own = segment.head === null ? null : Buffer.from(segment.head, 'base64')
    if (!Buffer.from(own ?? []).equals(Buffer.from(head ?? [])))
      throw new SeamProblem('The parts of the picture do not say the same to a decoder.')
    const before = found[index - 1]
    if (before && !isSamePicture(before.last, segment.before))
      throw new SeamProblem(
        `The picture comes out different at frame ${segment.firstFrame - 1} when it is begun there: its source, or a step, cannot be begun in the middle.`,
      )
  }
}

function isSamePicture(a: readonly number[] | null, b: readonly number[] | null): boolean {
  if (a === null || b === null) return a === b
  return a.every((value, index) => Math.abs(value - b[index]!) <= mostSeamCodes)
}
