import { latenessOf, type SoundLikeness } from '@hematine/core'
import { AV_NOPTS_VALUE } from 'node-av/constants'
import type { CodecContext, Frame, Packet } from 'node-av/lib'
import { fullScale, readSamples } from '../ground/frame-samples.ts'
import { DecoderBehind } from './decoder-behind.ts'
import { Ledger, type Noted } from './ledger.ts'
import { soundAlone } from './packet-content.ts'

/** What decoding a track's packets, beside the sound that its encoder was given, showed. */
export interface ProvedSound {
  likeness: SoundLikeness
  decodeErrors: number
  ledger: Noted
  /** Name of the codec. */
  codec: string
}

/** Sound is looked for elsewhere at so many samples a second, in so much of it. */
const coarseRate = 2000
const coarseSeconds = 600
/** Difference below the sound, in dB, under which it may be that the sound is there, but at another time. */
const doubtBelow = 6

/** A copy of a track's first channel at few samples a second. */
class Coarse {
  private readonly values = new Float32Array(coarseRate * coarseSeconds)
  private length = 0
  private readonly step: number

  constructor(sampleRate: number) {
    this.step = sampleRate / coarseRate
  }

  add(at: number, samples: Float64Array): void {
    for (let index = 0; index < samples.length; index++) {
      const place = Math.floor((at + index) / this.step)
      if (place < 0 || place >= this.values.length) continue
      this.values[place]! += samples[index]! / this.step
      this.length = Math.max(this.length, place + 1)
    }
  }

  get all(): Float32Array {
    return this.values.subarray(0, this.length)
  }
}

/** Decodes what a sound encoder makes right behind it, and holds each sample against the one that it was given for that time. */
export class SoundProof {
  private readonly ledger: Ledger
  /** What the encoder was given and did not give back yet. */
  private readonly held: Held[] = []
  private readonly coarse: readonly [Coarse, Coarse]
  private treated = 0
  private compared = 0
  private different = 0
  private signal = 0
  private noise = 0

  private constructor(
    private readonly decoder: DecoderBehind,
    private readonly sampleRate: number,
    private readonly channels: number,
  ) {
    this.ledger = new Ledger(decoder.codec, soundAlone(null))
    this.coarse = [new Coarse(sampleRate), new Coarse(sampleRate)]
  }

  /** @throws MediaError when nothing decodes what the encoder makes */
  static async begin(encoder: CodecContext): Promise<SoundProof> {
    return new SoundProof(await DecoderBehind.open(encoder, 1), encoder.sampleRate, encoder.channelLayout.nbChannels)
  }

  /** Notes sound that is about to be encoded; its time is in samples. */
  hold(frame: Frame): void {
    const channels = readSamples(frame)
    const at = Number(frame.pts)
    this.held.push({ at, channels, from: at, to: at })
    this.treated += frame.nbSamples
    if (channels[0]) this.coarse[0].add(at, channels[0])
  }

  /** Decodes a packet on its way to its file; null for the end. */
  async take(packet: Packet | null): Promise<void> {
    if (packet) this.ledger.add(packet, 1 / this.sampleRate)
    await this.decoder.decode(packet, frame => {
      if (frame.pts !== AV_NOPTS_VALUE) this.compare(Number(frame.pts), readSamples(frame))
    })
  }

  private compare(from: number, made: Float64Array[]): void {
    const count = made[0]?.length ?? 0
    if (made[0]) this.coarse[1].add(from, made[0])
    while (this.held.length > 0 && endOf(this.held[0]!) <= from) this.leave(this.held.shift()!)
    for (const piece of this.held) {
      const [begin, end] = [Math.max(piece.at, from), Math.min(endOf(piece), from + count)]
      if (piece.at >= from + count) break
      if (piece.to === piece.at) piece.from = begin
      piece.to = end
      for (const [channel, wanted] of piece.channels.entries()) {
        const found = made[channel]
        for (let sample = begin; sample < end; sample++) {
          const [x, y] = [found?.[sample - from] ?? 0, wanted[sample - piece.at]!]
          this.signal += y * y
          if (x === y) continue
          this.noise += (x - y) * (x - y)
          this.different++
        }
      }
    }
  }

  /** Takes leave of a piece: what of it never came out again is as far from it as silence is. */
  private leave({ at, channels, from, to }: Held): void {
    this.compared += to - from
    for (const wanted of channels)
      for (const lost of [wanted.subarray(0, from - at), wanted.subarray(to - at)])
        for (const sample of lost) {
          this.signal += sample * sample
          this.noise += sample * sample
        }
  }

  /** What was found, once the encoder has ended. */
  async finish(): Promise<ProvedSound> {
    await this.take(null)
    for (const piece of this.held.splice(0)) this.leave(piece)
    const { signal, noise, sampleRate, channels, ledger, decoder } = this
    const signalToNoise = signal > 0 && noise > 0 ? 10 * Math.log10(signal / noise) : null
    const [treated, made] = this.coarse
    const isDoubtful = signalToNoise !== null && signalToNoise < doubtBelow
    return {
      likeness: {
        treatedSeconds: this.treated / sampleRate,
        sampleRate,
        channels,
        identical: this.different === 0 && this.compared === this.treated,
        signalToNoise,
        lostSeconds: (this.treated - this.compared) / sampleRate,
        ...(signal === 0 && noise > 0
          ? { residue: 10 * Math.log10(noise / this.compared / channels / fullScale ** 2) }
          : {}),
        ...(isDoubtful ? { late: latenessOf(treated.all, made.all, coarseRate, 0)?.late ?? null } : {}),
      },
      decodeErrors: decoder.errors,
      ledger,
      codec: decoder.codec,
    }
  }

  close(): void {
    this.decoder.close()
  }
}

/** Sound on its way through an encoder: the number of its first sample, and those from where to where came out again. */
interface Held {
  at: number
  channels: Float64Array[]
  from: number
  to: number
}

const endOf = ({ at, channels }: Pick<Held, 'at' | 'channels'>): number => at + (channels[0]?.length ?? 0)
