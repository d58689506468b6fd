import { runScript } from './lib/bootstrap.mjs'

// A batch of thousands: `npm run bench:batch -- [sources]`.
await runScript(['postgresql', 'chromium'], async () => {
  const [count = '10000'] = process.argv.slice(2)
  if (!/^\d+$/.test(count) || Number(count) < 60) {
    console.error('Give a whole number of sources, 60 or more.')
    process.exitCode = 2
    return
  }
  const { benchBatch } = await import('./bench/batch.ts')
  await benchBatch(Number(count))
})
