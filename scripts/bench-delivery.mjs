import { runScript } from './lib/bootstrap.mjs'

// Whether sizes that specs cap are kept, on drawn clips of other seeds than tests use, or on a folder of one's own; see docs/measurements.md.
await runScript([], async () => {
  const { benchDelivery } = await import('./bench/delivery.ts')
  await benchDelivery(process.argv.slice(2))
})
