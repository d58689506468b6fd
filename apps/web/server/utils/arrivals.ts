import path from 'node:path'
import { isDeepStrictEqual } from 'node:util'
import { describeSequence, titlesToBringIn, type NumberedSequence, type Rational } from '@hematine/core'
import { Problem, type Arrival, type VolumeRow } from '@hematine/database'
import { isImageName } from '@hematine/media/discs/disc'
import { onDisc } from '@hematine/media/volumes/source-input'
import { listDirectory, resolveInside, VolumeProblem } from '@hematine/media/volumes/volume-files'
import type { ArrivalBody } from '#shared/api'

/** Rate of a sequence that nobody said otherwise of. */
export const usualRate = { num: 25, den: 1 }

/** Finds what an arrival names in its volume. @throws Problem or VolumeProblem when it is not there */
export async function resolveArrival(volume: VolumeRow, arrival: ArrivalBody): Promise<Arrival> {
  if (arrival.kind === 'file') {
    await resolveInside(volume.path, arrival.path)
    return { kind: 'file', volumeId: volume.id, path: arrival.path }
  }
  if (arrival.kind === 'title') return resolveTitle(volume, arrival)
  const parent = path.posix.dirname(arrival.path)
  const directory = parent === '.' ? '' : parent
  const name = path.posix.basename(arrival.path)
  const sequence = (await listDirectory(volume.path, directory)).sequences.find(
    entry => describeSequence(entry) === name,
  )
  if (!sequence)
    throw new Problem(
      404,
      'no-sequence',
      `There is no sequence ${name} in this directory any more. Its frames may have changed; list the directory again.`,
    )
  return { kind: 'sequence', volumeId: volume.id, directory, sequence, frameRate: arrival.frameRate ?? usualRate }
}

/** A sequence with the frames that its directory has now; null when they are the same, or gone. */
export async function sequenceAsItIs(
  volume: VolumeRow,
  relativePath: string,
  known: NumberedSequence,
  frameRate: Rational | null | undefined,
): Promise<Arrival | null> {
  const parent = path.posix.dirname(relativePath)
  const directory = parent === '.' ? '' : parent
  const sequence = (await listDirectory(volume.path, directory)).sequences.find(
    entry => entry.prefix === known.prefix && entry.suffix === known.suffix,
  )
  return sequence && !isDeepStrictEqual(sequence, known)
    ? { kind: 'sequence', volumeId: volume.id, directory, sequence, frameRate: frameRate ?? usualRate }
    : null
}

async function resolveTitle(volume: VolumeRow, { path, title, angle = 1 }: ArrivalBody): Promise<Arrival> {
  if (title === undefined) throw new Problem(400, 'no-title', 'Say which title of the disc is meant.')
  const found = await onDisc(volume.path, path, disc => disc.describeTitle(title))
  if (angle > found.angles)
    throw new Problem(
      404,
      'no-angle',
      `Title ${title} has ${found.angles === 1 ? 'one angle' : `${found.angles} angles`}.`,
    )
  if (found.problem !== null) throw new Problem(409, 'title-unusable', found.problem)
  return { kind: 'title', volumeId: volume.id, disc: { path, title, angle } }
}

/**
 * What a file that was just uploaded brings: itself, or the titles of the disc that it makes whole. A part of a disc that is not whole yet brings nothing.
 * @param file its path in the volume
 */
export async function arrivalsOfUpload(volume: VolumeRow, file: string): Promise<Arrival[]> {
  const folder = /^(.*\/)?VIDEO_TS(?=\/[^/]+$)/i.exec(file)?.[0]
  const disc = folder ?? (isImageName(file) ? file : null)
  if (disc === null) return [{ kind: 'file', volumeId: volume.id, path: file }]
  try {
    const { numbers } = titlesToBringIn(await onDisc(volume.path, disc, opened => opened.describe()))
    return numbers.map(title => ({ kind: 'title', volumeId: volume.id, disc: { path: disc, title, angle: 1 } }))
  } catch (error) {
    if (!(error instanceof VolumeProblem)) throw error
    // An image that is no disc is a source that says so; a folder may still be on its way.
    return folder === undefined ? [{ kind: 'file', volumeId: volume.id, path: file }] : []
  }
}
