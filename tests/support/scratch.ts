import { rmSync } from 'node:fs'
import { afterAll } from 'vitest'
import { temporaryDirectory } from '../../scripts/lib/bootstrap.mjs'

/** A directory for a test file, removed when its tests are through. */
export function scratchDirectory(): string {
  const directory = temporaryDirectory('hematine-test-')
  afterAll(() => rmSync(directory, { recursive: true, force: true }))
  return directory
}
