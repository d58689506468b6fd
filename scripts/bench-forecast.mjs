import { runScript } from './lib/bootstrap.mjs'

// Forecasts against what drawn clips come to: `npm run bench:forecast -- [how many clips] [seed]`.
await runScript(['postgresql'], async () => {
  const [count = '40', seed = String(Date.now() % 1_000_000)] = process.argv.slice(2)
  if (!/^\d+$/.test(count) || !/^\d+$/.test(seed)) {
    console.error('Give whole numbers: how many clips, and a seed.')
    process.exitCode = 2
    return
  }
  const { benchForecast } = await import('./bench/forecast.ts')
  await benchForecast(Number(count), Number(seed))
})
