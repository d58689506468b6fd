import path from 'node:path'
import { describeSequence } from '@hematine/core'
import { Problem, type Arrival, type VolumeRow } from '@hematine/database'
import { listDirectory, resolveInside } from '@hematine/media/volume-files'
import type { ArrivalBody } from '#shared/api'

/** Rate of a sequence that nobody said otherwise of. */
export const usualRate = { num: 25, den: 1 }

/** Finds what an arrival names in its volume. @throws Problem or VolumeProblem when it is not there */
export async function resolveArrival(volume: VolumeRow, arrival: ArrivalBody): Promise<Arrival> {
  if (arrival.kind === 'file') {
    await resolveInside(volume.path, arrival.path)
    return { kind: 'file', volumeId: volume.id, path: arrival.path }
  }
  const parent = path.posix.dirname(arrival.path)
  const directory = parent === '.' ? '' : parent
  const name = path.posix.basename(arrival.path)
  const sequence = (await listDirectory(volume.path, directory)).sequences.find(entry => describeSequence(entry) === name)
  if (!sequence) throw new Problem(404, 'no-sequence', `There is no sequence ${name} in this directory any more. Its frames may have changed; list the directory again.`)
  return { kind: 'sequence', volumeId: volume.id, directory, sequence, frameRate: arrival.frameRate ?? usualRate }
}
