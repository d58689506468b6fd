/** A delivery volume as plans know it. */
export interface VolumeRoom {
  id: number
  /** Null where nobody knows. */
  freeBytes: number | null
  /** Which disk it lies on; none where nobody knows. */
  disk?: string | null
}

/** Delivery volumes that share their room. */
export interface Disk {
  volumeIds: readonly number[]
  freeBytes: number | null
}

/** Delivery volumes by the disks that they lie on, in the order of their first ones. One whose disk is not known has its room to itself. */
export function disksOf(volumes: readonly VolumeRoom[]): Disk[] {
  const disks = new Map<string | number, { volumeIds: number[]; freeBytes: number | null }>()
  for (const { id, freeBytes, disk } of volumes) {
    const entry = disks.get(disk ?? id) ?? { volumeIds: [], freeBytes: null }
    disks.set(disk ?? id, entry)
    entry.volumeIds.push(id)
    // Two looks at one disk, a moment apart: the lesser room is the safer one.
    if (freeBytes !== null) entry.freeBytes = Math.min(entry.freeBytes ?? freeBytes, freeBytes)
  }
  return [...disks.values()]
}
