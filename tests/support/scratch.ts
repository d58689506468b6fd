import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { afterAll } from 'vitest'

/** A directory for a test file, removed when its tests are through. */
export function scratchDirectory(): string {
  const directory = mkdtempSync(path.join(tmpdir(), 'hematine-test-'))
  afterAll(() => rmSync(directory, { recursive: true, force: true }))
  return directory
}
