import { readdir, rm } from 'node:fs/promises'
import path from 'node:path'
import {
  isOpen,
  knownCurves,
  knownTrials,
  listVolumes,
  needsTemporary,
  noteMarked,
  triedSources,
  type VolumeRow,
} from '@hematine/database'
import { curveDirectory, markVolume, trialDirectory, workDirectory } from '@hematine/media/volumes/volume-files'
import { removeAbandonedUploads } from './abandoned.ts'
import { removeLeftCopies } from './copying.ts'
import type { Hands } from './kinds/kind.ts'

type Room = Pick<Hands, 'em' | 'log'>

/** Gives volumes that results or working files go to the marker that they are known by from then on. */
export async function markVolumes(room: Room): Promise<void> {
  for (const volume of await listVolumes(room.em)) {
    if (volume.markedAt || volume.role === 'source') continue
    try {
      await markVolume(volume)
      await noteMarked(room.em, volume.id)
    } catch (error) {
      room.log.warn(
        { volume: volume.name, error: (error as Error).message },
        'a volume could not be given its marker yet',
      )
    }
  }
}

/** Removes what lost workers left in this installation's work directories: trials and curves that are gone, files of jobs that are over, images of copies that are over, abandoned uploads. */
export async function tidy(room: Room): Promise<void> {
  for (const volume of await listVolumes(room.em)) {
    try {
      if (volume.role === 'source') {
        await removeLeftCopies(room.em, volume)
        await removeAbandonedUploads(volume)
        continue
      }
      await tidyTrials(room, volume)
      await tidyCurves(room, volume)
      if (volume.role === 'delivery') await tidyJobs(room, volume)
    } catch (error) {
      room.log.warn(
        { volume: volume.name, error: (error as Error).message },
        'the work directory of a volume could not be tidied',
      )
    }
  }
}

/** Removes the files of trials that are gone, and pictures of sources that have none left. */
async function tidyTrials(room: Room, volume: VolumeRow): Promise<void> {
  const directory = path.dirname(await trialDirectory(volume, 0))
  const names = await readdir(directory).catch(() => [])
  const ids = names.flatMap(name => (/^\d+$/.test(name) ? [Number(name)] : []))
  const known = await knownTrials(room.em, ids)
  for (const id of ids) if (!known.has(id)) await rm(path.join(directory, String(id)), { recursive: true, force: true })
  const tried = await triedSources(room.em)
  for (const name of names) {
    const sourceId = /^source-(\d+)-/.exec(name)?.[1]
    if (sourceId && !tried.has(Number(sourceId))) await rm(path.join(directory, name), { force: true })
  }
}

/** Removes the pictures of curves that are gone, or were measured once more since. */
async function tidyCurves(room: Room, volume: VolumeRow): Promise<void> {
  const directory = path.dirname(await curveDirectory(volume, { id: 0, run: 0 }))
  const found = (await readdir(directory).catch(() => [])).flatMap(name => {
    const [, id, run] = /^(\d+)-(\d+)$/.exec(name) ?? []
    return id ? [{ name, id: Number(id), run: Number(run) }] : []
  })
  const known = await knownCurves(
    room.em,
    found.map(({ id }) => id),
  )
  for (const { name, id, run } of found)
    if (!known.get(id)?.includes(run)) await rm(path.join(directory, name), { recursive: true, force: true })
}

/** Removes files of jobs that are not running, held or about to be placed. What is finished waits for its job to be taken up again. */
async function tidyJobs(room: Room, volume: VolumeRow): Promise<void> {
  const directory = await workDirectory(volume)
  const names = await readdir(directory)
  for (const name of names) {
    const unitOf = /^job-(\d+)-(segment|sound)-/.exec(name)?.[1]
    if (unitOf && !(await isOpen(room.em, Number(unitOf)))) await rm(path.join(directory, name), { force: true })
    const [, file, id, attempt] = /^(job-(\d+)-(\d+)\.[a-z0-9]+)(\..*)?$/.exec(name) ?? []
    const isFinished = names.includes(`${file}.finished.json`) && (await isOpen(room.em, Number(id)))
    if (file && !isFinished && !(await needsTemporary(room.em, Number(id), Number(attempt))))
      await rm(path.join(directory, name), { recursive: true, force: true })
  }
}
