import { runScript } from './lib/bootstrap.mjs'

// How long a batch of stills takes through the running application, against the still-image library alone; see docs/measurements.md.
await runScript(['postgresql'], async () => {
  const [count = '100'] = process.argv.slice(2)
  if (!/^[1-9]\d{0,2}$/.test(count) || Number(count) > 500) {
    console.error('Give a whole number up to 500: how many stills.')
    process.exitCode = 2
    return
  }
  const { benchStills } = await import('./bench/stills.ts')
  await benchStills(Number(count))
})
