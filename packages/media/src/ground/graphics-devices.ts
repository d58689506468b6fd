import type { Device, HardwareCodec } from '@hematine/core'
import { codecsOf } from '@hematine/core'
import { MediaError } from './libav.ts'

/** A graphics device did not do what it was asked: the work is good, and may go on there later, or on another one. */
export class DeviceProblem extends MediaError {
  /** @param device its key */
  constructor(
    message: string,
    readonly device: string,
  ) {
    super(message)
  }
}

/** The graphics devices that this process may use, and where a stand-in keeps what its sessions and faults are. */
interface DevicesHere {
  devices: readonly Device[]
  standInDirectory: string | null
}

let here: DevicesHere = { devices: [], standInDirectory: null }

/** Says which graphics devices this process may use from now on. @param standInDirectory that all processes of its worker share */
export function useDevices(devices: readonly Device[], standInDirectory: string | null): void {
  here = { devices, standInDirectory }
}

/** The device of this process that encodes a codec, and how it is reached. @throws MediaError when there is none */
export function deviceFor(codec: HardwareCodec): { device: Device; family: string; standInDirectory: string | null } {
  const device = here.devices.find(entry => codecsOf(entry).includes(codec))
  if (!device)
    throw new MediaError(
      'This worker has no graphics device that encodes what the spec asks for. Choose the encoder of the processor in the spec, or look at Equipment.',
    )
  const { family } = device.encoders.find(entry => entry.codec === codec && entry.problem === null)!
  return { device, family, standInDirectory: here.standInDirectory }
}
