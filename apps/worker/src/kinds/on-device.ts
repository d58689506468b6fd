import type { Hands } from './kind.ts'

/** Says that a device does not work. @returns what ends the task so that it is queued again, for when the device works, or for another one */
export function troubled(hands: Hands, device: string, reason: string): Error {
  hands.noteTrouble(device, reason)
  return new Error(reason)
}
