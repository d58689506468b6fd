import { copiesSound, treatedSeconds, type AudioFacts, type DeliverySpec } from '@hematine/core'
import { Packet } from 'node-av/lib'
import { EncodedSound, type SoundOnItsWay, type SoundSink } from '../encoding/encoded-sound.ts'
import { Encoder } from '../encoding/encoder.ts'
import type { PacketSink } from '../encoding/output.ts'
import { soundPlan, type TranscodePlan } from '../encoding/transcode.ts'
import type { WorkGate } from '../ground/gate.ts'
import type { ProvedSound } from '../proof/sound-proof.ts'
import { PacketFileReader, PacketFileWriter } from './packet-file.ts'
import { soundProof, storeSound, type FoundOfSound } from './stored-proof.ts'

/** What making the sound of a job beside its segments takes. */
export interface SoundFilesPlan extends Pick<TranscodePlan, 'input' | 'facts' | 'treatment' | 'spec'> {
  /** What the working files are called, one for each track. */
  path: string
}

/** The working file of a track, by its place among the result's. */
const trackFile = (path: string, place: number): string => `${path}.${place}`

/** Sound is written in turns of so many seconds, between which it can be stopped. */
const turnSeconds = 10

/**
 * Treats, encodes and compares every track of a result's sound that is not copied, each into a working file of its own. Those that are there and whole are left
 * as they are.
 * @param onPart told how much of it is made, from 0 to 1
 * @throws MediaError; whatever `gate.turn` rejects with, when stopped
 */
export async function makeSound(plan: SoundFilesPlan, gate: WorkGate, onPart: (part: number) => void): Promise<void> {
  const { facts, spec, treatment } = plan
  const length = treatedSeconds(treatment)
  for (const [place, track] of facts.audio.entries()) {
    onPart(place / facts.audio.length)
    if (copiesSound(track, facts, spec, treatment) || (await isWhole(trackFile(plan.path, place)))) continue
    const output = new PacketFileWriter(trackFile(plan.path, place), spec.container)
    let sound: EncodedSound | null = null
    try {
      const made = await EncodedSound.open(soundPlan(plan, track, place, true), output)
      sound = made
      output.watch = packet => made.prove(packet)
      await output.begin()
      for (let until = turnSeconds; !made.ended; until += turnSeconds) {
        await made.writeUntil(until, output, gate)
        onPart((place + Math.min(1, made.seconds / length)) / facts.audio.length)
      }
      await made.finish(output)
      await output.conclude(storeSound((await made.proved())!))
    } finally {
      await sound?.close()
      await output.close()
    }
  }
}

async function isWhole(path: string): Promise<boolean> {
  const reader = await PacketFileReader.open(path).catch(() => null)
  if (!reader) return false
  try {
    await reader.found()
    await reader.walk()
    return true
  } catch {
    return false
  } finally {
    await reader.close()
  }
}

/** A track of sound from its working file on its way into a result, packet by packet. */
export class StoredSound implements SoundOnItsWay {
  private readonly packet = new Packet()
  private seconds = 0
  private ended = false

  private constructor(
    private readonly reader: PacketFileReader,
    private readonly found: FoundOfSound,
    private readonly unit: number,
    readonly streamIndex: number,
  ) {
    this.packet.alloc()
  }

  /** Adds the track that a working file has to an output. @throws WorkingFileProblem when the file is not whole */
  static async open(
    { track, spec, said }: { track: AudioFacts; spec: DeliverySpec; said: Parameters<PacketSink['addStream']>[1] },
    place: number,
    path: string,
    output: Pick<PacketSink, 'addStream'>,
  ): Promise<StoredSound> {
    const reader = await PacketFileReader.open(trackFile(path, place))
    try {
      const found = (await reader.found()) as FoundOfSound
      // Opened only for what it says of its stream.
      const encoder = await Encoder.audio(spec, track)
      const { num, den } = encoder.context.timeBase
      const stream = output.addStream(encoder, said)
      encoder.close()
      return new StoredSound(reader, found, num / den, stream)
    } catch (error) {
      await reader.close()
      throw error
    }
  }

  async writeUntil(seconds: number, output: SoundSink, gate?: WorkGate): Promise<void> {
    while (!this.ended && this.seconds < seconds) {
      await gate?.turn()
      if (!(await this.reader.next(this.packet))) {
        this.ended = true
        return
      }
      this.seconds = Number(this.packet.pts + this.packet.duration) * this.unit
      await output.write(this.packet, this.streamIndex)
      this.packet.unref()
    }
  }

  async finish(output: SoundSink): Promise<void> {
    await this.writeUntil(Number.POSITIVE_INFINITY, output)
  }

  /** Its packets were decoded when they were made. */
  async prove(): Promise<void> {}

  async proved(): Promise<ProvedSound> {
    return soundProof(this.found)
  }

  async close(): Promise<void> {
    this.packet.free()
    await this.reader.close()
  }
}
