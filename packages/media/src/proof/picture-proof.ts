import { totalmem } from 'node:os'
import {
  describePixelFormat,
  OrderWatch,
  pictureRegion,
  toNumber,
  type PictureCheckMeasurement,
  type PictureTreatment,
  type PlainLook,
  type Region,
  type StretchQuality,
} from '@hematine/core'
import { AV_NOPTS_VALUE } from 'node-av/constants'
import type { CodecContext, Frame, Packet } from 'node-av/lib'
import { PictureLook } from './plain-look.ts'
import { thumbnailOf } from './thumbnail.ts'
import type { WorkGate } from '../ground/gate.ts'
import { BoundedQueue } from '../ground/queue.ts'
import { Glancer } from '../measuring/measure-picture.ts'
import { DecoderBehind } from './decoder-behind.ts'
import { HeldFrames } from './held-frames.ts'
import { Ledger, type Noted } from './ledger.ts'
import { Likeness } from './likeness.ts'
import { contentOf } from './packet-content.ts'

/** What decoding an encoder's packets, beside the frames that it was given, showed. */
export interface ProvedPicture extends Pick<PictureCheckMeasurement, 'treatedFrames' | 'ssim' | 'xpsnr' | 'identical'> {
  framesDecoded: number
  decodeErrors: number
  /** Frames that were compared; fewer than decoded where memory did not hold what the encoder held back. */
  framesCompared: number
  /** Frames of the result that stand in another's place. */
  misplaced: number[]
  /** Frames that show something else than what was treated. */
  strange: number[]
  look: PlainLook
  /** What was seen closely of the windows that a whole result is looked at in; nothing of a stretch. */
  seen: Awaited<ReturnType<Glancer['finish']>> | null
  ledger: Noted
  /** Name of the codec, and what a decoder was told before the first packet; null for nothing. */
  codec: string
  head: Uint8Array | null
}

/** Packets that may wait to be decoded again. */
const queueLength = 8
/** Memory that frames may take while they wait for what the encoder holds back, in bytes and as a part of the machine's. */
const mostBytes = 1024 ** 3
const mostPart = 1 / 8

/** Bytes of a frame in memory. */
function bytesOf({ frame: { width, height }, pixelFormat }: PictureTreatment['result']): number {
  const { bitDepth, chroma } = describePixelFormat(pixelFormat)
  const samples = { '4:2:0': 1.5, '4:2:2': 2, grey: 1 }[chroma] ?? 3
  return width * height * samples * (bitDepth > 16 ? 4 : bitDepth > 8 ? 2 : 1)
}

/**
 * Decodes what a picture's encoder makes right behind it, by a decoder of its own, and holds each frame against the treated one that it was made of. It runs
 * beside the encoder; the packets come from where they go to their file.
 */
export class PictureProof {
  private readonly held: HeldFrames
  private readonly likeness: Likeness
  private readonly order = new OrderWatch()
  private readonly look: PictureLook
  private readonly ledger: Ledger
  private readonly queue = new BoundedQueue<Packet>(queueLength)
  private readonly running: Promise<void>
  private readonly unit: number
  /** The part of a frame that is picture, and not bars around it. */
  private readonly region: Region | null
  private treatedFrames = 0
  private lastTreated: Uint8Array | null = null
  private framesDecoded = 0
  private framesCompared = 0

  private constructor(
    treatment: PictureTreatment,
    private readonly decoder: DecoderBehind,
    private readonly glancer: Glancer | null,
    private readonly gate: WorkGate,
    memoryBytes: number,
    private readonly firstFrame: number | null,
  ) {
    this.held = new HeldFrames(Math.floor(memoryBytes / bytesOf(treatment.result)))
    this.likeness = new Likeness(treatment)
    this.region = pictureRegion(treatment)
    this.look = new PictureLook(glancer, this.region, firstFrame)
    this.ledger = new Ledger(decoder.codec, contentOf(decoder.codec, null))
    this.unit = toNumber({ num: treatment.result.rate.den, den: treatment.result.rate.num })
    this.running = this.run()
    // What goes wrong here comes out where it is waited for.
    this.running.catch(() => undefined)
  }

  /**
   * @param isWhole whether all of a result is proved, so that windows of it are looked at closely
   * @param memoryBytes that frames may take while they wait
   * @param firstFrame of a segment of the result, whose frames are numbered and timed as those of the whole are; null for what begins at its own 0
   * @throws MediaError when nothing decodes what the encoder makes
   */
  static async begin(
    encoder: CodecContext,
    treatment: PictureTreatment,
    gate: WorkGate,
    isWhole: boolean,
    memoryBytes = Math.min(mostBytes, totalmem() * mostPart),
    firstFrame: number | null = null,
  ): Promise<PictureProof> {
    const { result } = treatment
    const shown = { ...result, isRgb: describePixelFormat(result.pixelFormat).isRgb, frameRate: result.rate }
    const glancer = isWhole ? new Glancer(shown, result.frameCount, pictureRegion(treatment)) : null
    return new PictureProof(treatment, await DecoderBehind.open(encoder, 0), glancer, gate, memoryBytes, firstFrame)
  }

  /** Notes a treated frame that is about to be encoded; they come in order. */
  hold(frame: Frame): void {
    const number = (this.firstFrame ?? 0) + this.treatedFrames++
    this.held.hold(frame, number)
    this.lastTreated = thumbnailOf(frame, this.region)
    this.order.expect(number, this.lastTreated)
  }

  /** A frame at 32x32 points, as frames of the result are looked at: of the part of it that is picture. */
  thumbnail(frame: Frame): Uint8Array | null {
    return thumbnailOf(frame, this.region)
  }

  /** The treated frame noted last, and the first and the last that were decoded, at 32x32 points; null where samples are not read. */
  get ends(): { treatedLast: Uint8Array | null; first: Uint8Array | null; last: Uint8Array | null } {
    return { treatedLast: this.lastTreated, ...this.look.ends }
  }

  /** Takes a reference to a packet on its way to its file. */
  async take(packet: Packet): Promise<void> {
    const kept = packet.clone()
    if (kept && !(await this.queue.put(kept))) kept.free()
  }

  private async run(): Promise<void> {
    try {
      for (let packet = await this.queue.take(); packet; packet = await this.queue.take()) {
        try {
          await this.gate.turn()
          this.ledger.add(packet, this.unit)
          await this.decode(packet)
        } finally {
          packet.free()
        }
      }
      await this.decode(null)
    } catch (error) {
      this.queue.end()
      throw error
    }
  }

  private decode(packet: Packet | null): Promise<void> {
    return this.decoder.decode(packet, frame => this.compare(frame))
  }

  private async compare(frame: Frame): Promise<void> {
    const number = (this.firstFrame ?? 0) + this.framesDecoded++
    const ticks = frame.bestEffortTimestamp
    const picture = await this.look.see(frame, ticks === AV_NOPTS_VALUE ? null : Number(ticks) * this.unit)
    this.order.see(number, picture)
    const treated = this.held.take(number)
    if (!treated) return
    try {
      if (frame.width !== treated.width || frame.height !== treated.height) return
      await this.likeness.add(number, frame, treated)
      this.framesCompared++
    } finally {
      treated.free()
    }
  }

  /** Waits for what is still under way, once the encoder has ended. @throws whatever `gate.turn` rejects with, when stopped */
  async finish(): Promise<ProvedPicture> {
    this.queue.end()
    await this.running
    const { treatedFrames, framesDecoded, framesCompared, ledger } = this
    const { errors: decodeErrors, codec, head } = this.decoder
    const look = this.look.end()
    look.pictures = framesDecoded
    look.errors = decodeErrors
    return {
      treatedFrames,
      framesDecoded,
      framesCompared,
      decodeErrors,
      misplaced: this.order.misplaced,
      strange: this.order.strange,
      ...(await this.likeness.finish()),
      look,
      seen: (await this.glancer?.finish()) ?? null,
      ledger,
      codec,
      head,
    }
  }

  async close(): Promise<void> {
    this.queue.end()
    await this.running.catch(() => undefined)
    for (const packet of this.queue.remains()) packet.free()
    this.held.free()
    this.likeness.free()
    this.glancer?.free()
    this.decoder.close()
  }
}

/** How like a result is to what it was made of; null where the two could not be compared. */
export function qualityOf({
  ssim,
  xpsnr,
  identical,
}: Pick<ProvedPicture, 'ssim' | 'xpsnr' | 'identical'>): StretchQuality | null {
  if (identical) return { xpsnr: null, ssim: 1 }
  return xpsnr && ssim ? { xpsnr: xpsnr.mean, ssim: ssim.mean } : null
}
