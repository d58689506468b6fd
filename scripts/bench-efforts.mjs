import { runScript } from './lib/bootstrap.mjs'

// What efforts and fine settings of encoders do to time and size, on drawn clips or on a folder of one's own; see docs/measurements.md.
await runScript([], async () => {
  const { benchEfforts } = await import('./bench/efforts.ts')
  await benchEfforts(process.argv.slice(2))
})
