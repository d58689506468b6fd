import { readdir, rm, stat } from 'node:fs/promises'
import path from 'node:path'
import { workDirectoryName, type MarkedVolume } from '@hematine/media/volumes/volume-files'

/** An upload that nobody goes on with, or a stretch that a killed process left, is kept this long. */
const keptMilliseconds = 24 * 3600_000

/** Removes uploads into a volume that broke off and were not taken up again within a day. An upload's note is written when it begins, its bytes as they come. */
export async function removeAbandonedUploads(volume: MarkedVolume, now = Date.now()): Promise<void> {
  const directory = path.join(volume.path, workDirectoryName, volume.marker, 'uploads')
  for (const name of await readdir(directory).catch(() => [])) {
    if (name.endsWith('.json')) continue
    const facts = await stat(path.join(directory, name)).catch(() => null)
    if (!facts || now - facts.mtimeMs <= keptMilliseconds) continue
    await rm(path.join(directory, name), { force: true })
    await rm(path.join(directory, `${name}.json`), { force: true })
  }
}

/** Removes stretches of samples that processes left when they were killed. */
export async function removeOldScratch(directory: string, now = Date.now()): Promise<void> {
  for (const name of await readdir(directory).catch(() => [])) {
    const file = path.join(directory, name)
    const facts = await stat(file).catch(() => null)
    if (facts && now - facts.mtimeMs > keptMilliseconds) await rm(file, { recursive: true, force: true })
  }
}
