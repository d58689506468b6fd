// Draws the demo material, and the discs of the stand-in drive beside it, into the directory that `TEST_MATERIAL` names, so that tests share one drawing.
import { tmpdir } from 'node:os'
import path from 'node:path'
import { runScript } from './lib/bootstrap.mjs'

await runScript([], async () => {
  const { drawTestMaterial } = await import('./lib/e2e.ts')
  await drawTestMaterial(process.env.TEST_MATERIAL ?? path.join(tmpdir(), 'hematine-test-material'))
})
