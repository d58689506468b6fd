import { readdir, rm } from 'node:fs/promises'
import path from 'node:path'
import { countSectors, sectorBytes, type SectorRange } from '@hematine/core'
import {
  endCopy,
  keepCopied,
  readCopy,
  reserveCopyPath,
  type DiscCopyRow,
  type DriveRow,
  type EntityManager,
  type TaskQueue,
  type VolumeRow,
} from '@hematine/database'
import { copyDisc, StandInDrive } from '@hematine/media/discs/drive'
import {
  exists,
  flushToDisk,
  freeNameIn,
  placeFile,
  spaceOfVolume,
  VolumeProblem,
  workDirectory,
  workDirectoryName,
} from '@hematine/media/volumes/volume-files'
import { titlesOf } from './scanning.ts'

/** Where the unfinished image of a copy lies: out of sight, in its volume. */
async function temporaryOf(copy: DiscCopyRow, volume: VolumeRow): Promise<string> {
  return path.join(await workDirectory(volume), `disc-${copy.id}.part`)
}

/**
 * Reads the disc of a drive into an image of a source volume and brings in its titles. One that broke off goes on where it was;
 * every step can be repeated.
 * @param isStopping whether the worker leaves; the copy is then taken up by the next
 */
export async function copyFromDrive(
  em: EntityManager,
  queue: TaskQueue,
  copyId: number,
  isStopping: () => boolean,
): Promise<void> {
  const copy = await readCopy(em, copyId)
  if (!copy) return
  const [volume, drive] = [copy.volume.getEntity() as VolumeRow, copy.drive.getEntity() as DriveRow]
  try {
    const temporary = await temporaryOf(copy, volume)
    let unreadable: readonly SectorRange[] = copy.unreadable
    // With a name reserved, all that was left to do is to place it.
    if (!copy.path) {
      const read = await readDisc(em, copy, drive, volume, temporary, isStopping)
      if (!read) return
      unreadable = read
    }
    const name =
      copy.path ??
      (await reserveCopyPath(em, copyId, await freeNameIn(volume.path, `${copy.disc.replace(/\.iso$/i, '')}.iso`)))
    const place = path.join(volume.path, name)
    if (await exists(temporary)) {
      await flushToDisk(temporary)
      if (!(await placeFile(temporary, place)))
        throw new VolumeProblem(`Another file took the name ${name} meanwhile. Read the disc again.`)
    }
    const { arrivals, refused } = await titlesOf(volume, name)
    await endCopy(em, queue, copyId, {
      path: name,
      arrivals,
      reason:
        arrivals.length > 0
          ? null
          : `No title of it can be used. ${refused[0]?.reason ?? ''}${unreadable.length > 0 ? ` ${countSectors(unreadable)} sectors could not be read.` : ''}`,
    })
  } catch (error) {
    const reason = sentenceFor(error, volume)
    if (reason === null) throw error
    await endCopy(em, queue, copyId, { reason })
    await removeLeftCopies(em, volume).catch(() => undefined)
  }
}

/** Removes unfinished images of copies that are over from a volume. */
export async function removeLeftCopies(em: EntityManager, volume: VolumeRow): Promise<void> {
  // Not made for this: a source volume in which nothing was ever put has none.
  const directory = path.join(volume.path, workDirectoryName, volume.marker)
  for (const name of await readdir(directory).catch(() => [])) {
    const id = /^disc-(\d+)\.part$/.exec(name)?.[1]
    if (id && !(await readCopy(em, Number(id)))) await rm(path.join(directory, name), { force: true })
  }
}

/** @returns the unreadable sectors; null when it was stopped, or the worker leaves */
async function readDisc(
  em: EntityManager,
  copy: DiscCopyRow,
  drive: DriveRow,
  volume: VolumeRow,
  temporary: string,
  isStopping: () => boolean,
): Promise<SectorRange[] | null> {
  const device = await StandInDrive.open(path.join(drive.shelf, copy.disc), drive)
  try {
    const { freeBytes } = await spaceOfVolume(volume, true)
    const wanted = (device.sectors - copy.sectorsDone) * sectorBytes
    if (freeBytes !== null && freeBytes < wanted)
      throw new VolumeProblem(`There is no room for this disc on ${volume.name}. Free some space, then read it again.`)
    const done = (await exists(temporary))
      ? { sectors: copy.sectorsDone, unreadable: copy.unreadable }
      : { sectors: 0, unreadable: [] }
    let stopped = false
    const read = await copyDisc(device, temporary, done, async (sectorsDone, unreadable) => {
      stopped = !(await keepCopied(em, copy.id, { sectorsDone, sectorsTotal: device.sectors, unreadable }))
      return !stopped && !isStopping()
    })
    if (stopped) await removeLeftCopies(em, volume)
    return read
  } finally {
    await device.close()
  }
}

function sentenceFor(error: unknown, volume: VolumeRow): string | null {
  if (error instanceof VolumeProblem) return error.message
  switch ((error as NodeJS.ErrnoException).code) {
    case 'ENOENT':
      return 'The disc is no longer on the shelf, or the volume is gone. Look for both, then read it again.'
    case 'EACCES':
    case 'EPERM':
    case 'EROFS':
      return `${volume.name} may not be written by the user that the worker runs as. Choose another source volume.`
    case 'ENOSPC':
      return `The disk of ${volume.name} is full. Free some space, then read the disc again.`
    default:
      return null
  }
}
