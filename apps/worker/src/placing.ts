import { rename } from 'node:fs/promises'
import path from 'node:path'
import { filesBesideOf, nameBeside, nextName, type DeliverySpec, type FileBeside } from '@hematine/core'
import {
  deliveryVolumeOf,
  failJob,
  finishJob,
  readPlacing,
  plannedPathOf,
  renamePlacing,
  type EntityManager,
} from '@hematine/database'
import { fileBeside, sha256OfResult } from '@hematine/media/volumes/result-files'
import {
  exists,
  makeFolder,
  placeFile,
  sha256OfFile,
  VolumeProblem,
  workDirectory,
} from '@hematine/media/volumes/volume-files'
import { removeAllOf } from './finished.ts'

/**
 * The name that was planned for a result, or the next like it that nothing in the delivery volume has, nor has one of the names beside it.
 * @param beside what lies beside the result
 */
export async function freeName(
  volumePath: string,
  planned: string,
  spec: Pick<DeliverySpec, 'container'>,
  beside: readonly FileBeside[],
): Promise<string> {
  for (let counter = 1; ; counter++) {
    const name = counter === 1 ? planned : nextName(planned, spec, counter)
    let isFree = true
    for (const taken of [name, ...beside.map(({ added }) => nameBeside(name, spec, added))])
      isFree &&= !(await exists(path.join(volumePath, taken)))
    if (isFree) return name
  }
}

/** A file, or the folder of a sequence, on its way to its place; `isThere` tells whether it has got that already. */
interface Piece {
  temporary: string
  place: string
  isThere(): Promise<boolean>
}

function pieceOf(temporary: string, place: string, sumOf: (file: string) => Promise<string>, sha256: string): Piece {
  return { temporary, place, isThere: async () => (await exists(place)) && (await sumOf(place)) === sha256 }
}

const takeBack = ({ place, temporary }: Piece): Promise<void> => rename(place, temporary)

/** Puts pieces that are not yet there in their places, all or none: where one is taken, those before it go back. @returns whether they are all there */
async function placeAll(pieces: readonly Piece[]): Promise<boolean> {
  const placed: Piece[] = []
  for (const piece of pieces) {
    if (!(await exists(piece.temporary)) || (await placeFile(piece.temporary, piece.place))) {
      placed.push(piece)
      continue
    }
    for (const other of placed) await takeBack(other)
    return false
  }
  return true
}

/**
 * Puts a checked result in its place, what lies beside it first, and ends the job. Every step can be repeated, so that a stop at any moment leaves the job
 * to be finished by whoever comes next: a temporary file has a second name, or only the final one, or neither.
 */
export async function placeResult(em: EntityManager, jobId: number): Promise<void> {
  const job = await readPlacing(em, jobId)
  if (!job) return
  const volume = deliveryVolumeOf(job)
  const directory = await workDirectory(volume)
  const temporary = path.join(directory, job.temporaryPath!)
  const { measurement } = job.check!
  const beside = filesBesideOf(measurement)
  const piecesAt = (name: string): Piece[] => [
    ...beside.map(({ added, sha256 }) => {
      const place = path.join(volume.path, nameBeside(name, job.spec, added))
      return pieceOf(fileBeside(temporary, added), place, sha256OfFile, sha256)
    }),
    pieceOf(temporary, path.join(volume.path, name), sha256OfResult, measurement.sha256),
  ]
  let name = job.outputPath!
  const vanished = async () => {
    await failJob(
      em,
      jobId,
      job.attempt,
      job.workerId ?? null,
      'The finished file vanished from the delivery volume before it got its place. Try again.',
    )
    await removeAllOf(directory, jobId)
  }
  const pieces = piecesAt(name)
  const isWaiting = await exists(temporary)
  // The result gets its place last: once it is there, all is.
  if (!isWaiting && !(await pieces.at(-1)!.isThere())) return vanished()
  if (isWaiting) {
    const placed: Piece[] = []
    for (const piece of pieces) if (!(await exists(piece.temporary))) placed.push(piece)
    for (const piece of placed)
      if (!(await piece.isThere())) {
        for (const other of placed) if (other !== piece && (await other.isThere())) await takeBack(other)
        return vanished()
      }
    // A folder that was there when the work began may be a file by now; the result is not lost for that.
    const isThere = await makeFolder(volume.path, path.dirname(name)).then(
      () => true,
      (error: unknown) => {
        if (error instanceof VolumeProblem && error.code !== 'away') return false
        throw error
      },
    )
    const wanted = isThere ? plannedPathOf(job) : path.basename(plannedPathOf(job))
    const takeAnother = async () => {
      name = await freeName(volume.path, wanted, job.spec, beside)
      await renamePlacing(em, jobId, name)
    }
    if (!isThere) await takeAnother()
    while (!(await placeAll(piecesAt(name)))) await takeAnother()
  }
  await finishJob(em, jobId)
  await removeAllOf(directory, jobId)
}
