// `npm run test:e2e [-- words for Playwright]`: builds when stale and runs the browser tests alone; with `--part=1` or `--part=2` one half of them.
import { rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { runScript, temporaryDirectory } from './lib/bootstrap.mjs'

await runScript(['postgresql', 'chromium'], async () => {
  const { build } = await import('./lib/build.ts')
  const { runBrowserTests } = await import('./lib/e2e.ts')
  await build()
  const words = process.argv.slice(2)
  const part = Number(words.find(word => word.startsWith('--part='))?.slice('--part='.length) ?? 0)
  const directory = temporaryDirectory('hematine-e2e-')
  try {
    const passed = await runBrowserTests(
      directory,
      process.env.TEST_MATERIAL ?? path.join(tmpdir(), 'hematine-test-material'),
      words.filter(word => !word.startsWith('--part=')),
      part,
    )
    process.exitCode = passed ? 0 : 1
  } finally {
    rmSync(directory, { recursive: true, force: true })
  }
})
