import { mkdir, readdir, utimes, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { expect, test } from 'vitest'
import { removeAbandonedUploads, removeOldScratch } from '../src/abandoned.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
const hour = 3600

test('an upload that nobody goes on with is kept for a day; one that was resumed within it stays', async () => {
  const volume = { name: 'Sources', path: scratch, marker: 'a1b2', markedAt: new Date() }
  const directory = path.join(scratch, '.hematine', 'a1b2', 'uploads')
  await mkdir(directory, { recursive: true })
  const now = Date.now()
  const upload = async (name: string, begunHoursAgo: number, writtenHoursAgo: number) => {
    for (const [file, hours] of [
      [name, writtenHoursAgo],
      [`${name}.json`, begunHoursAgo],
    ] as const) {
      await writeFile(path.join(directory, file), 'x')
      await utimes(path.join(directory, file), now / 1000 - hours * hour, now / 1000 - hours * hour)
    }
  }
  await upload('left', 30, 25)
  await upload('resumed', 30, 2)
  await upload('fresh', 1, 1)
  await removeAbandonedUploads(volume, now)
  expect((await readdir(directory)).sort()).toEqual(['fresh', 'fresh.json', 'resumed', 'resumed.json'])
  // A volume in which nothing was ever put has no such directory.
  await removeAbandonedUploads({ ...volume, marker: 'c3d4' }, now)
})

test('stretches that killed processes left are removed after a day', async () => {
  const directory = path.join(scratch, 'scratch')
  await mkdir(directory)
  const now = Date.now()
  for (const [name, hours] of [
    ['stretch-1-0.mkv', 25],
    ['stretch-2-0.mkv', 1],
  ] as const) {
    await writeFile(path.join(directory, name), 'x')
    await utimes(path.join(directory, name), now / 1000 - hours * hour, now / 1000 - hours * hour)
  }
  // A search of a quality has a directory of its own.
  await mkdir(path.join(directory, 'search-1'))
  await writeFile(path.join(directory, 'search-1', 'stretch.mp4'), 'x')
  await utimes(path.join(directory, 'search-1'), now / 1000 - 25 * hour, now / 1000 - 25 * hour)
  await removeOldScratch(directory, now)
  expect(await readdir(directory)).toEqual(['stretch-2-0.mkv'])
})
