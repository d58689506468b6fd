import {
  containerFacts,
  keyframeDistance,
  pictureCodec,
  soundCodec,
  soundOf,
  type AudioFacts,
  type DeliverySpec,
  type EncoderSettings,
  type EncodingPass,
  type PictureSpec,
  type PictureTreatment,
  type RateChoice,
} from '@hematine/core'
import {
  AV_CODEC_FLAG_GLOBAL_HEADER,
  AV_CODEC_FLAG_INTERLACED_DCT,
  AV_CODEC_FLAG_INTERLACED_ME,
  AV_PICTURE_TYPE_NONE,
  type AVColorPrimaries,
  type AVColorSpace,
  type AVColorTransferCharacteristic,
} from 'node-av/constants'
import * as constants from 'node-av/constants'
import {
  avGetPixFmtFromName,
  avGetSampleFmtFromName,
  Codec,
  CodecContext,
  Packet,
  Rational,
  type Frame,
} from 'node-av/lib'
import { CodecCalls } from '../ground/codec-calls.ts'
import { colourNumbers } from '../ground/colour-numbers.ts'
import { ensure, isAgain, isEnd, MediaError } from '../ground/libav.ts'
import { layoutCalled } from '../ground/speakers.ts'
import { decodeTime } from './decode-times.ts'
import { setRemarks, type PictureRemarks } from './picture-remarks.ts'
import { deliveredChannels, deliveredLayout, deliveredRate, type SoundShape } from '../sound/sound-treatment.ts'

/** Quantisers are counted in parts by the library. */
const quantiserParts = constants.FF_QP2LAMBDA

/** Gives an encoder what a codec's plain words mean. @throws MediaError when it does not take them */
function apply(context: CodecContext, { options, ...rates }: EncoderSettings): void {
  if (rates.bitsPerSecond !== undefined) context.bitRate = BigInt(rates.bitsPerSecond)
  if (rates.peakBitsPerSecond !== undefined) context.rcMaxRate = BigInt(rates.peakBitsPerSecond)
  if (rates.bufferBits !== undefined) context.rcBufferSize = rates.bufferBits
  if (rates.betweenFrames !== undefined) context.maxBFrames = rates.betweenFrames
  if (rates.quantiser !== undefined) {
    context.setFlags(constants.AV_CODEC_FLAG_QSCALE)
    context.globalQuality = rates.quantiser * quantiserParts
  }
  for (const [name, value] of Object.entries(options))
    ensure(context.setOption(name, value), `The encoder does not take ${name}=${value}`)
}

/** How a whole picture is encoded where its rate is not the spec's own: at one that was worked out, in one of two passes. */
export interface EncoderRate {
  rate: RateChoice
  pass?: EncodingPass
  /** What pictures in files of their own say beside it. */
  remarks?: PictureRemarks | null
}

/** An encoder with a loop that hands out whatever packets are ready. */
export class Encoder {
  private readonly packet = new Packet()
  private lastDecoded: bigint | null = null
  private readonly calls: CodecCalls

  private constructor(
    readonly context: CodecContext,
    private readonly isPicture: boolean,
    private readonly remarks: PictureRemarks | null = null,
  ) {
    this.packet.alloc()
    this.calls = new CodecCalls(context)
  }

  /** @throws MediaError when the encoder does not take the settings */
  static async video(
    spec: PictureSpec,
    treatment: PictureTreatment,
    { rate, pass, remarks = null }: EncoderRate,
  ): Promise<Encoder> {
    const { result } = treatment
    const chosen = pictureCodec(spec.video.codec)
    const codec = Codec.findEncoderByName(chosen.encoder as never)
    if (!codec) throw new MediaError(`No encoder for ${chosen.name} is built in.`)
    const context = new CodecContext()
    context.allocContext3(codec)
    context.width = result.frame.width
    context.height = result.frame.height
    context.pixelFormat = avGetPixFmtFromName(result.pixelFormat)
    context.sampleAspectRatio = new Rational(result.frame.pixelAspect.num, result.frame.pixelAspect.den)
    context.timeBase = new Rational(result.rate.den, result.rate.num)
    context.framerate = new Rational(result.rate.num, result.rate.den)
    context.colorRange = result.colour.range === 'full' ? constants.AVCOL_RANGE_JPEG : constants.AVCOL_RANGE_MPEG
    context.colorPrimaries = (colourNumbers.primaries[result.colour.primaries] ?? 2) as AVColorPrimaries
    context.colorTrc = (colourNumbers.transfer[result.colour.transfer] ?? 2) as AVColorTransferCharacteristic
    context.colorSpace = (colourNumbers.matrix[result.colour.matrix] ?? 2) as AVColorSpace
    context.gopSize = keyframeDistance(spec, treatment)
    context.threadCount = 0
    if (result.scan !== 'progressive') {
      context.setFlags(AV_CODEC_FLAG_INTERLACED_DCT, AV_CODEC_FLAG_INTERLACED_ME)
      ensure(
        context.setOption('field_order', result.scan === 'top field first' ? 'tt' : 'bb'),
        'The encoder does not take the field order',
      )
    } else {
      ensure(context.setOption('field_order', 'progressive'), 'The encoder does not take the field order')
    }
    if (containerFacts(spec.container).headsApart) context.setFlags(AV_CODEC_FLAG_GLOBAL_HEADER)
    const settings = chosen.settings(
      { ...spec.video, rateControl: rate, pass, dotsPerInch: spec.dotsPerInch },
      result.frame,
      result.rate,
    )
    apply(context, settings)
    ensure(
      await context.open2(codec, null),
      `The ${chosen.name} encoder cannot be opened for ${result.frame.width}x${result.frame.height} ${result.pixelFormat}`,
    )
    return new Encoder(context, true, remarks)
  }

  /** An encoder for a track as a spec delivers it. @throws MediaError when the encoder does not take the settings */
  static async audio(spec: DeliverySpec, track: AudioFacts): Promise<Encoder> {
    const channels = deliveredChannels(track, spec)
    const sampleRate = deliveredRate(track, spec)
    const { codec: key, bitsPerSecondPerChannel } = soundOf(spec)
    const chosen = soundCodec(key)
    const codec = Codec.findEncoderByName(chosen.encoder as never)
    if (!codec) throw new MediaError(`No encoder for ${chosen.name} is built in.`)
    const context = new CodecContext()
    context.allocContext3(codec)
    context.sampleFormat = avGetSampleFmtFromName(chosen.samples)
    context.sampleRate = sampleRate
    context.channelLayout = layoutCalled(deliveredLayout(track, spec), channels)
    context.timeBase = new Rational(1, sampleRate)
    if (bitsPerSecondPerChannel !== null) context.bitRate = BigInt(bitsPerSecondPerChannel * channels)
    if (chosen.bitsPerSample !== undefined) context.bitsPerRawSample = chosen.bitsPerSample
    if (containerFacts(spec.container).headsApart) context.setFlags(AV_CODEC_FLAG_GLOBAL_HEADER)
    ensure(await context.open2(codec, null), `The ${chosen.name} encoder cannot be opened for ${channels} channels`)
    return new Encoder(context, false)
  }

  /** What a decoder is told before the first packet; null for nothing. */
  get head(): Uint8Array | null {
    const { extraData } = this.context
    return extraData && extraData.length > 0 ? Buffer.from(extraData) : null
  }

  /** Shape in which this sound encoder wants the frames of its track. */
  soundShape(spec: DeliverySpec, track: AudioFacts): SoundShape {
    return {
      sampleFormat: soundCodec(soundOf(spec).codec).samples,
      sampleRate: deliveredRate(track, spec),
      layout: deliveredLayout(track, spec),
      frameSize: this.context.frameSize,
    }
  }

  /** Encodes a frame (null ends the stream) and hands each finished packet to `take`, which must not keep it. */
  async encode(frame: Frame | null, take: (packet: Packet) => Promise<void>): Promise<void> {
    // A frame remembers the kind of picture it was in the source; left there, it would dictate the new encoder's choice.
    if (frame?.isVideo()) frame.pictType = AV_PICTURE_TYPE_NONE
    // Encoders that count in quantisers take a held quality from each frame, not from their context.
    if (frame && this.isPicture) frame.quality = this.context.globalQuality
    if (frame && this.remarks) setRemarks(frame, this.remarks)
    for (;;) {
      const sent = await this.calls.sendFrame(frame)
      if (sent >= 0 || isEnd(sent)) break
      if (!isAgain(sent)) ensure(sent, 'The encoder failed')
      await this.drain(take)
    }
    await this.drain(take)
  }

  private async drain(take: (packet: Packet) => Promise<void>): Promise<void> {
    for (;;) {
      const code = await this.calls.receivePacket(this.packet)
      if (isAgain(code) || isEnd(code)) return
      ensure(code, 'The encoder failed')
      if (this.isPicture) {
        this.packet.dts = decodeTime(this.packet.pts, this.packet.dts, this.lastDecoded)
        this.lastDecoded = this.packet.dts
      }
      await take(this.packet)
      this.packet.unref()
    }
  }

  close(): void {
    this.packet.free()
    this.context.freeContext()
  }
}
