import { runScript } from './lib/bootstrap.mjs'

// What is told of running jobs' ends, against when they end: `npm run bench:running -- [directory with clips]`, of the demo's material without one.
await runScript(['postgresql'], async () => {
  const { benchRunning } = await import('./bench/running.ts')
  await benchRunning(process.argv[2])
})
