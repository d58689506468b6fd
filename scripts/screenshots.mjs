// `npm run screenshots`: takes docs/screenshots/ anew from the demo data.
import { rmSync } from 'node:fs'
import { runScript, temporaryDirectory } from './lib/bootstrap.mjs'

await runScript(['postgresql', 'chromium'], async () => {
  const { takeScreenshots } = await import('./lib/screenshots.ts')
  const directory = temporaryDirectory('skerry-')
  try {
    await takeScreenshots(directory)
  } finally {
    rmSync(directory, { recursive: true, force: true })
  }
})
