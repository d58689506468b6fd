import { readdir } from 'node:fs/promises'
import type { DriveRecord } from '@hematine/core'
import type { DriveRow } from '@hematine/database'
import { isImageName } from '@hematine/media/discs/disc'

/** A drive with the discs that lie on its shelf. */
export async function driveRecord({ id, name, shelf, disc, speed, badSectors }: DriveRow): Promise<DriveRecord> {
  const discs = (await readdir(shelf).catch(() => [])).filter(isImageName).sort()
  return { id, name, shelf: discs, disc: disc ?? null, speed, badSectors }
}
