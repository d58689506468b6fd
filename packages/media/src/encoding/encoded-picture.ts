import type { PictureSpec, PictureTreatment, VideoFacts } from '@hematine/core'
import { Frame, type Packet } from 'node-av/lib'
import type { MediaInput } from '../ground/media-input.ts'
import type { WorkGate } from '../ground/gate.ts'
import type { NetworkDevice } from '../ground/network.ts'
import { BoundedQueue } from '../ground/queue.ts'
import { PictureProof, type ProvedPicture } from '../proof/picture-proof.ts'
import { TreatedPicture } from '../treating/picture-treatment.ts'
import { Encoder, type EncoderRate } from './encoder.ts'
import type { PacketSink } from './output.ts'

/** The picture of a job on its way into a file. */
export interface PictureTrack {
  /** Takes the next frame into the file. @returns false when there is none left */
  next(): Promise<boolean>
  /** Takes what is still held back into the file. */
  finish(): Promise<void>
  close(): Promise<void>
  /** When the first frame was there, by `performance.now`; 0 before. */
  readonly begun: number
  /** Seconds by the numbers of the treatment's steps. */
  readonly stepSeconds: ReadonlyMap<number | 'decode' | 'other', number>
  /** Seconds in the encoder. */
  readonly encodeSeconds: number
  /** Devices that learned steps run on, by the network's name. */
  readonly devices: Record<string, NetworkDevice>
  /** The graphics device that encodes; null or left out where the processor does. */
  readonly encodedBy?: string | null
}

/** A picture whose packets are decoded and compared: here, or where they were made. */
export interface ProvedTrack extends PictureTrack {
  /** Its place in the output. */
  readonly stream: number
  /** Takes a packet on its way to its file, to be decoded again. */
  prove(packet: Packet): Promise<void>
  /** What that showed, once all packets are in the file; null where it was not asked for. */
  proved(): Promise<ProvedPicture | null>
  /** Decode errors of the source so far. */
  readonly sourceErrors: number
}

/** Frames that may wait between treating and encoding. */
const queueLength = 4

/** Turns the picture's decode, treatment and hand-over into a stream of frames that runs ahead of the encoder by a few. */
export async function produceFrames(picture: TreatedPicture, queue: BoundedQueue<Frame>): Promise<void> {
  try {
    for (;;) {
      const frame = new Frame()
      frame.alloc()
      if (!(await picture.next(frame))) {
        frame.free()
        queue.end()
        return
      }
      if (!(await queue.put(frame))) {
        frame.free()
        return
      }
    }
  } catch (error) {
    queue.end(error)
  }
}

/** What is encoded of a picture, and how. */
interface EncodedPlan {
  input: MediaInput
  video: VideoFacts
  treatment: PictureTreatment
  spec: PictureSpec
  rate: EncoderRate
  /** Frame of the result to begin with. */
  firstFrame: number
  apart?: boolean | undefined
  /** What of it is decoded again and compared, if anything. A segment's frames are numbered and timed as those of the whole result are. */
  proof: 'whole' | 'segment' | 'stretch' | null
  /** Seconds of the result that are treated before the first frame; enough for a preview unless said. */
  lead?: number
}

/** A picture that is treated and encoded; treating runs ahead of the encoder. */
export class EncodedPicture implements ProvedTrack {
  private readonly queue = new BoundedQueue<Frame>(queueLength)
  private producing: Promise<void> | null = null
  begun = 0
  encodeSeconds = 0
  /** Of a segment, the treated frame before its first one, at 32x32 points; null where there is none. */
  before: Uint8Array | null = null
  private errorsBefore = 0

  private constructor(
    private readonly plan: EncodedPlan,
    private readonly picture: TreatedPicture,
    private readonly encoder: Encoder,
    private readonly output: PacketSink,
    readonly stream: number,
    readonly proof: PictureProof | null,
  ) {}

  /** Opens the source's picture and its encoder, and adds it to an output. @throws MediaError */
  static async open(plan: EncodedPlan, output: PacketSink, gate: WorkGate): Promise<EncodedPicture> {
    const { input, video, treatment, spec, rate, firstFrame, apart, lead } = plan
    const isSegment = plan.proof === 'segment'
    const picture = await TreatedPicture.open(input, video, treatment, {
      // Of a segment, the frame before is looked at: it must be what the segment before ends with.
      firstFrame: isSegment ? Math.max(0, firstFrame - 1) : firstFrame,
      ...(apart ? { apart } : {}),
      ...(lead === undefined ? {} : { lead }),
    })
    try {
      const encoder = await Encoder.video(spec, treatment, rate)
      const stream = output.addStream(encoder, {
        pixelAspect: treatment.result.frame.pixelAspect,
        rate: treatment.result.rate,
        roles: ['default'],
      })
      const proof =
        plan.proof &&
        (await PictureProof.begin(
          encoder.context,
          treatment,
          gate,
          plan.proof !== 'stretch',
          undefined,
          isSegment ? firstFrame : null,
        ))
      return new EncodedPicture(plan, picture, encoder, output, stream, proof)
    } catch (error) {
      await picture.close()
      throw error
    }
  }

  async next(): Promise<boolean> {
    this.producing ??= produceFrames(this.picture, this.queue)
    const frame = await this.takeWanted()
    if (!frame) return false
    this.begun ||= performance.now()
    if (this.plan.proof !== 'segment') frame.pts -= BigInt(this.plan.firstFrame)
    this.proof?.hold(frame)
    const begun = performance.now()
    try {
      await this.encode(frame)
    } finally {
      frame.free()
    }
    this.encodeSeconds += (performance.now() - begun) / 1000
    return true
  }

  private async takeWanted(): Promise<Frame | undefined> {
    for (;;) {
      const frame = await this.queue.take()
      if (!frame || frame.pts >= BigInt(this.plan.firstFrame)) return frame
      this.before = this.proof?.thumbnail(frame) ?? null
      this.errorsBefore = this.picture.errors
      frame.free()
    }
  }

  finish(): Promise<void> {
    return this.encode(null)
  }

  async prove(packet: Packet): Promise<void> {
    await this.proof?.take(packet)
  }

  async proved(): Promise<ProvedPicture | null> {
    return (await this.proof?.finish()) ?? null
  }

  private encode(frame: Frame | null): Promise<void> {
    return this.encoder.encode(frame, packet => this.output.write(packet, this.stream))
  }

  get stepSeconds(): Map<number | 'decode' | 'other', number> {
    return this.picture.stepSeconds
  }

  /** Decode errors of the source so far; of a segment, those of before its first frame do not count. */
  get sourceErrors(): number {
    return this.picture.errors - this.errorsBefore
  }

  /** What a decoder is told before the first packet; null for nothing. */
  get head(): Uint8Array | null {
    return this.encoder.head
  }

  get encodedBy(): string | null {
    return this.encoder.device?.name ?? null
  }

  get devices(): Record<string, NetworkDevice> {
    return this.picture.devices
  }

  async close(): Promise<void> {
    this.queue.end()
    await this.producing
    for (const frame of this.queue.remains()) frame.free()
    await this.picture.close()
    await this.proof?.close()
    this.encoder.close()
  }
}
