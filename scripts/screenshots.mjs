// `npm run screenshots`: takes docs/screenshots/ anew from the demo data.
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { runScript } from './lib/bootstrap.mjs'

await runScript(['postgresql', 'chromium'], async () => {
  const { takeScreenshots } = await import('./lib/screenshots.ts')
  const directory = mkdtempSync(path.join(tmpdir(), 'skerry-'))
  try {
    await takeScreenshots(directory)
  } finally {
    rmSync(directory, { recursive: true, force: true })
  }
})
