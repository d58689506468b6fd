import type { VolumeRecord } from '@hematine/core'

/** Volumes of one disk in words. */
export function nameOfDisk(ids: readonly number[], volumes: readonly VolumeRecord[]): string {
  const names = ids.map(id => volumes.find(volume => volume.id === id)?.name ?? `Volume ${id}`)
  return names.length === 1 ? names[0]! : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}, one disk`
}
