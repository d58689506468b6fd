import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { StandInFault } from '@hematine/core'

const faultFile = (directory: string, device: string) => path.join(directory, device, 'fault')

/** Gives a stand-in a fault, or takes it away. @param directory that all processes of its worker share */
export function setStandInFault(directory: string, device: string, fault: StandInFault | null): void {
  mkdirSync(path.join(directory, device), { recursive: true })
  if (fault === null) rmSync(faultFile(directory, device), { force: true })
  else writeFileSync(faultFile(directory, device), fault)
}

/** The fault that a stand-in has; null for none. */
export function standInFault(directory: string, device: string): StandInFault | null {
  try {
    return StandInFault.parse(readFileSync(faultFile(directory, device), 'utf8'))
  } catch {
    return null
  }
}
