import { z } from 'zod'
import { hardwareCodecs, isHardwareCodec, type HardwareCodec } from '../codecs/hardware/index.ts'
import { pictureCodec } from '../codecs/index.ts'
import type { DeliverySpec } from '../spec/schema.ts'
import type { Planned } from '../treatment/treatment.ts'

/** An encoder of a graphics device: one that made right pictures when it was tried, or why it did not. */
export const DeviceEncoder = z.object({
  codec: z.enum(hardwareCodecs),
  /** How it is reached: the key of a family of encoders. */
  family: z.string(),
  /** Null where it works; else a sentence on what happened when it was tried. */
  problem: z.string().nullable(),
})
export type DeviceEncoder = z.infer<typeof DeviceEncoder>

/** What stand-in GPUs can be made to suffer. */
export const standInFaults = ['out of memory', 'lost', 'throttled', 'wrong output'] as const
export const StandInFault = z.enum(standInFaults)
export type StandInFault = z.infer<typeof StandInFault>

/** A graphics device that encodes, real or played by a stand-in. */
export const Device = z.object({
  /** Of its host. */
  key: z.string(),
  kind: z.enum(['graphics device', 'stand-in']),
  name: z.string(),
  /** Which of its driver's devices it is; null for the first. */
  place: z.string().nullable(),
  encoders: z.array(DeviceEncoder),
  /** Pictures that it encodes at the same time. */
  sessions: z.int().min(1),
  /** Of its own, in bytes; null where its driver does not say. */
  memoryBytes: z.int().min(0).nullable(),
  /** Megapixels that it encodes in a second, by codec; only stand-ins are held to something. */
  pace: z.partialRecord(z.enum(hardwareCodecs), z.number().positive()).optional(),
})
export type Device = z.infer<typeof Device>

/** What a worker found when it looked for graphics devices. */
export const FoundDevices = z.object({
  devices: z.array(Device),
  /** Ways to encoders behind which there was no device: why, as sentences. */
  missing: z.array(z.object({ family: z.string(), problem: z.string() })),
})
export type FoundDevices = z.infer<typeof FoundDevices>

/** What a task asks of the worker that takes it: an encoder of a codec of a graphics device; null for what any worker does. */
export type EncoderNeed = HardwareCodec | null

/** What encoding by a spec asks of a worker. */
export function encoderNeed({ video }: Pick<DeliverySpec, 'video'>): EncoderNeed {
  return video?.encoder === 'hardware' && isHardwareCodec(video.codec) ? video.codec : null
}

/** What a job asks of a worker: nothing where its picture is copied. */
export function jobNeed({ spec, treatment }: Planned): EncoderNeed {
  return treatment.result !== null && treatment.copied ? null : encoderNeed(spec)
}

/** Codecs that a device encodes. */
export function codecsOf({ encoders }: Pick<Device, 'encoders'>): HardwareCodec[] {
  return encoders.filter(({ problem }) => problem === null).map(({ codec }) => codec)
}

/** What a worker has beside its lanes. */
export interface Equipped {
  found: { devices: readonly Device[] }
  /** Why a device takes no work for now, by its key. */
  troubles: Readonly<Record<string, string>>
  /** Whether it takes only what needs its devices: the lanes of a stand-in are no processor's. */
  devicesOnly: boolean
}

/** The devices of a worker that work. */
export function workingDevices({ found, troubles }: Pick<Equipped, 'found' | 'troubles'>): Device[] {
  return found.devices.filter(({ key }) => troubles[key] === undefined)
}

/** How many lanes of a worker can encode a codec on a graphics device at the same time. */
export function lanesWith(worker: Equipped & { lanes: number }, codec: HardwareCodec): number {
  const sessions = workingDevices(worker)
    .filter(device => codecsOf(device).includes(codec))
    .reduce((sum, device) => sum + device.sessions, 0)
  return Math.min(worker.lanes, sessions)
}

/** Why nobody encodes by a spec at present, as a sentence; null where somebody does, or where the processor encodes. */
export function needProblem(
  spec: Pick<DeliverySpec, 'video'>,
  workers: readonly (Equipped & { lanes: number })[],
): string | null {
  const need = encoderNeed(spec)
  if (need === null || workers.some(worker => lanesWith(worker, need) > 0)) return null
  const name = pictureCodec(need).name
  const trouble = workers
    .flatMap(({ found, troubles }) =>
      found.devices.filter(device => codecsOf(device).includes(need)).map(({ key }) => troubles[key]),
    )
    .find(problem => problem !== undefined)
  if (trouble) return `No graphics device encodes ${name} at present: ${trouble} The job waits until one does.`
  return `No worker has a graphics device that encodes ${name}. Equipment says what was found; jobs wait until there is one, or choose the processor's encoder in the spec.`
}

/** What a measurement is made on, in words: a machine, and its graphics device where that encodes. */
export function machineWith(machine: string, device: Pick<Device, 'name'> | null): string {
  return device ? `${machine}, ${device.name}` : machine
}
