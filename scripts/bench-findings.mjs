import { runScript } from './lib/bootstrap.mjs'

// How well findings hold, on clips with known faults; see docs/findings.md.
await runScript([], async () => {
  const { benchFindings } = await import('./bench/findings.ts')
  await benchFindings(process.argv.slice(2))
})
