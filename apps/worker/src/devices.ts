import {
  codecsOf,
  hardwareCodecs,
  workingDevices,
  type Device,
  type EncoderNeed,
  type FoundDevices,
  type HardwareCodec,
  type StandInFault,
} from '@hematine/core'
import { setStandInFault, standInFault } from '@hematine/media/ground/stand-in-faults'
import { TaskProcess } from './child-process.ts'

/** Between two looks whether a device that had a trouble works again. */
const lookAgainMilliseconds = 10_000
/** Faults with which a stand-in takes no work; with the others it works, badly. */
const stopping: readonly (StandInFault | null)[] = ['lost', 'out of memory']

/** A graphics device as a task gets it: with one session. */
export interface GivenDevice {
  device: Device
  /** Where the processes of a stand-in's worker keep what its sessions are. */
  standInDirectory: string
}

/** Looks for graphics devices in a process of its own: a driver that crashes or hangs takes nothing with it. */
export async function findDevicesInChild(): Promise<FoundDevices> {
  const outcome = await new TaskProcess({ kind: 'devices' }).outcome
  if (outcome.say === 'devices') return outcome.found
  const how = outcome.say === 'failed' ? outcome.reason : 'how' in outcome ? `it was ${outcome.how}` : 'it was stopped'
  return {
    devices: [],
    missing: [{ family: 'all', problem: `looking for graphics devices came to nothing: ${how}` }],
  }
}

/** The graphics devices of a worker: who has a session, and which take no work for now. */
export class Devices {
  private readonly sessions = new Map<string, number>()
  /** Whether jobs have the next sessions, since a measurement had the last one. */
  private isJobsTurn = false
  /** Troubles as they were told last. */
  private told = '{}'
  private readonly troubled = new Map<string, { reason: string; since: number }>()

  /**
   * @param isOnly whether the worker takes nothing but what needs them
   * @param find looks for them once more
   */
  constructor(
    public found: FoundDevices,
    readonly isOnly: boolean,
    private readonly standInDirectory: string,
    private readonly find: () => Promise<FoundDevices> = findDevicesInChild,
  ) {}

  /** Why devices take no work for now, by their keys. */
  get troubles(): Record<string, string> {
    return Object.fromEntries([...this.troubled].map(([key, { reason }]) => [key, reason]))
  }

  /** What the worker can take at this moment. @param kind of task; a measurement leaves the next session after another's to jobs */
  needsOf(kind: 'job' | 'measurement'): EncoderNeed[] {
    const codecs =
      kind === 'measurement' && this.isJobsTurn ? [] : hardwareCodecs.filter(codec => this.freeFor(codec) !== undefined)
    return this.isOnly ? codecs : [...codecs, null]
  }

  /** Lets measurements have sessions again, where jobs had their turn. @returns whether they were kept out */
  letMeasure(): boolean {
    const wasKept = this.isJobsTurn
    this.isJobsTurn = false
    return wasKept
  }

  /** The troubles, where they are others than when this was asked last. */
  changedTroubles(): Record<string, string> | undefined {
    const { troubles } = this
    const told = JSON.stringify(troubles)
    if (told === this.told) return undefined
    this.told = told
    return troubles
  }

  private freeFor(codec: HardwareCodec): Device | undefined {
    return workingDevices(this).find(
      device => codecsOf(device).includes(codec) && (this.sessions.get(device.key) ?? 0) < device.sessions,
    )
  }

  /** A session of a device that encodes a codec. @throws Error when none is free */
  take(codec: HardwareCodec): GivenDevice {
    const device = this.freeFor(codec)
    if (!device) throw new Error(`No session that encodes ${codec} is free.`)
    this.sessions.set(device.key, (this.sessions.get(device.key) ?? 0) + 1)
    return { device, standInDirectory: this.standInDirectory }
  }

  /** @param kind of the task that had it */
  giveBack({ device }: GivenDevice, kind: 'job' | 'measurement'): void {
    if (kind === 'measurement') this.isJobsTurn = true
    this.sessions.set(device.key, this.sessions.get(device.key)! - 1)
  }

  /** A device did not do what it was asked: it takes nothing until it works again. */
  note(key: string, reason: string): void {
    this.troubled.set(key, { reason, since: performance.now() })
  }

  /** Gives stand-ins a fault, or takes it away. */
  suffer(fault: StandInFault | null): void {
    for (const { key, kind } of this.found.devices)
      if (kind === 'stand-in' && standInFault(this.standInDirectory, key) !== fault)
        setStandInFault(this.standInDirectory, key, fault)
  }

  /** Looks whether devices that had a trouble work again, now and then. */
  async lookAgain(): Promise<void> {
    const now = performance.now()
    const due = [...this.troubled].filter(([, { since }]) => now - since > lookAgainMilliseconds).map(([key]) => key)
    if (due.length === 0) return
    const isReal = (key: string) => this.found.devices.some(device => device.key === key && device.kind !== 'stand-in')
    const there = due.some(isReal) ? (await this.find()).devices.map(({ key }) => key) : []
    for (const key of due) {
      const works = isReal(key) ? there.includes(key) : !stopping.includes(standInFault(this.standInDirectory, key))
      if (works) this.troubled.delete(key)
      else this.note(key, this.troubled.get(key)!.reason)
    }
  }
}
