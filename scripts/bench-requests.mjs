import { runScript } from './lib/bootstrap.mjs'

// Requests that no page would send: `npm run bench:requests -- [how many] [seed]`.
await runScript(['postgresql'], async () => {
  const [count = '1000', seed = String(Date.now() % 1_000_000)] = process.argv.slice(2)
  if (!/^\d+$/.test(count) || !/^\d+$/.test(seed)) {
    console.error('Give whole numbers: how many requests, and a seed.')
    process.exitCode = 2
    return
  }
  const { benchRequests } = await import('./bench/requests.ts')
  await benchRequests(Number(count), Number(seed))
})
