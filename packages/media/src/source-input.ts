import path from 'node:path'
import type { NumberedSequence, Rational } from '@hematine/core'
import type { MediaInput } from './input.ts'
import { resolveInside, VolumeProblem } from './volume-files.ts'

/** A source as the database keeps it. */
export interface KeptSource {
  kind: 'file' | 'sequence'
  relativePath: string
  sequence?: NumberedSequence | null
  frameRate?: Rational | null
}

/** Where a source's bytes are on this machine. @throws VolumeProblem when they are not there, or not inside the volume */
export async function sourceInput(source: KeptSource, volumePath: string): Promise<MediaInput> {
  if (source.kind === 'file') return { kind: 'file', path: await resolveInside(volumePath, source.relativePath) }
  if (!source.sequence || !source.frameRate) throw new VolumeProblem('The sequence has no frame rate. Set one and read it again.')
  const directory = path.posix.dirname(source.relativePath)
  return { kind: 'sequence', directory: await resolveInside(volumePath, directory === '.' ? '' : directory), sequence: source.sequence, frameRate: source.frameRate }
}
