import { runScript } from './lib/bootstrap.mjs'

// What every step of a treatment costs; see docs/steps.md.
await runScript([], async () => {
  const { benchSteps } = await import('./bench/steps.ts')
  await benchSteps(process.argv.slice(2))
})
