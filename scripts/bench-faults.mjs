import { runScript } from './lib/bootstrap.mjs'

// Faults at moments of chance over a batch: `npm run bench:faults -- [how many] [seed]`.
await runScript(['postgresql'], async () => {
  const [count = '100', seed = String(Date.now() % 1_000_000)] = process.argv.slice(2)
  if (!/^\d+$/.test(count) || !/^\d+$/.test(seed)) {
    console.error('Give whole numbers: how many faults, and a seed.')
    process.exitCode = 2
    return
  }
  const { benchFaults } = await import('./bench/faults.ts')
  await benchFaults(Number(count), Number(seed))
})
