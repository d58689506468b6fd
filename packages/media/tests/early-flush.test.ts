import { mkdir, readFile, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { expect, test } from 'vitest'
import { EarlyFlush } from '../src/encoding/early-flush.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

/** A file that grows is handed to its disk on the way; what goes wrong there is no failure of the work. */
const scratch = scratchDirectory()

test('the file is as it was written, however often it is handed over', async () => {
  const file = path.join(scratch, 'grows.bin')
  await writeFile(file, Buffer.alloc(40_000_000, 7))
  const flush = new EarlyFlush(file)
  for (const bytes of [1, 40_000_000, 80_000_000]) flush.note(bytes)
  await flush.end()
  expect((await readFile(file)).every(byte => byte === 7)).toBe(true)
})

test('a file that is gone, or is none, ends nothing', async () => {
  await mkdir(path.join(scratch, 'folder'))
  for (const name of ['missing.bin', 'folder']) {
    const flush = new EarlyFlush(path.join(scratch, name))
    flush.note(100_000_000)
    await expect(flush.end()).resolves.toBeUndefined()
  }
})
