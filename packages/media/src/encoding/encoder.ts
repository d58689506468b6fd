import {
  h264Levels,
  keyframeDistance,
  type AudioCodec,
  type AudioFacts,
  type DeliverySpec,
  type PictureSpec,
  type PictureTreatment,
  type VideoCodec,
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
  avChannelLayoutDefault,
  avGetPixFmtFromName,
  avGetSampleFmtFromName,
  Codec,
  CodecContext,
  Packet,
  Rational,
  type Frame,
} from 'node-av/lib'
import { colourNumbers } from '../ground/colour-numbers.ts'
import { ensure, isAgain, isEnd, MediaError } from '../ground/libav.ts'
import { deliveredChannels, deliveredLayout, deliveredRate, type SoundShape } from '../sound/sound-treatment.ts'

const videoEncoders: Record<VideoCodec, string> = {
  h264: 'libx264',
  hevc: 'libx265',
  av1: 'libsvtav1',
  prores: 'prores_ks',
  ffv1: 'ffv1',
}
const audioEncoders: Record<AudioCodec, string> = { aac: 'aac', opus: 'libopus', pcm_s24le: 'pcm_s24le', flac: 'flac' }
const audioFormats: Record<AudioCodec, string> = { aac: 'fltp', opus: 'flt', pcm_s24le: 's32', flac: 's32' }

/** Slices of an FFV1 frame: more for larger ones, whose slices would hold more than the coder takes; the numbers are those that divide a frame evenly. */
function ffv1Slices(width: number, height: number): string {
  const pixels = width * height
  // Odd sides fit few numbers of slices, which the coder finds itself.
  if (width % 2 !== 0 || height % 2 !== 0) return '0'
  return pixels <= 2_100_000 ? '4' : pixels <= 9_000_000 ? '16' : '64'
}

/** Encoder settings as name and value. Names of the encoders' own options. */
function videoOptions(spec: PictureSpec, { width, height }: { width: number; height: number }): Record<string, string> {
  const { codec, rateControl, effort, level, profile } = spec.video
  const quality: Record<string, string> =
    rateControl.kind === 'constant quality' ? { crf: String(rateControl.value) } : {}
  switch (codec) {
    case 'h264':
      return { preset: effort ?? 'medium', ...quality, ...(profile ? { profile } : {}), ...(level ? { level } : {}) }
    case 'hevc':
      return {
        preset: effort ?? 'medium',
        ...quality,
        ...(profile ? { profile } : {}),
        'x265-params': 'log-level=none',
      }
    case 'av1':
      return { preset: effort ?? '8', ...quality }
    case 'prores':
      return { profile: { proxy: '0', lt: '1', '422': '2', hq: '3' }[profile ?? '422'] ?? '2', vendor: 'apl0' }
    case 'ffv1':
      return { level: '3', slicecrc: '1', slices: ffv1Slices(width, height), coder: 'range_tab', context: '0' }
  }
}

/** An encoder with a loop that hands out whatever packets are ready. */
export class Encoder {
  private readonly packet = new Packet()

  private constructor(readonly context: CodecContext) {
    this.packet.alloc()
  }

  /** @throws MediaError when the encoder does not take the settings */
  static async video(
    spec: PictureSpec,
    treatment: PictureTreatment,
    globalHeader: boolean,
    threads = 0,
  ): Promise<Encoder> {
    const { result } = treatment
    const codec = Codec.findEncoderByName(videoEncoders[spec.video.codec] as never)
    if (!codec) throw new MediaError(`No encoder for ${spec.video.codec} is built in.`)
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
    context.threadCount = threads
    if (result.scan !== 'progressive') {
      context.setFlags(AV_CODEC_FLAG_INTERLACED_DCT, AV_CODEC_FLAG_INTERLACED_ME)
      ensure(
        context.setOption('field_order', result.scan === 'top field first' ? 'tt' : 'bb'),
        'The encoder does not take the field order',
      )
    } else {
      ensure(context.setOption('field_order', 'progressive'), 'The encoder does not take the field order')
    }
    if (globalHeader) context.setFlags(AV_CODEC_FLAG_GLOBAL_HEADER)
    const limits = spec.video.codec === 'h264' ? h264Levels.find(entry => entry.level === spec.video.level) : undefined
    if (limits) {
      // The buffer of a level lasts 1.25 s at its bit rate (ITU-T H.264 table A-1, MaxCPB against MaxBR for 4.1).
      context.rcMaxRate = BigInt(limits.kilobitsPerSecond * 1000)
      context.rcBufferSize = limits.kilobitsPerSecond * 1250
    }
    for (const [name, value] of Object.entries(videoOptions(spec, result.frame)))
      ensure(context.setOption(name, value), `The encoder does not take ${name}=${value}`)
    ensure(
      await context.open2(codec, null),
      `The ${spec.video.codec} encoder cannot be opened for ${result.frame.width}x${result.frame.height} ${result.pixelFormat}`,
    )
    return new Encoder(context)
  }

  /** An encoder for a track as a spec delivers it. @throws MediaError when the encoder does not take the settings */
  static async audio(spec: DeliverySpec, track: AudioFacts, globalHeader: boolean): Promise<Encoder> {
    const channels = deliveredChannels(track, spec)
    const sampleRate = deliveredRate(track, spec)
    const codec = Codec.findEncoderByName(audioEncoders[spec.audio.codec] as never)
    if (!codec) throw new MediaError(`No encoder for ${spec.audio.codec} is built in.`)
    const context = new CodecContext()
    context.allocContext3(codec)
    context.sampleFormat = avGetSampleFmtFromName(audioFormats[spec.audio.codec])
    context.sampleRate = sampleRate
    context.channelLayout = avChannelLayoutDefault(channels)
    context.timeBase = new Rational(1, sampleRate)
    if (spec.audio.bitsPerSecondPerChannel !== null)
      context.bitRate = BigInt(spec.audio.bitsPerSecondPerChannel * channels)
    if (spec.audio.codec === 'flac') context.bitsPerRawSample = 24
    if (globalHeader) context.setFlags(AV_CODEC_FLAG_GLOBAL_HEADER)
    ensure(
      await context.open2(codec, null),
      `The ${spec.audio.codec} encoder cannot be opened for ${channels} channels`,
    )
    return new Encoder(context)
  }

  /** Shape in which this sound encoder wants the frames of its track. */
  soundShape(spec: DeliverySpec, track: AudioFacts): SoundShape {
    return {
      sampleFormat: audioFormats[spec.audio.codec],
      sampleRate: deliveredRate(track, spec),
      layout: deliveredLayout(track, spec),
      frameSize: this.context.frameSize,
    }
  }

  /** Encodes a frame (null ends the stream) and hands each finished packet to `take`, which must not keep it. */
  async encode(frame: Frame | null, take: (packet: Packet) => Promise<void>): Promise<void> {
    // A frame remembers the kind of picture it was in the source; left there, it would dictate the new encoder's choice.
    if (frame?.isVideo()) frame.pictType = AV_PICTURE_TYPE_NONE
    for (;;) {
      const sent = await this.context.sendFrame(frame)
      if (sent >= 0 || isEnd(sent)) break
      if (!isAgain(sent)) ensure(sent, 'The encoder failed')
      await this.drain(take)
    }
    await this.drain(take)
  }

  private async drain(take: (packet: Packet) => Promise<void>): Promise<void> {
    for (;;) {
      const code = await this.context.receivePacket(this.packet)
      if (isAgain(code) || isEnd(code)) return
      ensure(code, 'The encoder failed')
      await take(this.packet)
      this.packet.unref()
    }
  }

  close(): void {
    this.packet.free()
    this.context.freeContext()
  }
}
