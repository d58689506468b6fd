import { runScript } from './lib/bootstrap.mjs'

// What the learned networks are worth on pictures that they have not seen; see docs/models.md.
await runScript([], async () => {
  const { benchModels } = await import('./bench/models.ts')
  await benchModels(process.argv.slice(2))
})
