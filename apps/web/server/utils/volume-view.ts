import type { VolumeRecord } from '@hematine/core'
import { volumeRecord, type VolumeRow } from '@hematine/database'
import { spaceOfVolume } from '@hematine/media/volumes/volume-files'

/** A volume with what its disk says now. */
export async function viewVolume(row: VolumeRow): Promise<VolumeRecord> {
  return volumeRecord(row, await spaceOfVolume(row, row.role !== 'source'))
}
