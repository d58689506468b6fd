import { runScript } from './lib/bootstrap.mjs'

// What becomes of a folder of real material, brought in through the running application; see docs/measurements.md.
await runScript(['postgresql'], async () => {
  const { benchReal } = await import('./bench/real.ts')
  await benchReal(process.argv.slice(2))
})
