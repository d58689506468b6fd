import { hardwareCodecs } from '../codecs/hardware/index.ts'
import type { Device } from './device.ts'

/** Megabytes to bytes. */
const megabyte = 1024 * 1024

/**
 * Stand-in GPUs that ship with Hematine, of unlike profiles: made up, and no maker's. Each is played by the processor, so it is never quicker than that, however
 * quick its profile says.
 */
export const standInDevices: readonly Device[] = [
  {
    key: 'stand-in-a',
    kind: 'stand-in',
    name: 'Stand-in GPU A',
    place: null,
    encoders: hardwareCodecs.map(codec => ({ codec, family: 'stand-in', problem: null })),
    sessions: 2,
    memoryBytes: 512 * megabyte,
    pace: { h264: 60, hevc: 40, av1: 30 },
  },
  {
    key: 'stand-in-b',
    kind: 'stand-in',
    name: 'Stand-in GPU B',
    place: null,
    encoders: (['h264', 'hevc'] as const).map(codec => ({ codec, family: 'stand-in', problem: null })),
    sessions: 1,
    memoryBytes: 128 * megabyte,
    pace: { h264: 20, hevc: 12 },
  },
]

/** Frames that an encoder session keeps in a device's memory. */
const framesKept = 16

/** What a session takes of a stand-in's memory, in bytes. @param depth bits of a sample */
export function sessionBytes({ width, height }: { width: number; height: number }, depth: 8 | 10): number {
  return Math.ceil(width * height * 1.5 * (depth === 8 ? 1 : 2)) * framesKept
}

/** How many times as long a throttled device takes. */
export const throttledTo = 3
