import type { AudioFacts, DeliverySpec, TrackRole } from '@hematine/core'
import { Frame, type Packet } from 'node-av/lib'
import { Encoder } from './encoder.ts'
import type { PacketSink } from './output.ts'
import type { WorkGate } from '../ground/gate.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { SoundProof, type ProvedSound } from '../proof/sound-proof.ts'
import { TreatedSound } from '../sound/sound-treatment.ts'

/** What takes the packets of a track. */
export type SoundSink = Pick<PacketSink, 'write'>

/** A sound track on its way into a file: encoded here, or where its packets were made. */
export interface SoundOnItsWay {
  /** Its place in the output. */
  readonly streamIndex: number
  /**
   * Writes it up to a time in seconds, so that the file is interleaved and the writer need not hold much back.
   * @param isExact whether what lies beyond that time is cut off; else the last frame of sound is written whole
   */
  writeUntil(seconds: number, output: SoundSink, gate?: WorkGate, isExact?: boolean): Promise<void>
  /** Writes what is still held back. */
  finish(output: SoundSink): Promise<void>
  /** Takes a packet on its way to its file, to be decoded again. */
  prove(packet: Packet): Promise<void>
  /** What that showed, once all packets are in the file; null where it was not asked for. */
  proved(): Promise<ProvedSound | null>
  close(): Promise<void>
}

/** A track of a source, as it is treated and encoded. */
export interface EncodedSoundPlan {
  input: MediaInput
  track: AudioFacts
  spec: DeliverySpec
  /** Time in the source at which its picture begins, in seconds. */
  zeroSeconds: number
  treated: Parameters<typeof TreatedSound.open>[4]
  /** What is said of it in the file. */
  said: Parameters<PacketSink['addStream']>[1]
  isProved?: boolean
}

/** A sound track that is treated and encoded. */
export class EncodedSound implements SoundOnItsWay {
  private readonly frame = new Frame()
  /** Seconds of sound written. */
  seconds = 0
  ended = false

  private constructor(
    private readonly sound: TreatedSound,
    private readonly encoder: Encoder,
    readonly streamIndex: number,
    private readonly proof: SoundProof | null,
  ) {
    this.frame.alloc()
  }

  /** Opens a track and its encoder, and adds it to an output. @throws MediaError */
  static async open(plan: EncodedSoundPlan, output: Pick<PacketSink, 'addStream'>): Promise<EncodedSound> {
    const { input, track, spec, zeroSeconds, treated, said } = plan
    const encoder = await Encoder.audio(spec, track)
    try {
      const sound = await TreatedSound.open(input, track, encoder.soundShape(spec, track), zeroSeconds, treated)
      const proof = plan.isProved ? await SoundProof.begin(encoder.context) : null
      return new EncodedSound(sound, encoder, output.addStream(encoder, said), proof)
    } catch (error) {
      encoder.close()
      throw error
    }
  }

  async writeUntil(seconds: number, output: SoundSink, gate?: WorkGate, isExact = false): Promise<void> {
    const { frame } = this
    while (!this.ended && this.seconds < seconds) {
      await gate?.turn()
      if (!(await this.sound.next(frame))) {
        this.ended = true
        return
      }
      const { sampleRate, pts, nbSamples } = frame
      const left = isExact ? Math.round(seconds * sampleRate) - Number(pts) : nbSamples
      if (left <= 0) {
        frame.unref()
        return
      }
      frame.nbSamples = Math.min(nbSamples, left)
      this.seconds = (Number(frame.pts) + frame.nbSamples) / frame.sampleRate
      this.proof?.hold(frame)
      await this.encoder.encode(frame, packet => output.write(packet, this.streamIndex))
      frame.unref()
    }
  }

  async finish(output: SoundSink): Promise<void> {
    await this.encoder.encode(null, packet => output.write(packet, this.streamIndex))
  }

  async prove(packet: Packet): Promise<void> {
    await this.proof?.take(packet)
  }

  async proved(): Promise<ProvedSound | null> {
    return (await this.proof?.finish()) ?? null
  }

  async close(): Promise<void> {
    this.frame.free()
    this.encoder.close()
    this.proof?.close()
    await this.sound.close()
  }
}

/** What a track of sound is for in a result: the first is the one that is heard by itself. */
export function soundRoles({ roles = [] }: Pick<AudioFacts, 'roles'>, place: number): TrackRole[] {
  const others = roles.filter(role => role !== 'default')
  return place === 0 ? ['default', ...others] : others
}
