import {
  containerFacts,
  describePixelFormat,
  encoderNeed,
  hardwareFamily,
  hardwareFormats,
  keyframeDistance,
  pictureCodec,
  soundCodec,
  soundOf,
  type AudioFacts,
  type DeliverySpec,
  type Device,
  type EncodingPass,
  type HardwareCodec,
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
import { deviceFor, DeviceProblem } from '../ground/graphics-devices.ts'
import { ensure, isAgain, isEnd, MediaError } from '../ground/libav.ts'
import { layoutCalled } from '../ground/speakers.ts'
import { decodeTime } from './decode-times.ts'
import { applySettings } from './encoder-settings.ts'
import { HandOver } from './hand-over.ts'
import { setRemarks, type PictureRemarks } from './picture-remarks.ts'
import { StandInSession } from './stand-in.ts'
import { deliveredChannels, deliveredLayout, deliveredRate, type SoundShape } from '../sound/sound-treatment.ts'

/** Takes a session and memory of a graphics device for an encoder. @throws DeviceProblem when it refuses */
function takeDevice(
  context: CodecContext,
  { device, family, standInDirectory }: ReturnType<typeof deviceFor>,
  codec: HardwareCodec,
  { frame, pixelFormat }: PictureTreatment['result'],
): OnDevice {
  const format = hardwareFormats.find(entry => entry === pixelFormat)
  if (!format)
    throw new MediaError(
      `Encoders of graphics devices take ${hardwareFormats.join(' and ')} here, and the result is ${pixelFormat}. Choose another profile, or the encoder of the processor.`,
    )
  const depth = describePixelFormat(format).bitDepth > 8 ? 10 : 8
  const session =
    device.kind === 'stand-in' && standInDirectory !== null
      ? StandInSession.open(device, codec, frame, depth, standInDirectory)
      : null
  try {
    return { device, session, handOver: HandOver.prepare(context, device, hardwareFamily(family), format) }
  } catch (error) {
    session?.close()
    throw error
  }
}

function giveBack({ handOver, session }: OnDevice): void {
  handOver.close()
  session?.close()
}

/** How a whole picture is encoded where its rate is not the spec's own: at one that was worked out, in one of two passes. */
export interface EncoderRate {
  rate: RateChoice
  pass?: EncodingPass
  /** What pictures in files of their own say beside it. */
  remarks?: PictureRemarks | null
}

/** An encoder of a graphics device: what is between it and the frames that it is given. */
interface OnDevice {
  device: Device
  handOver: HandOver
  /** Of a device that is played. */
  session: StandInSession | null
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
    private readonly onDevice: OnDevice | null = null,
  ) {
    this.packet.alloc()
    this.calls = new CodecCalls(context)
  }

  /**
   * @throws MediaError when the encoder does not take the settings
   * @throws DeviceProblem when it is a graphics device's, and that refuses
   */
  static async video(
    spec: PictureSpec,
    treatment: PictureTreatment,
    { rate, pass, remarks = null }: EncoderRate,
  ): Promise<Encoder> {
    const { result } = treatment
    const chosen = pictureCodec(spec.video.codec)
    const need = encoderNeed(spec)
    const found = need && deviceFor(need)
    const family = found && hardwareFamily(found.family)
    const encoder = family && need ? family.encoders[need] : chosen.encoder
    const codec = Codec.findEncoderByName(encoder as never)
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
    const choice = { ...spec.video, rateControl: rate, pass, dotsPerInch: spec.dotsPerInch }
    const what = `${result.frame.width}x${result.frame.height} ${result.pixelFormat}`
    if (!found || !family || !need) {
      applySettings(context, chosen.settings(choice, result.frame, result.rate))
      ensure(await context.open2(codec, null), `The ${chosen.name} encoder cannot be opened for ${what}`)
      return new Encoder(context, true, remarks)
    }
    const onDevice = takeDevice(context, found, need, result)
    try {
      applySettings(context, family.settings(chosen, choice, found.device.place))
      if ((await context.open2(codec, null)) < 0)
        throw new DeviceProblem(
          `${found.device.name} does not open its ${chosen.name} encoder for ${what}.`,
          found.device.key,
        )
      return new Encoder(context, true, remarks, onDevice)
    } catch (error) {
      giveBack(onDevice)
      context.freeContext()
      throw error
    }
  }

  /** The graphics device that encodes; null where the processor does. */
  get device(): Device | null {
    return this.onDevice?.device ?? null
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
    const given = frame && this.onDevice ? await this.handOver(frame, this.onDevice) : frame
    for (;;) {
      const sent = await this.calls.sendFrame(given)
      if (sent >= 0 || isEnd(sent)) break
      if (!isAgain(sent)) this.ensureWorks(sent)
      await this.drain(take)
    }
    await this.drain(take)
    await this.onDevice?.session?.keepPace()
  }

  /** The frame as the device takes it. */
  private handOver(frame: Frame, { handOver, session }: OnDevice): Promise<Frame> {
    return handOver.take(session ? session.take(frame) : frame)
  }

  private async drain(take: (packet: Packet) => Promise<void>): Promise<void> {
    for (;;) {
      const code = await this.calls.receivePacket(this.packet)
      if (isAgain(code) || isEnd(code)) return
      this.ensureWorks(code)
      if (this.isPicture) {
        this.packet.dts = decodeTime(this.packet.pts, this.packet.dts, this.lastDecoded)
        this.lastDecoded = this.packet.dts
      }
      await take(this.packet)
      this.packet.unref()
    }
  }

  /** @throws MediaError when the library says that it failed; DeviceProblem where a device did */
  private ensureWorks(code: number): void {
    const device = this.device
    if (code < 0 && device)
      throw new DeviceProblem(`${device.name} failed while it encoded (the library's error ${code}).`, device.key)
    ensure(code, 'The encoder failed')
  }

  close(): void {
    this.packet.free()
    this.context.freeContext()
    if (this.onDevice) giveBack(this.onDevice)
  }
}
